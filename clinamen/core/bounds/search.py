"""The worst uncovered point over all driver states, found by bounding and subdividing, not by sampling.

At view point p in state σ the lack is the distance from p to the nearest opaque point, in view pixels, in the view or beyond its
edges; where any layer covers p it is negative. Where it is asked how large gaps are, the opaque points of every layer count as
near. Where it is asked which sides are open, those of broad layers alone do, if there are any: it is quicker, and nobody closes a
gap with leaves and railings.

A cell is a patch of the view times a box of driver states. For a whole cell the
lack is bounded from above by interval arithmetic; cells whose bound cannot beat what is already found are dropped,
the others are split, until nothing is left that could be worse by more than TOLERANCE (branch and bound).
"""

from collections.abc import Generator
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats
from clinamen.core.bounds.boxes import Patches, Pose, art_box, ends_of, parted
from clinamen.core.bounds.covering import covers
from clinamen.core.bounds.opaque import OPAQUE, OpaqueSet
from clinamen.core.document import Layer, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import AXES as STATE_AXES
from clinamen.core.motion.states import Cells, State, driver_bounds

TOLERANCE = 0.5  # view pixels: how exactly the worst lack is known
BATCH = 6000  # cells split at a time
BUDGET = 480_000  # cells, counted once for each layer asked of them, before the search says how far it got instead
CAREFUL = 80  # up to so many cells the best axis to split is found by trying each
FINE, FEW = 8, 24  # parts a cell is cut into while there are only a few of them
CLIMBS, STRIDES = 4, (1, 0.5, 0.25)  # steps towards a worse point from a bad one, and their lengths
SAMPLES = 10  # cells of a batch whose middle and ends are tried as a new worst
BROAD = 0.1  # of the view's area: a layer with an opaque rectangle this large is a broad one
UNCOVERED = 1e6  # bound where no layer is certain to be near
AXES = ("x", "y", *STATE_AXES)
MOST_TURNS = 24  # keys and overshoots of a track that are tried as likely worst states


@dataclass(frozen=True)
class Worst:
    """The largest lack found (`lack` view pixels at `point` in `state`), and `bound`: none is larger than this."""

    lack: float
    point: tuple[float, float]
    state: State
    bound: float
    tolerance: float = TOLERANCE

    @property
    def proved(self) -> bool:
        """True when the search closed in to its tolerance."""
        return self.bound <= max(self.lack, 0.0) + self.tolerance + 1e-6


Patch = tuple[float, float, float, float]  # left, top, right, bottom on the view


