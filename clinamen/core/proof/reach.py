"""Fill reach: how far behind a cut-out the move uncovers what was cut out of it.

Over all states, the outline as the piece F shows it and as the sheet behind B shows it come apart by at most
max ‖B⁻¹·F·p − B₀⁻¹·F₀·p‖ in B's own pixels, with B₀ and F₀ at rest. A point of F is seen along the ray
w = (X, D) − k_F·c; it meets a frontal sheet B at the share t = (D − k_B·c_z) / (D − k_F·c_z), so rotation and zoom of the
camera do not matter, and the displacement is linear in p: its largest length is taken on the outline's convex hull.
Bounded by interval arithmetic and split until known to half a pixel, as the gap search is; where a sheet is tilted the
keys and ends of all drivers are tried instead.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from clinamen.core.document import Layer, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.easing import Floats
from clinamen.core.motion.pose import Cells, Motion, State, States, driver_bounds
from clinamen.core.placement import corners, place, place_at, project
from clinamen.core.prep.steps import AssistedCut, OutlineCut, RectangleCut
from clinamen.core.proof.boxes import ends_of, parted
from clinamen.core.proof.needs import Needs
from clinamen.core.proof.opaque import OpaqueSet

TOLERANCE = 0.5  # px of the sheet behind
BUDGET = 20_000
HULL = 24  # points of the outline's hull that are followed
DENSE = 9  # states tried along each driver where a sheet is tilted


@dataclass(frozen=True)
class Reach:
    """The reach in px of the sheet behind, and where it is needed: state and point of the view."""

    pixels: float
    state: State
    point: tuple[float, float]


def hull_of(layer: Layer, opaque: OpaqueSet | None) -> Floats:
    """The convex hull [N, 2] of what a layer shows, in px from its art's centre; where its pixels are not known, a box
    that holds it."""
    if opaque is None:
        return _cut_box(layer)
    if opaque.mask is None or not opaque.mask.any():
        return corners(layer)
    ys, xs = np.nonzero(opaque.mask)
    rows = np.unique(ys, return_index=True)[1]
    last = np.append(rows[1:], len(ys)) - 1
    ends = np.concatenate([np.stack([xs[rows], ys[rows]], 1), np.stack([xs[last] + 1, ys[last] + 1], 1)])
    hull = cv2.convexHull(ends.astype(np.int32))[:, 0].astype(float)
    if len(hull) > HULL:
        hull = hull[np.linspace(0, len(hull) - 1, HULL).astype(int)]
    return hull - np.array([layer.art.width, layer.art.height]) / 2


def _cut_box(layer: Layer) -> Floats:
    """The box of a layer's first cut that keeps what lies inside it, as far as its recipe leaves size and place alone."""
    whole = corners(layer)
    if layer.recipe is None or len({frame[:2] for frame in layer.recipe.frames()}) > 1:
        return whole
    for step in layer.recipe.steps:
        if not step.on or not isinstance(step, (AssistedCut, OutlineCut, RectangleCut)) or step.invert:
            continue
        if isinstance(step, OutlineCut):
            at = [(n.x + dx, n.y + dy) for n in step.nodes for dx, dy in ((n.in_x, n.in_y), (0, 0), (n.out_x, n.out_y))]
        else:
            at = [(step.box.x, step.box.y), (step.box.x + step.box.width, step.box.y + step.box.height)]
        (left, top), (right, bottom) = np.min(at, axis=0), np.max(at, axis=0)
        box = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
        return np.clip(box - whole[2], whole[0], whole[2])
    return whole


def reach_between(
    scene: Scene, front: str, behind: str, opaque: OpaqueSet | None = None, needs: Needs | None = None
) -> Reach:
    """How far the layer `behind` has to be filled behind the layer `front`; 0 where one of them is not in the scene."""
    layers = {layer.id: layer for layer in scene.layers}
    if front not in layers or behind not in layers:
        return Reach(0.0, State(), (0.0, 0.0))
    needs = needs or Needs(scene)
    pair = _Pair(scene, needs.motion, layers[front], layers[behind], hull_of(layers[front], opaque))
    samples = np.concatenate([needs.samples(layers[front]), needs.samples(layers[behind]), pair.grid()])
    best, state, which = pair.worst(np.unique(samples, axis=0))
    if pair.frontal:
        best, state = _search(pair, best, state)
        which = pair.worst(np.array([[state.scroll, *state.pointer, state.time]]))[2]
    shown = project(
        place_at(scene.model_copy(update={"layers": (layers[front],)}), state, needs.motion)[0].matrix[0], pair.points
    )
    return Reach(best, state, (float(shown[0][which, 0]), float(shown[0][which, 1])))


