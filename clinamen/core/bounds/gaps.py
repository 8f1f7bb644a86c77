"""The gaps of a scene: for each side of the view, and for its inside, the opening at the state where it is largest.

Where the view is open is found by the search over all states: the whole view for the largest gap, its four edges and its inside
for the others. How large an opening is, and which side it belongs to, is measured at single states (`opening`).
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from math import inf

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounds.needs import SIDES
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.bounds.opening import ALIKE, NEAR_PIXELS, GapOpening, GapOpenings
from clinamen.core.bounds.search import (
    TOLERANCE,
    UNCOVERED,
    Coverage,
    Patch,
    Sought,
    Worst,
    critical_points,
    find_worst,
    find_worsts,
    root_cell,
    settled,
)
from clinamen.core.document import Scene
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, evenly_spread

# cells times layers: how long is searched for the largest gap, and beside that along an edge or inside. That there is none is
# proved with the whole budget; how large a gap is is measured where it is found, and what is still open is said
LONG_LOOK, INSIDE_LOOK, SHORT_LOOK = 12_000, 6_000, 2_000
# the same to prove that a cure leaves nothing of a gap, and along its side before
PROOF_LOOK, LINE_LOOK = 48_000, 12_000
# view pixels between an edge gap and what counts as inside: nearer to it the search would only follow its rim
INSIDE_MARGIN = 12.0
MOST_STATES = 24  # likely states at which an opening is looked at
SPREAD_STATES = 32  # and states spread evenly: what a larger opening takes in at keys may lie by itself between them
STEPS = 6  # of a search for a worse state around the best one
IN_VAIN = 3  # of them, one after the other and each half as long, that find none end it

Told = Mapping[str, float]
"""The amounts of gaps, view px, by the side of the view that each belongs to."""
Which = Callable[[GapOpening], bool]
"""True of the openings that are asked for."""


@dataclass(frozen=True)
class Gap:
    """A gap: the patch of the view that was searched, the side it belongs to ("" inside the view), and its worst point."""

    patch: Patch
    side: str
    worst: Worst


Measured = tuple[Gap, GapOpening]


class GapSearch:
    """The search for the gaps of a scene; `within` a box of driver states [4, 2], or over all."""

    def __init__(
        self, scene: Scene, sets: dict[str, OpaqueSet], motion: Motion | None = None, within: Floats | None = None
    ) -> None:
        self.coverage = Coverage(scene, sets, motion, within)
        self.view: Patch = (0.0, 0.0, float(scene.view.width), float(scene.view.height))
        self.openings = GapOpenings(scene, sets, self.coverage.motion)

    def first_met(self) -> Worst | None:
        """Return the first gap met, or how far the search came where it proves nothing; None where there is proved to be none."""
        worst = find_worst(self.coverage, self.view, enough=TOLERANCE)
        return None if worst.lack <= TOLERANCE and worst.proved else worst

    def found(self, only: str | None = None) -> list[Measured]:
        """Return the gaps with their openings, at most one a side and one inside, the largest first; those alone that touch the
        side `only`, where it is given."""
        states, kept = self._likely_states(), dict[str, Measured]()
        worsts, rest = self._met()
        met = [(worst, opening) for worst in worsts if (opening := self._opening_at(worst)) is not None]
        met.sort(key=lambda each: -each[1].amount)
        for worst, opening in met:
            if only is not None and only != opening.side and only not in opening.sides:
                continue
            if opening.side not in kept or kept[opening.side][1].amount < opening.amount:
                self._keep(kept, self._at_its_worst(worst, opening, states))
        for side in SIDES if only is None else (only,):
            known = kept[side][0].worst if side in kept else None
            if known is None or not known.proved:
                most = max(rest, known.bound) if known else rest
                likely = self._likely(partial(_is_of, side, None), most)
                self._keep(kept, likely and self._at_its_worst(likely[0].worst, likely[1], states))
        return _once(kept.values())

    def open_states(self, side: str) -> list[State]:
        """Return states at which an opening lies along a side, or, for "", inside; the largest first, roughly told."""
        states = self._states_to_look_at()
        amounts = self.openings.amounts(states, lambda opening: side in opening.sides or opening.side == side, 0.0)
        return [State.of(states[row]) for row in np.argsort(amounts)[::-1] if amounts[row] > 0]

    def open_on(self, side: str, told: Told) -> Gap | None:
        """Return a gap of a side, or of the inside, wherever it is met first; None where `found` would tell of none. `told`: the
        amounts by side that were told of; what is larger and touches the side is open still, by another side's name."""
        which = partial(_is_of, side, told)
        for look in (self._open_along, self._open_beside):
            met = look(side, told)
            if met == []:
                return None
            if gap := next((gap for worst in met or () if (gap := self._met_of(which, worst))), None):
                return gap
        return next((gap for gap, opening in self.found(only=side) if which(opening)), None)

    def _left_by(self, side: str, told: Told) -> Patch | None:
        """The view without the strips that the gaps told of at its other sides reach; None where that is nothing."""
        width, height = self.view[2:]
        depth = {other: told.get(other, -TOLERANCE) + TOLERANCE for other in SIDES if other != side}
        left, top = depth.get("left", 0.0), depth.get("top", 0.0)
        right, bottom = width - depth.get("right", 0.0), height - depth.get("bottom", 0.0)
        return None if side not in SIDES or right <= left or bottom <= top else (left, top, right, bottom)

    def _open_along(self, side: str, told: Told) -> list[Worst] | None:
        """Return the worst point met on the line of a side, where no other gap was told of; None where there is none. Quicker
        than to look over the whole view, and what tears an edge is met sooner."""
        left = self._left_by(side, told)
        if left is None:
            return None
        worst = find_worst(self.coverage, _line_of(left, side), budget=LINE_LOOK)
        return [worst] if worst.lack > TOLERANCE else None

    def _open_beside(self, side: str, told: Told) -> list[Worst] | None:
        """Return points of a side's gap that were met where no other gap was told of; none where there is proved to be no gap of
        it, and None where that is not known. What the others reach is left out, but for the corners of the side: what is open
        there may be its own at one state and another's at the next."""
        left = self._left_by(side, told)
        if left is None:
            return [] if self.first_met() is None else None
        worst = find_worst(self.coverage, left, enough=TOLERANCE, budget=PROOF_LOOK)
        if worst.lack > TOLERANCE or not worst.proved:
            return [worst] if worst.lack > TOLERANCE else None
        line, whole = _line_of(left, side), _line_of(self.view, side)
        corners = [(*whole[:2], *line[:2]), (*line[2:], *whole[2:])]
        sought = [Sought(corner, budget=SHORT_LOOK) for corner in corners if corner[:2] != corner[2:]]
        found = find_worsts(self.coverage, sought)
        if all(worst.lack <= TOLERANCE and worst.proved for worst in found):
            return []
        return [worst for worst in found if worst.lack > TOLERANCE] or None

    def open_at(self, states: Sequence[State], side: str, told: Told | None = None) -> Gap | None:
        """Return the gap of one side, or of the inside, at the first of some states that has one, as `open_on` takes it; None
        where coarse pictures show none."""
        rows = np.array([state.row for state in states]).reshape(-1, 4)
        for state, openings in zip(states, self.openings.seen(rows), strict=True):
            opening = next((each for each in openings if _is_of(side, told, each)), None)
            if opening is None:
                continue
            opening = self.openings.measured(state, opening, NEAR_PIXELS)
            measured = self._measured(Worst(opening.amount, opening.point, state, np.inf), state, opening)
            if measured:
                return measured[0]
        return None

    def _met_of(self, which: Which, worst: Worst) -> Gap | None:
        """The gap that a worst point lies in, where it is asked for and counts."""
        opening = self._opening_at(worst)
        if opening is None or not which(opening):
            return None
        measured = self._measured(worst, worst.state, self.openings.measured(worst.state, opening))
        return measured[0] if measured else None

    def _at_its_worst(self, worst: Worst, opening: GapOpening, states: Floats) -> Measured | None:
        """An opening as it is at the state where it is largest."""
        state, opening = self._worst_state(worst.state, opening, states)
        return self._measured(worst, state, self.openings.measured(state, opening))

    def _likely(self, which: Which, most: float) -> Measured | None:
        """The largest opening asked for at the states to look at: the one where an edge is open most may be another side's. It is
        known that none is larger than `most`."""
        states = self._states_to_look_at()
        amount, row = self.openings.largest(states, which, 0.0)
        state = State.of(states[row])
        found = [each for each in self.openings.at(state, amount) if which(each)] if amount > TOLERANCE else []
        if not found:
            return None
        opening = self.openings.measured(state, found[0])
        return self._measured(Worst(amount, opening.point, state, most), state, opening)

    def _met(self) -> tuple[list[Worst], float]:
        """The worst points of the whole view, of its edges and of its inside, with drivers that do not matter at rest; and how
        much may be open at most where the edges' gaps do not reach."""
        coverage = self.coverage
        every = Coverage(coverage.scene, dict(self.openings.sets), coverage.motion, coverage.box, every=True)
        edges = edge_gaps(coverage)
        met = [find_worst(every, self.view, budget=LONG_LOOK), *(gap.worst for gap in edges)]
        inside, rest = _inset(edges, self.view), 0.0
        if inside is not None:
            met.append(find_worst(coverage, inside, budget=INSIDE_LOOK))
            rest = met[-1].bound
        return settled(every, [worst for worst in met if worst.lack > TOLERANCE]), rest

    def _opening_at(self, worst: Worst) -> GapOpening | None:
        """The opening that a worst point lies in."""
        found = self.openings.at(worst.state, worst.lack if worst.lack < UNCOVERED / 2 else 0.0)
        return min(found, key=lambda each: (each.away(worst.point), -each.amount)) if found else None

    def _measured(self, worst: Worst, state: State, opening: GapOpening) -> Measured | None:
        """The gap that a measured opening is; None where it is too small to count."""
        amount = opening.amount if np.isfinite(opening.amount) else self._beyond(worst.lack)
        if amount <= TOLERANCE:
            return None
        left_open = 0.0 if worst.proved else worst.bound
        worst = Worst(amount, opening.point, state, max(amount + TOLERANCE, left_open))
        return Gap(self.view, opening.side, worst), replace(opening, amount=amount)

    def _keep(self, kept: dict[str, Measured], measured: Measured | None) -> None:
        """Keep a gap as its side's, unless a larger one is kept."""
        if measured and (measured[0].side not in kept or kept[measured[0].side][1].amount < measured[1].amount):
            kept[measured[0].side] = measured

    def _beyond(self, lack: float) -> float:
        """Return the amount where nothing covers near: what the search says, or the view's longer side where no layer is left."""
        return lack if lack < UNCOVERED / 2 else max(self.view)

    def _likely_states(self) -> Floats:
        """Driver states [K, 4] at which openings may be largest: keys, overshoots and ends, thinned where there are many."""
        states = np.unique(critical_points(self.coverage, self._all_states())[:, 2:, 0], axis=0)
        return states[np.linspace(0, len(states) - 1, min(len(states), MOST_STATES)).astype(int)]

    def _states_to_look_at(self) -> Floats:
        """The likely states and those spread evenly [K, 4]."""
        low, high = self._all_states()[0, 2:].T
        return np.concatenate([self._likely_states(), low + (high - low) * evenly_spread(SPREAD_STATES)])

    def _all_states(self) -> Floats:
        """A cell [1, 6, 2] of all driver states, its patch a point; drivers that do not matter are at rest."""
        root = root_cell(self.coverage, (0, 0, 0, 0))
        for axis in self.coverage.still_axes():
            root[0, axis] = min(max(0.0, root[0, axis, 0]), root[0, axis, 1])
        return root

    def _worst_state(self, state: State, opening: GapOpening, states: Floats) -> tuple[State, GapOpening]:
        """The state at which an opening of the same side is largest, of the given one, the likely ones [K, 4], and those around
        the best."""
        reach = opening.amount if np.isfinite(opening.amount) else 0.0
        which = partial(_is_of, opening.side, None)
        before = self.openings.largest(state.row[None], which, reach)[0]
        best, at, step = before, state.row, np.ptp(self.coverage.box, axis=1) / 8
        axes = [axis for axis in range(4) if np.ptp(states[:, axis]) > 0]
        tried, in_vain = states, 0
        for _ in range(1 + STEPS):
            if not len(tried) or in_vain == IN_VAIN:
                break
            amount, row = self.openings.largest(tried, which, reach)
            if amount > best:
                best, at, in_vain = amount, tried[row], 0
            elif tried is not states:
                step, in_vain = step / 2, in_vain + 1
            ways = [sign * step * (np.arange(4) == axis) for axis in axes for sign in (-1, 1)]
            tried = np.array([np.clip(at + way, *self.coverage.box.T) for way in ways])
        if best > before:  # a coarse picture says where to look, a fine one whether it is so
            found = State.of(at)
            finer = [each for each in self.openings.at(found, best) if each.side == opening.side]
            if finer and finer[0].amount > opening.amount + TOLERANCE:
                return found, finer[0]
        return state, opening