class Coverage:
    """A scene with its layers' opaque sets, asked for bounds of the lack over cells [N, 6, 2]; `within` a box of driver states
    [4, 2], or over all; `every` layer counts as near, not the broad ones alone."""

    def __init__(
        self,
        scene: Scene,
        sets: dict[str, OpaqueSet],
        motion: Motion | None = None,
        within: Floats | None = None,
        every: bool = False,
    ) -> None:
        self.scene = scene
        self.motion = motion or Motion(scene)
        covering = [(layer, sets[layer.id]) for layer in scene.layers if covers(scene, layer, sets[layer.id])]
        broad = {layer.id for layer, opaque in covering if _rect_share(scene, layer, opaque) >= BROAD}
        self.near = {layer.id for layer, _ in covering} if every or not broad else broad
        # where nothing turns the axes do not entangle, and the widest is the best to split
        tilted = any(layer.tilt.lean or layer.tilt.turn for layer, _ in covering)
        carriages = [carriage for layer, _ in covering for carriage in self.motion.carriages(layer)]
        self.slides = self.motion.camera_slides and not tilted and not any(by.turns_or_grows for by in carriages)
        self.jumps = (np.zeros(0), np.zeros(0), *self.motion.jumps(layer for layer, _ in covering))
        bounds = driver_bounds(scene)
        self.box = np.array([bounds[axis] for axis in STATE_AXES]) if within is None else within
        self.whole = np.array([scene.view.width, scene.view.height, *(max(bounds[a][1], 1e-9) for a in AXES[2:])])
        # the widest cover decides most cells, so it is asked first
        self.asked = 0  # cells that layers were asked of so far
        self.layers = sorted(covering, key=lambda item: -item[1].area * item[0].art.width * item[0].framing.scale)

    def still_axes(self) -> list[int]:
        """Axes of a cell that nothing here depends on: no track of the camera or of a covering layer runs over them."""
        shown = {"camera", *(layer.id for layer, _ in self.layers)}
        driven = {axis for target in shown for term in self.motion.terms(target) for axis in term.axes}
        return [AXES.index(axis) for axis in STATE_AXES if axis not in driven]

    def bounds(self, cells: Floats) -> tuple[Floats, NDArray[np.intp]]:
        """Upper bound of the lack [N] over cells, and which layer (index into `layers`, −1: none) decided it."""
        worst = np.full(len(cells), UNCOVERED)
        decided = np.full(len(cells), -1, dtype=np.intp)
        open_cells = np.arange(len(cells))
        pose = Pose(self.scene, self.motion, _driver_cells(cells))
        for index, (layer, opaque) in enumerate(self.layers):
            if not len(open_cells):
                break
            lack = self._layer_bound(layer, opaque, cells[open_cells], pose)
            better = lack < worst[open_cells]
            worst[open_cells[better]] = lack[better]
            decided[open_cells[better]] = index
            still = np.flatnonzero(worst[open_cells] > 0)
            if len(still) < len(open_cells):
                open_cells, pose = open_cells[still], pose.select(still)
        return worst, decided

    def full_bounds(self, cells: Floats) -> tuple[Floats, NDArray[np.intp]]:
        """Bounds of the lack [N] with every layer asked, so that the depth of cover of covered cells is known too."""
        pose = Pose(self.scene, self.motion, _driver_cells(cells))
        lacks = np.array([self._layer_bound(layer, opaque, cells, pose) for layer, opaque in self.layers])
        return lacks.min(axis=0), lacks.argmin(axis=0)

    def lack_of(self, index: int, cells: Floats) -> Floats:
        """Upper bound of the lack [N] if only layer `index` of `layers` were there."""
        return self._layer_bound(*self.layers[index], cells, Pose(self.scene, self.motion, _driver_cells(cells)))

    def _layer_bound(self, layer: Layer, opaque: OpaqueSet, cells: Floats, pose: Pose) -> Floats:
        self.asked += len(cells)
        box = art_box(pose, layer, _patches(cells))
        repeat = layer.repeat
        with np.errstate(invalid="ignore"):
            far = opaque.farthest(box.a, box.b, repeat.x != "none", repeat.y != "none")
            lack = np.where(far > 0, far * box.scale.high, far * np.maximum(box.scale.low, 0)) + 2 * box.blur.high
        if layer.id not in self.near:
            lack = np.where(lack > 0, UNCOVERED, lack)
        sure = box.seen & (box.opacity.low * 255 >= OPAQUE) & np.isfinite(lack)
        return np.where(sure, lack, UNCOVERED)

    def spreads(self, cells: Floats, decided: NDArray[np.intp]) -> Floats:
        """How far [N, 6] the deciding layer's art box stretches along each axis of its cell, in view pixels."""
        out = np.zeros((len(cells), 6))
        middle = cells.mean(axis=2, keepdims=True).repeat(2, axis=2)
        for index in np.unique(decided):
            mine = np.flatnonzero(decided == index)
            if index < 0:  # no layer is near for certain: halve the widest axis, counted in shares of its whole
                out[mine] = (cells[mine, :, 1] - cells[mine, :, 0]) / self.whole * UNCOVERED
                continue
            axes = [axis for axis in range(6) if np.any(cells[mine, axis, 0] != cells[mine, axis, 1])]
            if not axes:
                continue
            each = np.tile(middle[mine], (len(axes), 1, 1, 1))  # one axis as wide as it is, the others at their middles
            for row, axis in enumerate(axes):
                each[row, :, axis] = cells[mine, axis]
            only = each.reshape(-1, 6, 2)
            box = art_box(Pose(self.scene, self.motion, _driver_cells(only)), self.layers[index][0], _patches(only))
            with np.errstate(invalid="ignore"):
                width = np.maximum(box.a.width, box.b.width) * np.maximum(box.scale.high, 0)
                fade = np.where(box.opacity.low < box.opacity.high, UNCOVERED, 0.0)
            spread = np.nan_to_num(width + fade, nan=UNCOVERED, posinf=UNCOVERED)
            out[mine[:, None], axes] = np.broadcast_to(spread, len(only)).reshape(len(axes), -1).T
        return out


def _rect_share(scene: Scene, layer: Layer, opaque: OpaqueSet) -> float:
    """Area of a layer's opaque rectangle, as framed, as a share of the view's."""
    if opaque.rect is None:
        return 0.0
    left, top, right, bottom = opaque.rect
    return (right - left) * (bottom - top) * layer.framing.scale**2 / (scene.view.width * scene.view.height)