class _Pair:
    """A piece, the sheet behind it, and the points that are followed."""

    def __init__(self, scene: Scene, motion: Motion, front: Layer, behind: Layer, points: Floats) -> None:
        self.scene, self.motion, self.front, self.behind, self.points = scene, motion, front, behind, points
        self.bounds = np.array(list(driver_bounds(scene).values()))
        own = [*motion.curves.get(front.id, ()), *motion.curves.get(behind.id, ())]
        tilted = any(curve.channel in ("lean", "turn", "rotation") for curve in own)
        self.frontal = not tilted and not any((*_angles(front), *_angles(behind)))

    def grid(self) -> Floats:
        """States along every driver, and their corners."""
        count = DENSE if not self.frontal else 2
        axes = [np.unique(np.linspace(low, high, count)) for low, high in self.bounds]
        return np.stack([axis.ravel() for axis in np.meshgrid(*axes, indexing="ij")], axis=1)

    def worst(self, states: Floats) -> tuple[float, State, int]:
        """The largest displacement at any of the states [N, 4], its state, and which point it is."""
        scene = self.scene.model_copy(update={"layers": (self.front, self.behind), "camera": self.scene.camera})
        front, behind = place(scene, States(*states.T), self.motion)
        moved = self._seen(front.matrix, behind.matrix)
        resting = _resting(scene)
        at_rest = self._seen(resting[0], resting[1])
        apart = np.linalg.norm(moved - at_rest, axis=2)
        apart = np.where(np.isfinite(apart), apart, 0.0)
        state, point = np.unravel_index(int(apart.argmax()), apart.shape)
        u = states[state]
        return float(apart[state, point]), State(float(u[0]), (float(u[1]), float(u[2])), float(u[3])), int(point)

    def _seen(self, front: Floats, behind: Floats) -> Floats:
        """Where the points [N, P, 2] of the piece stand on the sheet behind."""
        homogeneous = np.column_stack([self.points, np.ones(len(self.points))])
        with np.errstate(divide="ignore", invalid="ignore"):
            on = np.linalg.solve(behind, front @ homogeneous.T)
            return np.swapaxes(on[:, :2] / on[:, 2:], 1, 2)

    def bound(self, cells: Floats) -> Floats:
        """Upper bound [N] of the displacement over cells of driver states [N, 4, 2]; frontal sheets only."""
        over = Cells(*(Interval(cells[:, axis, 0], cells[:, axis, 1]) for axis in range(4)))
        camera = self.motion.camera_range(over)
        f, b = self.motion.layer_range(self.front, over), self.motion.layer_range(self.behind, over)
        distance = self.scene.lens_distance
        rate_f, rate_b = (_rate(layer["depth"], distance) for layer in (f, b))
        full = Interval.point(distance)
        ahead = full - rate_f * camera["z"]
        still = bool(np.all(camera["z"].low == 0) and np.all(camera["z"].high == 0))
        share = Interval.point(1.0) if still else (full - rate_b * camera["z"]) * ahead.inverse()
        rest = (self.front.framing, self.behind.framing)
        worst = np.zeros(len(cells))
        for a, c in self.points:
            total = Interval.point(0.0)
            for axis, at in (("x", a), ("y", c)):
                on = share * (f[axis] + f["scale"] * Interval.point(at)) - b[axis]
                moved = (on - (share * rate_f - rate_b) * camera[axis]) * b["scale"].inverse()
                start = (getattr(rest[0], axis) + rest[0].scale * at - getattr(rest[1], axis)) / rest[1].scale
                gone = (moved - Interval.point(start)).largest
                total = total + Interval(gone**2, gone**2)
            worst = np.maximum(worst, np.sqrt(total.high))
        return np.where(np.broadcast_to(ahead.low, len(cells)) > 0, np.nan_to_num(worst, nan=np.inf), np.inf)


def _angles(layer: Layer) -> tuple[float, float, float]:
    return layer.tilt.lean, layer.tilt.turn, layer.framing.rotation


def _rate(depth: Interval, distance: float) -> Interval:
    return Interval(distance / (distance + depth.high), distance / np.maximum(distance + depth.low, 1e-9 * distance))


def _resting(scene: Scene) -> tuple[Floats, Floats]:
    """Both sheets' matrices [1, 3, 3] as framed: camera at zero, no driver."""
    plain = scene.model_copy(update={"camera": type(scene.camera)(), "tracks": (), "drivers": type(scene.drivers)()})
    front, behind = place_at(plain, State())
    return front.matrix, behind.matrix


def _search(pair: _Pair, best: float, state: State) -> tuple[float, State]:
    """The largest displacement over all states, known to TOLERANCE."""
    cells, spent = pair.bounds[None].astype(float), 0
    while spent < BUDGET:
        bound = pair.bound(cells)
        keep = (bound > best + TOLERANCE) & np.isfinite(bound)
        if not keep.any():
            break
        cells = cells[keep]
        wide = (cells[:, :, 1] - cells[:, :, 0]) / np.maximum(pair.bounds[:, 1] - pair.bounds[:, 0], 1e-12)
        cells = parted(cells, wide.argmax(axis=1), 2)
        spent += len(cells)
        tried = pair.worst(np.unique(ends_of(cells, (0, 1, 2, 3))[:, :, 0], axis=0))
        if tried[0] > best:
            best, state = tried[0], tried[1]
    return best, state