def _is_of(side: str, told: Told | None, opening: GapOpening) -> bool:
    """True of an opening of a side; of one that touches it too, where it is larger than was told of the side it belongs to."""
    if opening.side == side:
        return True
    return told is not None and side in opening.sides and opening.amount > told.get(opening.side, 0.0) + ALIKE


def _line_of(part: Patch, side: str) -> Patch:
    """The line along a side of a part of the view."""
    left, top, right, bottom = part
    return {
        "left": (left, top, left, bottom),
        "right": (right, top, right, bottom),
        "top": (left, top, right, top),
        "bottom": (left, bottom, right, bottom),
    }[side]


def edge_gaps(coverage: Coverage) -> list[Gap]:
    """A gap for each edge of the view that is somewhere uncovered."""
    width, height = coverage.scene.view.width, coverage.scene.view.height
    edges = {side: _line_of((0, 0, width, height), side) for side in SIDES}
    found = _gaps_in(coverage, edges, {})
    kept = {side: gap for side in found if (gap := _without_corners(found, side))}
    # where the worst of an edge was in a corner, what is left of the edge is searched by itself
    rest = {side: gap.patch for side, gap in kept.items() if not _lies_in(gap)}
    searched = _gaps_in(coverage, rest, {side: found[side].worst.bound for side in rest})
    left = [gap for side in kept if (gap := searched.get(side) if side in rest else kept[side])]
    if found and not left:  # nothing but a corner is open
        left = [max(found.values(), key=lambda gap: gap.worst.lack)]
    return left