def _driver_cells(cells: Floats) -> Cells:
    return Cells.of(cells[:, 2:])


def _patches(cells: Floats) -> Patches:
    return Patches(*(Interval.between(cells[:, axis, 0], cells[:, axis, 1]) for axis in range(2)))


def root_cell(coverage: Coverage, patch: Patch) -> Floats:
    """The cell [1, 6, 2] of a view patch (left, top, right, bottom) over all driver states that are asked for."""
    left, top, right, bottom = patch
    return np.array([[(left, right), (top, bottom), *coverage.box]])


def points_of(cells: Floats) -> Floats:
    """The middles of cells, as cells without extent [N, 6, 2]."""
    return cells.mean(axis=2, keepdims=True).repeat(2, axis=2)


def critical_points(coverage: Coverage, root: Floats, along: int = 9) -> Floats:
    """Likely worst points [N, 6, 2]: every key and overshoot of every track, the pointer's ends, along the patch."""
    stops: dict[str, set[float]] = {axis: {*root[0, i]} for i, axis in enumerate(AXES)}
    shown = {"camera", *(layer.id for layer, _ in coverage.layers)}
    terms = [term for target in shown for term in coverage.motion.terms(target)]
    for axis in STATE_AXES:
        low, high = root[0, AXES.index(axis)]
        stops[axis] |= {at for at in coverage.motion.turns(terms, axis, MOST_TURNS) if low <= at <= high}
    stops["x"] = (
        set(np.linspace(root[0, 0, 0], root[0, 0, 1], along)) if root[0, 0, 0] < root[0, 0, 1] else {root[0, 0, 0]}
    )
    stops["y"] = (
        set(np.linspace(root[0, 1, 0], root[0, 1, 1], along)) if root[0, 1, 0] < root[0, 1, 1] else {root[0, 1, 0]}
    )
    grid = np.meshgrid(*(np.array(sorted(stops[axis])) for axis in AXES), indexing="ij")
    points = np.stack([axis.ravel() for axis in grid], axis=1)
    if len(points) > BATCH:
        points = points[np.linspace(0, len(points) - 1, BATCH).astype(int)]
    return points[:, :, None].repeat(2, axis=2)


@dataclass(frozen=True)
class Start:
    """The start of a search: all of its patch as one cell with the cell's bound, and the worst of the likely points."""

    root: Floats
    upper: Floats
    decided: NDArray[np.intp]
    best: float
    best_cell: Floats


def starts_of(coverage: Coverage, patches: list[Patch], floor: float = 0.0) -> list[Start]:
    """Starts of the searches of some patches, bounded at once: a bound of many cells costs little more."""
    if not patches:
        return []
    roots = [root_cell(coverage, patch) for patch in patches]
    points = []
    for root in roots:
        for axis in coverage.still_axes():  # left at their start, or at rest where rest is not an end
            root[0, axis] = min(max(0.0, root[0, axis, 0]), root[0, axis, 1])
        points.append(critical_points(coverage, root))
    bound = coverage.bounds if floor == 0 else coverage.full_bounds
    uppers, decided = bound(np.concatenate([*roots, *points]))
    found, row = [], len(roots)
    for index, (root, tried) in enumerate(zip(roots, points, strict=True)):
        lacks = uppers[row : row + len(tried)]
        worst, row = int(np.argmax(lacks)), row + len(tried)
        at = slice(index, index + 1)
        found.append(Start(root, uppers[at], decided[at], float(lacks[worst]), tried[worst]))
    return found


@dataclass(frozen=True)
class Sought:
    """Aim of a search: the worst lack over a view patch and all driver states. Nothing below `floor` is looked into:
    with 0 the answer is whether there is a gap, with −inf how much is to spare. More than `enough` is not looked for; it is
    `known` that there is no more than so much. After `budget` cells, counted once for each layer asked, it says how far it got.
    `tolerance`: how exactly the worst is to be known, view px."""

    patch: Patch
    floor: float = 0.0
    enough: float = np.inf
    known: float = np.inf
    budget: int = BUDGET
    tolerance: float = TOLERANCE


def find_worst(
    coverage: Coverage,
    patch: Patch,
    floor: float = 0.0,
    enough: float = np.inf,
    budget: int = BUDGET,
    tolerance: float = TOLERANCE,
) -> Worst:
    """The worst of one patch; see `Sought`."""
    return find_worsts(coverage, [Sought(patch, floor, enough, budget=budget, tolerance=tolerance)])[0]


