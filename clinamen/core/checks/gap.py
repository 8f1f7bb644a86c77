"""Gap: somewhere, in some driver state, no layer covers the view and its background shows.

The whole view, its four edges and its inside are searched, so that every opening is found at its own worst state. How large an
opening is, and which side of the view it belongs to, is measured at single states (`bounds.opening`).
"""

from dataclasses import replace
from functools import partial
from math import inf

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounds.needs import Needs
from clinamen.core.bounds.opening import Opening, Openings
from clinamen.core.bounds.search import (
    BUDGET,
    TOLERANCE,
    UNCOVERED,
    Coverage,
    Patch,
    Worst,
    critical_points,
    find_worst,
    likely_worst,
    root_cell,
    settled,
    starts_of,
)
from clinamen.core.checks.base import Check, Finding, Severity, Subject, Where, describe_state, register
from clinamen.core.checks.closing import Gap, Trial, fixes_for, nearest_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown

# view pixels between an edge gap and what counts as inside: nearer to it the search would only follow its rim
INSIDE_MARGIN = 12.0
MOST_STATES = 24  # likely states at which an opening is looked at
STEPS = 6  # of a search for a worse state around the best one


@register
class GapCheck(Check):
    id = "gap"
    name = "gap"
    plural = "gaps"
    description = "The background shows where no layer covers the view."
    sure = "bounded over all states to half a view pixel"
    spread = "local"

    def short(self, finding: Finding) -> str:
        place = f" on the {finding.side}" if finding.side else " inside the view"
        return f"{shown(finding.amount, 0)} px uncovered{place if finding.layer or finding.side else ''}"

    def key(self, finding: Finding) -> tuple[str, str, str]:
        """Which layer closes it best is known only once the fixes are computed."""
        return finding.check, "", finding.side

    def tells_over(self, finding: Finding, other: Finding) -> bool:
        """The side at which a gap's closer ends is that same gap seen from the layer."""
        return other.check == "edge" and other.layer in finding.closers and other.side == finding.side != ""

    def run(self, subject: Subject) -> list[Finding]:
        if not subject.scene.layers:
            return []
        coverage = Coverage(subject.scene, subject.sets, subject.motion, subject.needs.bounds)
        view = subject.scene.view
        if not coverage.layers:
            return [_nothing_covers(subject)]
        if subject.needs.rough:
            return _rough_gap(subject, coverage)
        whole = find_worst(coverage, (0, 0, view.width, view.height), enough=TOLERANCE)
        if whole.lack <= TOLERANCE and whole.proved:
            return []
        found = [_finding(subject, coverage, gap, opening) for gap, opening in _openings(subject, coverage)]
        if not found:
            found = [_unproved(subject, whole)]
        return sorted(found, key=lambda finding: -finding.amount)


