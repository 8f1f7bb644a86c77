"""How much art a layer needs: the box of the view's corners, taken back onto its sheet, over every driver state.

Bounded like the gap search: the driver box is split until each side of the box is known to half an art pixel.
"""

import hashlib
from dataclasses import dataclass, replace

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.boxes import Patches, Pose, art_box, at_pointer_ends, ends_of, parted
from clinamen.core.cached import cached_property
from clinamen.core.document import Carrier, Layer, Scene, Track, bearers_of
from clinamen.core.interval import Interval
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import AXES, Cells, State, driver_bounds
from clinamen.core.motion.terms import Term
from clinamen.core.parts import said
from clinamen.core.stage import BoundCamera, bound_camera

TOLERANCE = 0.5  # art pixels
BUDGET, ALL_LAYERS = 6_000, 300_000  # cells looked at for one layer, and for all of a scene together
FINE, FEW = 16, 40  # parts a cell is cut into while there are only a few of them
KEPT = 20_000  # needs kept in memory
CAMERAS = 1_000_000  # cells over which the camera is kept in memory, 200 bytes each or so
MOST_TURNS = 16  # keys and overshoots of a track that are tried as likely worst states
SIDES = ("left", "top", "right", "bottom")
_SIGNS = np.array([-1.0, -1.0, 1.0, 1.0])


@dataclass(frozen=True)
class Need:
    """The art that a layer needs: `box` (left, top, right, bottom) from the art's centre in art pixels, infinite where the
    view runs past the sheet's horizon; `states`: the state that asks most of each side; `left_open`: how much more of each side
    may be asked for, where the search came to the end of its budget."""

    box: tuple[float, float, float, float]
    states: tuple[State, State, State, State]
    left_open: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)


_known: Bounded[Need] = Bounded(KEPT, lambda need: 1)
_cameras: Bounded[BoundCamera] = Bounded(
    CAMERAS, lambda camera: max(each.low.size for each in camera.channels.values())
)