def find_worsts(coverage: Coverage, sought: list[Sought]) -> list[Worst]:
    """The worst of several patches, all of one floor, searched side by side: many cells are bounded nearly as quickly as few."""
    if not coverage.layers:
        return [Worst(UNCOVERED, (each.patch[0], each.patch[1]), State(), UNCOVERED) for each in sought]
    floor = sought[0].floor if sought else 0.0
    bounds = coverage.bounds if floor == 0 else coverage.full_bounds
    starts = starts_of(coverage, [each.patch for each in sought], floor)
    searches = [_search(coverage, each, start) for each, start in zip(sought, starts, strict=True)]
    found: dict[int, Worst] = {}
    wanted: dict[int, Floats] = {}
    for index, search in enumerate(searches):
        _go_on(index, search, None, wanted, found)
    while wanted:
        rows, before = list(wanted), coverage.asked
        uppers, decided = bounds(np.concatenate([wanted[row] for row in rows]))
        asked, at = coverage.asked - before, 0
        for row in rows:
            mine = slice(at, at + len(wanted[row]))
            at = mine.stop
            share = round(asked * (mine.stop - mine.start) / max(1, len(uppers)))
            _go_on(row, searches[row], (uppers[mine], decided[mine], share), wanted, found)
    return [found[index] for index in range(len(sought))]


Bounds = tuple[
    Floats, NDArray[np.intp], int
]  # of the cells asked for, who decided them, and how many a layer was asked of
T = TypeVar("T")
Asking = Generator[Floats, Bounds, T]


def _go_on(
    index: int, search: "Asking[Worst]", told: Bounds | None, wanted: dict[int, Floats], found: dict[int, Worst]
) -> None:
    """Let a search go on until it wants to know more, or has found what it looks for."""
    try:
        wanted[index] = next(search) if told is None else search.send(told)
    except StopIteration as ended:
        wanted.pop(index, None)
        found[index] = ended.value


