"""Cut: an actor, or what stands on the ground, rests wholly in the view but is cut by its edge at some state, and never
leaves it.

What goes out altogether at some state was meant to go. The largest cut is closed in on by bounds, as far as the layer's
outline is followed; what is not an actor and has no foot is only noted.
"""

from dataclasses import dataclass
from functools import partial

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounds.boxes import at_pointer_ends
from clinamen.core.bounds.fill_reach import hull_of
from clinamen.core.bounds.largest import largest
from clinamen.core.checks.base import Check, Finding, Fix, Severity, Subject, Where, describe_state, register
from clinamen.core.checks.less import less_move
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.interval import Interval
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.quantities import shown
from clinamen.core.stage import bound_camera, bound_sheet, framed, project, stage

TOLERANCE = 0.5  # view px
LEAST = 2.0  # view px
SMALL = 0.9  # of the view's width and height: what is larger fills it and is no subject
SIDES = ("left", "top", "right", "bottom")


@register
class CutCheck(Check):
    id = "cut"
    name = "cut subject"
    plural = "cut subjects"
    description = "An actor or subject is cut by the view's edge."
    sure = "bounded over all states to half a view pixel, for 24 points of the outline"
    spread = "local"

    def short(self, finding: Finding) -> str:
        return f"{shown(finding.amount, 0)} px cut off on the {finding.side}"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for layer in seen_layers(subject.scene):
            if layer.repeats or layer.depth == "infinite" or layer.opacity <= 0:
                continue
            worst = subject.kept(self.id, layer, partial(_worst, subject, layer))
            if worst is not None:
                found.append(self._finding(subject, layer, *worst))
        return sorted(found, key=lambda finding: -finding.amount)

    def _finding(self, subject: Subject, layer: Layer, cut: float, state: State, edge: str, where: Where) -> Finding:
        severity: Severity = "warning" if layer.frames is not None or layer.foot is not None else "note"
        message = (
            f"{layer.label} rests in the view and is cut by {shown(cut, 1)} px on the {edge} "
            f"({describe_state(subject.scene, state)})"
        )
        fixes = _fixes(subject, layer) if subject.with_fixes else ()
        return Finding(self.id, severity, layer.id, state, cut, self.unit, where, message, edge, fixes)


def _worst(subject: Subject, layer: Layer) -> tuple[float, State, str, Where] | None:
    """The largest cut, its state, side and place; None where there is none, or the layer leaves altogether."""
    followed = _Followed(subject, layer)
    if not followed.rests_inside:
        return None
    cut, state = followed.worst()
    if cut <= LEAST or followed.gone(state):
        return None
    return cut, state, SIDES[followed.side(state)], followed.where(state)


def _fixes(subject: Subject, layer: Layer) -> tuple[Fix, ...]:
    """Less of what moves it, by the driver that cures it alone."""

    def over(scene: Scene) -> float:
        return _Followed(Subject(scene, subject.sets, False), scene.layer(layer.id)).worst()[0] - LEAST

    return less_move(subject.scene, over)


@dataclass(frozen=True)
class _Extent:
    low: Floats
    high: Floats


class _Followed:
    """A layer's outline followed over all states."""

    def __init__(self, subject: Subject, layer: Layer) -> None:
        self.subject, self.layer = subject, layer
        self.points = hull_of(layer, subject.sets.get(layer.id))
        view = subject.scene.view
        self.size = np.array([view.width, view.height], float)

    @property
    def rests_inside(self) -> bool:
        """True where all of it is in the picture as it was composed, and it does not fill that."""
        seen, ahead = project(framed(self.subject.scene, (self.layer,)).sheets[0].matrix[0], self.points)
        inside = (ahead > 0).all() and (seen >= -TOLERANCE).all() and (seen <= self.size + TOLERANCE).all()
        return bool(inside and (np.ptp(seen, axis=0) < SMALL * self.size).all())

    def _extent(self, states: Floats) -> _Extent:
        """The box [N, 2] of the outline at states [N, 4]."""
        matrices = stage(self.subject.scene, States(*states.T), self.subject.motion, (self.layer,)).sheets[0].matrix
        homogeneous = np.column_stack([self.points, np.ones(len(self.points))])
        on = matrices @ homogeneous.T
        with np.errstate(divide="ignore", invalid="ignore"):
            seen = np.where(on[:, 2:] > 0, on[:, :2] / on[:, 2:], np.nan)
        return _Extent(np.nan_to_num(np.nanmin(seen, axis=2), nan=0.0), np.nan_to_num(np.nanmax(seen, axis=2), nan=0.0))

    def _over(self, extent: _Extent) -> Floats:
        """How far [N, 4] the outline reaches over the view's sides."""
        return np.concatenate([-extent.low, extent.high - self.size], axis=1)

    def worst(self) -> tuple[float, State]:
        """How far it reaches over any side of the view at most, and where."""

        def tried(states: Floats) -> tuple[float, State]:
            over = self._over(self._extent(states)).max(axis=1)
            row = int(over.argmax())
            return float(over[row]), State.of(states[row])

        needs = self.subject.needs
        sampled = tried(needs.samples(self.layer))
        if needs.rough:
            return sampled
        roots = at_pointer_ends(needs.bounds)
        return largest(roots, self._bound, tried, sampled, TOLERANCE, needs.motion.jumps((self.layer,)))

    def _bound(self, cells: Floats) -> Floats:
        """Upper bounds [N] of the same over cells of driver states."""
        over = Cells.of(cells)
        camera = bound_camera(self.subject.scene, self.subject.motion, over)
        rows = bound_sheet(camera, self.subject.motion, self.layer, over).homography()
        a, b = (Interval.point(side[None, :]) for side in self.points.T)
        x, y, z = (_upright(row[0]) * a + _upright(row[1]) * b + _upright(row[2]) for row in rows)
        ahead = np.broadcast_to(z.low, (len(cells), len(self.points))) > 0
        farther = z.inverse()
        reach = np.full((len(cells), len(self.points)), -np.inf)
        for axis, at in enumerate((x * farther, y * farther)):
            reach = np.maximum(reach, np.maximum(-at.low, at.high - self.size[axis]))
        return np.where(ahead, reach, np.inf).max(axis=1)

    def side(self, state: State) -> int:
        """Which side of the view it reaches over farthest at a state."""
        return int(self._over(self._at(state))[0].argmax())

    def _at(self, state: State) -> _Extent:
        return self._extent(np.array([[state.scroll, *state.pointer, state.time]]))

    def gone(self, state: State) -> bool:
        """True where it is wholly out of the view."""
        extent = self._at(state)
        return bool((extent.high[0] <= 0).any() or (extent.low[0] >= self.size).any())

    def where(self, state: State) -> Where:
        extent = self._at(state)
        low, high = extent.low[0].clip(0, self.size), extent.high[0].clip(0, self.size)
        return Where(*low.tolist(), *(high - low).tolist())


def _upright(bounds: Interval) -> Interval:
    """Bounds [N] as a column [N, 1], to go with every point."""
    return Interval(np.atleast_1d(bounds.low)[:, None], np.atleast_1d(bounds.high)[:, None])