def _openings(subject: Subject, coverage: Coverage, only: str | None = None) -> list[tuple[Gap, Opening]]:
    """The scene's gaps with each one's opening at its worst state: one for each side of the view, and one inside it; or those of
    `only` one of them."""
    view = subject.scene.view
    whole = (0.0, 0.0, float(view.width), float(view.height))
    edges = edge_gaps(coverage)
    every = Coverage(subject.scene, subject.sets, subject.motion, subject.needs.bounds, every=True)
    gaps = [Gap(whole, "", find_worst(every, whole, budget=BUDGET // 2)), *edges, *_inside_gap(coverage, edges)]
    gaps = [gap for gap in gaps if gap.worst.lack > TOLERANCE]
    read = settled(every, [gap.worst for gap in gaps])
    openings = Openings(subject.scene, subject.sets, subject.motion)
    states = _likely_states(coverage)
    kept: dict[str, tuple[Gap, Opening]] = {}
    for worst in read:
        found = openings.at(worst.state, worst.lack if worst.lack < UNCOVERED / 2 else 0.0)
        if not found:
            continue
        opening = min(found, key=lambda each: (each.away(worst.point), -each.amount))
        if only not in (None, opening.side):
            continue
        state, opening = _worst_state(openings, worst.state, opening, states, coverage.box)
        opening = openings.measured(state, opening)
        amount = opening.amount if np.isfinite(opening.amount) else _beyond(worst.lack, coverage)
        opening = replace(opening, amount=amount)
        if opening.side not in kept or kept[opening.side][1].amount < amount:
            worst = replace(worst, lack=amount, point=opening.point, state=state, bound=_bound(worst, amount))
            kept[opening.side] = Gap(_patch_of(opening, edges, whole), opening.side, worst), opening
    for side in {*(("left", "right", "top", "bottom") if only is None else [only] * bool(only))} - {
        *kept
    }:  # where an edge is open most may belong to another side
        amount, row = openings.largest(states, side, 0.0)
        state = State(float(states[row, 0]), (float(states[row, 1]), float(states[row, 2])), float(states[row, 3]))
        mine = [each for each in openings.at(state, amount) if each.side == side] if amount > TOLERANCE else []
        if mine and (opening := openings.measured(state, mine[0])).amount > TOLERANCE:
            worst = Worst(opening.amount, opening.point, state, opening.amount + TOLERANCE)
            kept[side] = Gap(_patch_of(opening, edges, whole), side, worst), opening
    return _apart(list(kept.values()))


def _bound(worst: Worst, amount: float) -> float:
    """What an opening's amount is bounded by: what was found and measured, and what the search left open."""
    left_open = worst.bound if not worst.proved else 0.0
    return max(amount + TOLERANCE, left_open)


def _beyond(lack: float, coverage: Coverage) -> float:
    """The amount where nothing covers anywhere near: what the search says, or the view's longer side where no layer is left."""
    view = coverage.scene.view
    return lack if lack < UNCOVERED / 2 else float(max(view.width, view.height))


def _likely_states(coverage: Coverage) -> Floats:
    """Driver states [K, 4] at which openings may be largest: keys, overshoots and ends, thinned where there are many."""
    root = root_cell(coverage, (0, 0, 0, 0))
    for axis in coverage.still_axes():
        root[0, axis] = min(max(0.0, root[0, axis, 0]), root[0, axis, 1])
    states = np.unique(critical_points(coverage, root)[:, 2:, 0], axis=0)
    return states[np.linspace(0, len(states) - 1, min(len(states), MOST_STATES)).astype(int)]


def _worst_state(
    openings: Openings, state: State, opening: Opening, states: Floats, box: Floats
) -> tuple[State, Opening]:
    """The state at which an opening of the same side is largest: of the given one, the likely ones, and those around the best."""
    reach = opening.amount if np.isfinite(opening.amount) else 0.0
    here = np.array([state.scroll, *state.pointer, state.time])
    before = openings.largest(here[None], opening.side, reach)[0]
    amount, row = openings.largest(states, opening.side, reach)
    at = states[row] if amount > before else here
    best, step = max(amount, before), (box[:, 1] - box[:, 0]) / 8
    axes = [axis for axis in range(4) if np.ptp(states[:, axis]) > 0]
    for _ in range(STEPS if axes else 0):
        around = np.array(
            [np.clip(at + sign * step * (np.arange(4) == axis), *box.T) for axis in axes for sign in (-1, 1)]
        )
        amount, row = openings.largest(around, opening.side, reach)
        if amount > best:
            best, at = amount, around[row]
        else:
            step = step / 2
    if best > before:  # a coarse picture says where to look, a fine one whether it is so
        found = State(float(at[0]), (float(at[1]), float(at[2])), float(at[3]))
        finer = [each for each in openings.at(found, best) if each.side == opening.side]
        if finer and finer[0].amount > opening.amount + TOLERANCE:
            return found, finer[0]
    return state, opening


def _patch_of(opening: Opening, edges: list[Gap], whole: Patch) -> Patch:
    """The part of the view that has to be covered for an opening to be closed: as deep as it reaches in, along its side without
    the ends that belong to other sides' gaps; of a hole, the view without its edges' gaps."""
    where, side = opening.where, opening.side
    left, top, right, bottom = where.x, where.y, where.x + where.width, where.y + where.height
    if not side:
        return _inset(edges, whole) or whole
    along = next((gap.patch for gap in edges if gap.side == side), whole)
    if side in ("left", "right"):
        return (0.0 if side == "left" else left, along[1], whole[2] if side == "right" else right, along[3])
    return (along[0], 0.0 if side == "top" else top, along[2], whole[3] if side == "bottom" else bottom)


def _rough_gap(subject: Subject, coverage: Coverage) -> list[Finding]:
    """The worst of the likely points, for drawings."""
    view = subject.scene.view
    worst = likely_worst(coverage, (0, 0, view.width, view.height))
    if worst.lack <= TOLERANCE:
        return []
    x, y = worst.point
    where = Where(max(0.0, x - INSIDE_MARGIN), max(0.0, y - INSIDE_MARGIN), 2 * INSIDE_MARGIN, 2 * INSIDE_MARGIN)
    return [Finding("gap", "error", "", worst.state, worst.lack, "px", where, "the background shows")]


def edge_gaps(coverage: Coverage) -> list[Gap]:
    """A gap for each edge of the view that is somewhere uncovered."""
    width, height = coverage.scene.view.width, coverage.scene.view.height
    edges: dict[str, Patch] = {
        "left": (0, 0, 0, height),
        "right": (width, 0, width, height),
        "top": (0, 0, width, 0),
        "bottom": (0, height, width, height),
    }
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
    gaps = {}
    for (side, patch), start in zip(patches.items(), starts_of(coverage, list(patches.values())), strict=True):
        worst = find_worst(coverage, patch, known=known.get(side, inf), budget=BUDGET // 8, start=start)
        if worst.lack > TOLERANCE:
            gaps[side] = Gap(patch, side, worst)
    return gaps


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


def _inside_gap(coverage: Coverage, gaps: list[Gap]) -> list[Gap]:
    """The worst gap of the view's inside, away from the gaps of its edges."""
    view = coverage.scene.view
    patch = _inset(gaps, (0.0, 0.0, float(view.width), float(view.height)))
    if patch is None:
        return []
    # more than a short look is for when what is found first is closed
    worst = find_worst(coverage, patch, budget=BUDGET // 8)
    return [Gap(patch, "", worst)] if worst.lack > TOLERANCE else []


def _nothing_covers(subject: Subject) -> Finding:
    view = subject.scene.view
    message = "No layer covers anything: the background shows everywhere"
    whole = Where(0, 0, view.width, view.height)
    return Finding("gap", "error", "", State(), float(max(view.width, view.height)), "px", whole, message)


def _apart(gaps: list[tuple[Gap, Opening]]) -> list[tuple[Gap, Opening]]:
    """Each opening once, at its largest: one that runs through from edge to edge is met at both."""
    kept: dict[tuple[object, ...], tuple[Gap, Opening]] = {}
    for gap, opening in sorted(gaps, key=lambda each: -each[1].amount):
        kept.setdefault((gap.worst.state, *(round(at) for at in opening.where.to_json().values())), (gap, opening))
    return list(kept.values())


def _finding(subject: Subject, coverage: Coverage, gap: Gap, opening: Opening) -> Finding:
    scene, worst = subject.scene, gap.worst
    if subject.with_fixes:
        fixes, closers = fixes_for(subject, gap, partial(_reopened, gap.side))
    else:
        fixes, closers = (), nearest_layers(coverage, gap)[:1]
    place = f"at the {gap.side} edge" if gap.side else "inside the view"
    message = f"{worst.lack:.1f} px uncovered {place} ({describe_state(scene, worst.state)})"
    if not worst.proved:
        message += f"; it may be up to {worst.bound:.1f} px elsewhere"
    layer = closers[0] if closers else ""
    return Finding(
        "gap", "error", layer, worst.state, worst.lack, "px", opening.where, message, gap.side, fixes, closers
    )


def _reopened(side: str, trial: Trial) -> Gap | None:
    """What a trial leaves open at a side of the view, by the check's own search."""
    scene, sets, motion = trial
    view = scene.view
    coverage = Coverage(scene, sets, motion)
    whole = find_worst(coverage, (0, 0, view.width, view.height), enough=TOLERANCE)
    if whole.lack <= TOLERANCE and whole.proved:
        return None
    subject = Subject(scene, sets, False, Needs(scene, motion))
    return next((gap for gap, _ in _openings(subject, coverage, side)), None)


def _unproved(subject: Subject, worst: Worst) -> Finding:
    severity: Severity = "warning"
    view = subject.scene.view
    message = f"No gap was found, but nothing closer than {worst.bound:.1f} px could be proved"
    whole = Where(0, 0, view.width, view.height)
    return Finding("gap", severity, "", worst.state, worst.bound, "px", whole, message)