def _search(coverage: Coverage, sought: Sought, start: Start) -> "Asking[Worst]":
    floor, enough, tolerance = sought.floor, sought.enough, sought.tolerance
    cells, uppers, decided = start.root, start.upper, start.decided
    best, best_cell = start.best, start.best_cell
    if floor < best <= enough and len(cells) and uppers.max() > best + tolerance:  # what is bad here is worse beside it
        best, best_cell = yield from _climbed(start.root[0], best, best_cell)
    spent, ceiling = 0, -np.inf
    while best <= enough:
        uppers = np.minimum(uppers, sought.known)
        keep = uppers > max(best, floor) + tolerance
        cells, uppers, decided = cells[keep], uppers[keep], decided[keep]
        if not len(cells):
            break
        if spent > sought.budget:
            ceiling = float(uppers.max())
            break
        order = np.argsort(-uppers, kind="stable")
        now, later = order[:BATCH], order[BATCH:]
        tried = ends_of(cells[now[:SAMPLES]], (0, 1, 3, 4))
        halves, new_uppers, new_decided, lacks, asked = yield from _split(coverage, cells[now], decided[now], tried)
        spent += asked
        if lacks.max() > best:
            best, best_cell = float(lacks.max()), tried[int(lacks.argmax())]
        cells = np.concatenate([halves, cells[later]])
        uppers = np.concatenate([np.minimum(new_uppers, uppers[now].repeat(len(halves) // len(now))), uppers[later]])
        decided = np.concatenate([new_decided, decided[later]])
    if best > enough:  # what is left may be worse still
        ceiling = float(uppers.max(initial=-np.inf))
    x, y, scroll, u, v, time = (float(value) for value in best_cell[:, 0])
    bound = max(best + tolerance, floor + tolerance, ceiling)
    return Worst(best, (x, y), State(scroll, (u, v), time), bound, tolerance)


def likely_worst(coverage: Coverage, patch: Patch) -> Worst:
    """The worst of the likely points alone: quick, and never more than there is."""
    root = root_cell(coverage, patch)
    if not coverage.layers:
        return Worst(UNCOVERED, (patch[0], patch[1]), State(), UNCOVERED)
    points = critical_points(coverage, root)
    lacks = coverage.bounds(points)[0]
    worst = int(np.argmax(lacks))
    x, y, scroll, u, v, time = (float(value) for value in points[worst][:, 0])
    return Worst(float(lacks[worst]), (x, y), State(scroll, (u, v), time), np.inf)


def _climbed(root: Floats, best: float, best_cell: Floats) -> "Asking[tuple[float, Floats]]":
    """A worse point near a bad one, within the cell `root`: along each axis both ways, by steps of several lengths that grow
    shorter. The sooner a bad point is known, the more cells need not be looked into."""
    extent = root[:, 1] - root[:, 0]
    axes, step = np.flatnonzero(extent > 0), extent / 4
    for _ in range(CLIMBS):
        ways = [sign * share * step * (np.arange(6) == axis) for axis in axes for share in STRIDES for sign in (1, -1)]
        tried = np.clip(best_cell[:, 0] + np.reshape(ways, (-1, 6)), root[:, 0], root[:, 1])
        lacks, *_ = yield as_cells(tried)
        row = int(lacks.argmax()) if len(lacks) else 0
        if len(lacks) and lacks[row] > best:
            best, best_cell = float(lacks[row]), as_cells(tried[row : row + 1])[0]
        else:
            step = step * STRIDES[-1] / 2
    return best, best_cell


def _split(
    coverage: Coverage, cells: Floats, decided: NDArray[np.intp], tried: Floats
) -> "Asking[tuple[Floats, Floats, NDArray[np.intp], Floats, int]]":
    """The parts of every cell with their bounds, the lacks at the points `tried`, and how many cells a layer was asked of: a
    few cells are cut along the axis that tightens the bound most, many along the one that widens the deciding layer's art box
    most, which is quicker to tell. Parts and points are asked for at once, since a bound of few costs as much as one of many."""
    extent = cells[:, :, 1] - cells[:, :, 0]
    if len(cells) > CAREFUL or coverage.slides:
        spreads = np.where(extent > 0, coverage.spreads(cells, decided) + 1e-9 * extent, -1.0)
        halves = parted(cells, np.argmax(spreads, axis=1), 2, coverage.jumps)
        uppers, deciders, asked = yield np.concatenate([halves, tried])
        count = len(halves)
        return halves, uppers[:count], deciders[:count], uppers[count:], asked
    axes = [axis for axis in range(6) if np.any(extent[:, axis] > 0)]
    parts = FINE if len(cells) <= FEW else 2
    tries = np.array([parted(cells, np.full(len(cells), axis), parts, coverage.jumps) for axis in axes])
    uppers, deciders, asked = yield np.concatenate([tries.reshape(-1, 6, 2), tried])
    uppers, lacks = np.split(uppers, [len(uppers) - len(tried)])
    uppers, deciders = uppers.reshape(len(axes), -1), deciders[: len(uppers)].reshape(len(axes), -1)
    children = uppers.reshape(len(axes), -1, parts)
    # the worst part first; between equals their mean, then the longer axis
    score = children.max(axis=2) + 0.1 * children.mean(axis=2) - 1e-6 * (extent[:, axes] / coverage.whole[axes]).T
    score = np.where(extent[:, axes].T > 0, score, np.inf)
    chosen = score.argmin(axis=0).repeat(parts)
    rows = np.arange(parts * len(cells))
    return tries[chosen, rows], uppers[chosen, rows], deciders[chosen, rows], lacks, asked


def settled(coverage: Coverage, worsts: list[Worst]) -> list[Worst]:
    """The same worsts with every driver that does not matter to one put to rest, and the others rounded, so they read well."""
    points = np.array([cell_point(worst) for worst in worsts]).reshape(-1, 6)
    least = np.array([worst.lack - TOLERANCE / 2 for worst in worsts])
    for axis in range(2, 6):
        if not points[:, axis].any():
            continue
        at = points[:, axis]
        # what ends just before a jump is rounded down
        rounded = np.stack(
            [0.0 * at, at.round(2), np.floor(at * 1e2) / 1e2, at.round(4), np.floor(at * 1e4) / 1e4], axis=1
        )
        tried = points[:, None].repeat(rounded.shape[1], axis=1)
        tried[:, :, axis] = rounded
        lacks = coverage.full_bounds(as_cells(tried.reshape(-1, 6)))[0].reshape(-1, rounded.shape[1])
        for row, as_bad in enumerate(lacks >= least[:, None]):
            if as_bad.any():
                points[row] = tried[row, as_bad.argmax()]
    return [replace(worst, state=State.of(point[2:])) for worst, point in zip(worsts, points, strict=True)]


def cell_point(worst: Worst) -> Floats:
    """(x, y, scroll, u, v, time) of a worst."""
    return np.concatenate([worst.point, worst.state.row])


def as_cells(points: Floats) -> Floats:
    """The cells without extent [N, 6, 2] at points [N, 6] of (x, y, scroll, u, v, time)."""
    return points[:, :, None].repeat(2, axis=2)