def _gaps_in(coverage: Coverage, patches: dict[str, Patch], known: dict[str, float]) -> dict[str, Gap]:
    """The gaps at parts of the edges, where there is one; it is `known` that none is larger than so much."""
    sought = [Sought(patch, known=known.get(side, inf), budget=SHORT_LOOK) for side, patch in patches.items()]
    found = zip(patches.items(), find_worsts(coverage, sought), strict=True)
    return {side: Gap(patch, side, worst) for (side, patch), worst in found if worst.lack > TOLERANCE}


def _lies_in(gap: Gap) -> bool:
    """True where a gap's worst point lies in its patch."""
    x, y = gap.worst.point
    left, top, right, bottom = gap.patch
    return left <= x <= right and top <= y <= bottom


def _without_corners(found: dict[str, Gap], side: str) -> Gap | None:
    """The gap of one edge, its patch without the ends that belong to its neighbours' gaps; None if nothing is left of it."""
    gap = found[side]
    left, top, right, bottom = gap.patch
    upright = side in ("left", "right")
    ends = [found[end].worst.lack + TOLERANCE if end in found else 0.0 for end in _neighbours(upright)]
    if not any(ends):
        return gap
    start, end = (top + ends[0], bottom - ends[1]) if upright else (left + ends[0], right - ends[1])
    if start >= end:
        return gap
    part = (left, start, right, end) if upright else (start, top, end, bottom)
    return Gap(part, side, gap.worst)


def _neighbours(upright: bool) -> tuple[str, str]:
    return ("top", "bottom") if upright else ("left", "right")


def _inset(gaps: list[Gap], whole: Patch) -> Patch | None:
    """The view without what its edges' gaps reach; None where nothing is left."""
    inset = {gap.side: gap.worst.lack + INSIDE_MARGIN for gap in gaps}
    left, top = inset.get("left", 0.0), inset.get("top", 0.0)
    right, bottom = whole[2] - inset.get("right", 0.0), whole[3] - inset.get("bottom", 0.0)
    return None if right <= left or bottom <= top else (left, top, right, bottom)


def _once(gaps: Iterable[Measured]) -> list[Measured]:
    """Each opening once, the largest first: one that runs through from edge to edge is met at both."""
    kept: dict[tuple[object, ...], Measured] = {}
    for gap, opening in sorted(gaps, key=lambda each: -each[1].amount):
        kept.setdefault((gap.worst.state, *(round(at) for at in opening.where.to_json().values())), (gap, opening))
    return list(kept.values())
