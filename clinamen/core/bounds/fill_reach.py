"""Fill reach: how far behind a cut-out the move uncovers what was cut out of it.

Over all states, the outline as the piece F shows it and as the sheet behind B shows it come apart by at most
max ‖B⁻¹·F·p − B₀⁻¹·F₀·p‖ in B's own pixels, with B₀ and F₀ at rest. A point of F is seen along the ray
w = (X, D) − k_F·c; it meets a frontal sheet B at the share t = (D − k_B·c_z) / (D − k_F·c_z), so rotation and zoom of the
camera do not matter, and the displacement is linear in p: its largest length is taken on the outline's convex hull.
Bounded by interval arithmetic and split until known to half a pixel, as the gap search is; where a sheet is tilted the
keys and ends of all drivers are tried instead.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounds.boxes import at_pointer_ends
from clinamen.core.bounds.largest import largest
from clinamen.core.bounds.needs import Needs
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.document import Layer, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.prep.steps import Cut
from clinamen.core.stage import bound_camera, bound_sheet, corners, framed, project, stage, stage_at
from clinamen.core.stage.formula import carried_across

TOLERANCE = 0.5  # px of the sheet behind
HULL = 24  # points of the outline's hull that are followed
DENSE = 9  # states tried along each driver where a sheet is tilted


@dataclass(frozen=True)
class FillReach:
    """The reach in px of the sheet behind, and where it is needed: state and point of the view."""

    pixels: float
    state: State
    point: tuple[float, float]


def hull_of(layer: Layer, opaque: OpaqueSet | None) -> Floats:
    """The convex hull [N, 2] of what a layer shows, in px from its art's centre; where its pixels are not known, a box
    that holds it."""
    if opaque is None:
        return _cut_box(layer)
    hull = (opaque.shown or opaque).hull
    if hull is None:
        return corners(layer)
    if len(hull) > HULL:
        hull = hull[np.linspace(0, len(hull) - 1, HULL).astype(int)]
    return hull - np.array([layer.art.width, layer.art.height]) / 2


def _cut_box(layer: Layer) -> Floats:
    """The box of a layer's first cut that keeps what lies inside it, as far as its recipe leaves size and place alone."""
    whole = corners(layer)
    if layer.recipe is None or len({frame[:2] for frame in layer.recipe.frames()}) > 1:
        return whole
    for step in layer.recipe.steps:
        kept = step.kept_box() if step.on and isinstance(step, Cut) else None
        if kept is not None:
            left, top, right, bottom = kept
            box = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
            return np.clip(box - whole[2], whole[0], whole[2])
    return whole


def reach_between(
    scene: Scene, front: str, behind: str, opaque: OpaqueSet | None = None, needs: Needs | None = None
) -> FillReach:
    """How far the layer `behind` has to be filled behind the layer `front`; 0 where one of them is not in the scene."""
    layers = {layer.id: layer for layer in scene.layers}
    if front not in layers or behind not in layers:
        return FillReach(0.0, State(), (0.0, 0.0))
    needs = needs or Needs(scene)
    pair = _Pair(scene, needs, layers[front], layers[behind], hull_of(layers[front], opaque))
    samples = np.concatenate([needs.samples(layers[front]), needs.samples(layers[behind]), pair.grid()])
    best, state, which = pair.worst(np.unique(samples, axis=0))
    if pair.frontal and not needs.rough:
        jumps = needs.motion.jumps((layers[front], layers[behind]))
        best, state = largest(
            at_pointer_ends(pair.bounds),
            pair.bound,
            lambda states: pair.worst(states)[:2],
            (best, state),
            TOLERANCE,
            jumps,
        )
        which = pair.worst(state.row[None])[2]
    shown = project(stage_at(scene, state, needs.motion, (layers[front],)).sheets[0].matrix[0], pair.points)
    return FillReach(best, state, (float(shown[0][which, 0]), float(shown[0][which, 1])))


class _Pair:
    """A piece, the sheet behind it, and the points that are followed."""

    def __init__(self, scene: Scene, needs: Needs, front: Layer, behind: Layer, points: Floats) -> None:
        motion = needs.motion
        self.scene, self.motion, self.front, self.behind, self.points = scene, motion, front, behind, points
        self.bounds = needs.bounds
        mixes = [motion.of(layer)[angle] for layer in (front, behind) for angle in ("lean", "turn", "rotation")]
        carriages = [carriage for layer in (front, behind) for carriage in motion.carriages(layer)]
        self.frontal = all(mix.stays(0.0) for mix in [*mixes, *(x.mixes["rotation"] for x in carriages)])
        self.resting = [sheet.matrix for sheet in framed(scene, (front, behind)).sheets]

    def grid(self) -> Floats:
        """States along every driver, and their corners."""
        count = DENSE if not self.frontal else 2
        axes = [np.unique(np.linspace(low, high, count)) for low, high in self.bounds]
        return np.stack([axis.ravel() for axis in np.meshgrid(*axes, indexing="ij")], axis=1)

    def worst(self, states: Floats) -> tuple[float, State, int]:
        """The largest displacement at any of the states [N, 4], its state, and which point it is."""
        front, behind = stage(self.scene, States(*states.T), self.motion, (self.front, self.behind)).sheets
        moved = self._seen(front.matrix, behind.matrix)
        at_rest = self._seen(self.resting[0], self.resting[1])
        apart = np.linalg.norm(moved - at_rest, axis=2)
        apart = np.where(np.isfinite(apart), apart, 0.0)
        state, point = np.unravel_index(int(apart.argmax()), apart.shape)
        return float(apart[state, point]), State.of(states[state]), int(point)

    def _seen(self, front: Floats, behind: Floats) -> Floats:
        """Places of the piece's points on the sheet behind, [N, P, 2]."""
        homogeneous = np.column_stack([self.points, np.ones(len(self.points))])
        with np.errstate(divide="ignore", invalid="ignore"):
            on = np.linalg.solve(behind, front @ homogeneous.T)
            return np.swapaxes(on[:, :2] / on[:, 2:], 1, 2)

    def bound(self, cells: Floats) -> Floats:
        """Upper bound [N] of the displacement over cells of driver states [N, 4, 2]; frontal sheets only."""
        over = Cells.of(cells)
        camera = bound_camera(self.scene, self.motion, over)
        front, behind = (bound_sheet(camera, self.motion, layer, over) for layer in (self.front, self.behind))
        at_rest = self._seen(self.resting[0], self.resting[1])[0]
        worst = np.zeros(len(cells))
        for point, start in zip(self.points, at_rest, strict=True):
            on = carried_across(front, behind, (float(point[0]), float(point[1])))
            gone = [(at - Interval.point(float(rest))).largest for at, rest in zip(on, start, strict=True)]
            worst = np.maximum(worst, np.hypot(*gone))
        ahead = np.broadcast_to(front.origin[2].low, len(cells)) > 0
        return np.where(ahead, np.nan_to_num(worst, nan=np.inf), np.inf)