class Needs:
    """Needed art of a scene's layers, over every driver state, at `only` one or `within` a box of them [4, 2]; what they
    share is worked out once. `rough`: at the likely worst states alone, keys and ends, nothing closed in on."""

    def __init__(
        self,
        scene: Scene,
        motion: Motion | None = None,
        only: State | None = None,
        within: Floats | None = None,
        rough: bool = False,
    ) -> None:
        self.rough = rough
        self.scene = scene
        self.motion = motion or Motion(scene)
        self.bounds = np.array(list(driver_bounds(scene).values()))
        if only is not None:
            self.bounds = np.array([(at, at) for at in (only.scroll, *only.pointer, only.time)])
        elif within is not None:
            self.bounds = within
        self._grids: dict[str, _Grid] = {}
        self._found: dict[str, Need] = {}

    def _terms(self, layer_id: str) -> list[Term]:
        """Terms that move what this layer shows: the camera's, its own, and those of what carries it."""
        layer = self.motion.own.get(layer_id)
        mixes = [*self.motion.mixes["camera"].values(), *(self.motion.place_mixes(layer) if layer else ())]
        return [term for mix in mixes if mix.channel.touches == "place" for term in mix.terms[1:]]

    def _grid(self, layer_id: str) -> "_Grid":
        """Driver box and likely worst states of a layer; layers that nothing of their own moves share one."""
        key = layer_id if self.motion.terms(layer_id) else ""
        if key not in self._grids:
            root, samples = self._cells(self._terms(layer_id))
            self._grids[key] = _Grid(root, samples, self._pose(root, again=True), self._pose(samples, again=True))
        return self._grids[key]

    def samples(self, layer: Layer) -> Floats:
        """Likely worst driver states [N, 4] (scroll, u, v, time) of a layer: every key, overshoot and end."""
        return self._grid(layer.id).samples[:, :, 0]

    def _cells(self, terms: list[Term]) -> tuple[Floats, Floats]:
        bounds = self.bounds.copy()
        stops = [set(axis) for axis in bounds]
        for index, axis in enumerate(AXES):
            if not any(axis in term.axes for term in terms):  # what moves nothing here is left at its start, or at rest
                bounds[index] = min(max(0.0, bounds[index, 0]), bounds[index, 1])
                stops[index] = {bounds[index, 0]}
            low, high = bounds[index]
            stops[index] |= {at for at in self.motion.turns(terms, axis, MOST_TURNS) if low <= at <= high}
        grid = np.meshgrid(*(np.array(sorted(axis)) for axis in stops), indexing="ij")
        samples = np.stack([axis.ravel() for axis in grid], axis=1)
        return at_pointer_ends(bounds), samples[:, :, None].repeat(2, axis=2)

    def _pose(self, cells: Floats, again: bool = False) -> tuple[Pose, Patches]:
        """The pose of every driver cell [N], and the corners of the view [4, 1]. `again`: the same cells will be asked for when
        another layer has moved."""
        view = self.scene.view
        x = np.array([[0.0], [view.width], [view.width], [0.0]])
        y = np.array([[0.0], [0.0], [view.height], [view.height]])
        over = Cells.of(cells)
        camera = None
        if again:
            key = (self._shared, cells.tobytes())
            camera = _cameras.get(key, lambda: bound_camera(self.scene, self.motion, over))
            camera = replace(camera, scene=self.scene)
        pose = Pose(self.scene, self.motion, over, camera)
        return pose, Patches(Interval.point(x), Interval.point(y))

    def _sides(self, layer: Layer, pose: Pose, patches: Patches) -> Floats:
        """Upper bounds [N, 4] of how far the view reaches on each side of the art, outward positive."""
        box = art_box(pose, layer, patches)
        shape = (4, len(pose.cells.scroll.low))
        sides = np.stack(
            [np.broadcast_to(side, shape) for side in (-box.a.low, -box.b.low, box.a.high, box.b.high)], axis=2
        )
        sides = np.where(np.broadcast_to(box.seen, shape)[..., None], sides, np.inf)
        return np.nan_to_num(sides, nan=np.inf, posinf=np.inf).max(axis=0)

    def of(self, layer: Layer) -> Need:
        """The needed art of one layer of the scene."""
        if layer.id not in self._found:
            self._found[layer.id] = _known.get(self.key(layer), lambda: self._search(layer))
        return self._found[layer.id]

    def key(self, layer: Layer) -> bytes:
        """A digest of all that the answer depends on, so that an edit elsewhere in the scene costs nothing here."""
        bearers = bearers_of(self.scene, layer)
        tracks = [self._tracks.get(target, ()) for target in (layer.id, *(bearer.id for bearer in bearers))]
        carried = [x if isinstance(x, Carrier) else x.framing for x in bearers]
        where = (layer.id, layer.depth, layer.framing, layer.tilt, layer.anchor, layer.art.width, layer.art.height)
        return _digest(self._shared, tracks, where, carried)

    @cached_property
    def _tracks(self) -> dict[str, list[Track]]:
        by_target: dict[str, list[Track]] = {}
        for track in self.scene.tracks:
            by_target.setdefault(track.target, []).append(track)
        return by_target

    @cached_property
    def _shared(self) -> bytes:
        """A digest of what every layer's answer depends on."""
        scene = self.scene
        camera = self._tracks.get("camera", ())
        return _digest(scene.view, scene.lens, scene.camera, scene.drivers, camera, self.bounds.tobytes(), self.rough)

    def probe(self, layer: Layer) -> Need:
        """The needed art of a layer that is not in the scene."""
        return _known.get(self.key(layer), lambda: self._search(layer))

    def _search(self, layer: Layer) -> Need:
        grid = self._grid(layer.id)
        sampled = self._sides(layer, *grid.sample_pose)
        best = sampled.max(axis=0)
        where = [grid.samples[row, :, 0] for row in sampled.argmax(axis=0)]
        moving = bool(np.ptp(grid.root, axis=2).any())
        bound = self._sides(layer, *grid.root_pose) if moving else best[None]
        cells, spent, closed = grid.root, 0, self.rough
        while spent < min(BUDGET, ALL_LAYERS // len(self.scene.layers or (1,))) and not self.rough:
            open_sides = bound > best + TOLERANCE
            open_sides &= np.isfinite(best)
            keep = open_sides.any(axis=1)
            if not keep.any():
                closed = True
                break
            cells, bound = self._split(layer, cells[keep], best)
            spent += len(cells)
            points = ends_of(cells, ())
            tried = self._sides(layer, *self._pose(points))
            for side in range(4):
                row = int(tried[:, side].argmax())
                if tried[row, side] > best[side]:
                    best[side], where[side] = tried[row, side], points[row, :, 0]
        states = tuple(State.of(row) for row in where)
        left, top, right, bottom = (float(value) for value in _SIGNS * best)
        more = np.zeros(4) if closed else np.maximum(np.where(np.isfinite(best), bound.max(axis=0) - best, 0.0), 0.0)
        left_open = float(more[0]), float(more[1]), float(more[2]), float(more[3])
        return Need((left, top, right, bottom), (states[0], states[1], states[2], states[3]), left_open)

    def _split(self, layer: Layer, cells: Floats, best: Floats) -> tuple[Floats, Floats]:
        """Every cell in parts along the axis that tightens its bounds most, and their bounds [parts·N, 4]. Few cells are
        cut fine, since a bound of many costs hardly more than one of few."""
        parts = FINE if len(cells) <= FEW else 2
        axes = [axis for axis in range(4) if np.any(cells[:, axis, 0] < cells[:, axis, 1])]
        jumps = self.motion.jumps((layer,))
        tries = np.array([parted(cells, np.full(len(cells), axis), parts, jumps) for axis in axes])
        bounds = self._sides(layer, *self._pose(tries.reshape(-1, 4, 2))).reshape(len(axes), -1, 4)
        worst = bounds.reshape(len(axes), len(cells), parts, 4).max(axis=2)
        excess = np.maximum(np.minimum(worst, 1e9) - best - TOLERANCE, 0).sum(axis=2)
        chosen = excess.argmin(axis=0).repeat(parts)
        rows = np.arange(parts * len(cells))
        return tries[chosen, rows], bounds[chosen, rows]


def _digest(*parts: object) -> bytes:
    return hashlib.blake2b(repr([said(part) for part in parts]).encode(), digest_size=16).digest()


@dataclass(frozen=True)
class _Grid:
    """Driver cells [N, 4, 2] and their poses at the view's corners."""

    root: Floats
    samples: Floats
    root_pose: tuple[Pose, Patches]
    sample_pose: tuple[Pose, Patches]


def shortage(layer: Layer, need: Need) -> dict[str, float]:
    """Art pixels missing on each side (negative: to spare); −inf on an axis that repeats."""
    half_width, half_height = layer.art.width / 2, layer.art.height / 2
    missing = dict(zip(SIDES, np.abs(need.box) - [half_width, half_height, half_width, half_height], strict=True))
    for side, outward in zip(SIDES, need.box * _SIGNS, strict=True):
        if outward < 0:  # the view never reaches that side of the art's centre
            missing[side] = outward - (half_width if side in ("left", "right") else half_height)
    if layer.repeat.x != "none":
        missing["left"] = missing["right"] = -np.inf
    if layer.repeat.y != "none":
        missing["top"] = missing["bottom"] = -np.inf
    return {side: float(value) for side, value in missing.items()}
