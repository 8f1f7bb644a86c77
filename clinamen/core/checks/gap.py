"""Gap: somewhere, in some driver state, no layer covers the view and its background shows.

The view's four edges and its inside are searched apart, so that every gap is found at its own worst state.
"""

from dataclasses import replace
from math import inf

from clinamen.core.bounds.region import distance_to_art, uncovered, where_around
from clinamen.core.bounds.search import (
    BUDGET,
    TOLERANCE,
    Coverage,
    Patch,
    Worst,
    find_worst,
    likely_worst,
    settled,
    starts_of,
)
from clinamen.core.checks.base import Check, Finding, Severity, Subject, Where, describe_state, register
from clinamen.core.checks.closing import Gap, fixes_for, nearest_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown
from clinamen.core.stage import stage_at

REGION_PIXELS = 600_000  # the region is drawn at most this large to find its box
# view pixels between an edge gap and what counts as inside: nearer to it the search would only follow its rim
INSIDE_MARGIN = 12.0


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
        gaps = edge_gaps(coverage)
        gaps += _inside_gap(coverage, gaps)
        read = settled(coverage, [gap.worst for gap in gaps])
        findings = _apart(
            [_finding(subject, coverage, replace(gap, worst=worst)) for gap, worst in zip(gaps, read, strict=True)]
        )
        if not findings:
            findings = [_unproved(subject, whole)]
        return sorted(findings, key=lambda finding: -finding.amount)


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
        worst = find_worst(coverage, patch, known=known.get(side, inf), start=start)
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


def _inside_gap(coverage: Coverage, gaps: list[Gap]) -> list[Gap]:
    view = coverage.scene.view
    inset = {gap.side: gap.worst.lack + INSIDE_MARGIN for gap in gaps}
    left, top = inset.get("left", 0.0), inset.get("top", 0.0)
    right, bottom = view.width - inset.get("right", 0.0), view.height - inset.get("bottom", 0.0)
    if right <= left or bottom <= top:
        return []
    patch = (left, top, right, bottom)
    # where an edge is open already, more than a short look inside is for when it is closed
    worst = find_worst(coverage, patch, budget=BUDGET // 4 if gaps else BUDGET)
    if worst.lack <= TOLERANCE:
        return []
    scale = _region_scale(coverage)
    sets = {layer.id: opaque for layer, opaque in coverage.layers}
    scene = coverage.scene.model_copy(update={"layers": tuple(layer for layer, _ in coverage.layers)})
    around = where_around(uncovered(scene, sets, worst.state, scale, coverage.motion), worst.point, scale)
    if gaps and (around is None or around[1]):  # the rest of a gap that an edge has already reported
        return []
    return [Gap(patch, "", worst)]


def _measured(coverage: Coverage, worst: Worst) -> float:
    """The lack at the worst point in true view pixels. Where a sheet or the camera is turned, the search counts them
    by the largest scale nearby, which bounds but overstates them."""
    placed = {sheet.layer.id: sheet for sheet in stage_at(coverage.scene, worst.state, coverage.motion).sheets}
    broad = [(layer, opaque) for layer, opaque in coverage.layers if not coverage.broad or layer.id in coverage.broad]
    if all(not placed[layer.id].matrix[0, 2, :2].any() for layer, _ in broad):
        return worst.lack
    exact = min(distance_to_art(placed[layer.id], opaque, worst.point) for layer, opaque in broad)
    return min(worst.lack, exact)


def _nothing_covers(subject: Subject) -> Finding:
    view = subject.scene.view
    message = "No layer covers anything: the background shows everywhere"
    whole = Where(0, 0, view.width, view.height)
    return Finding("gap", "error", "", State(), float(max(view.width, view.height)), "px", whole, message)


def _apart(findings: list[Finding]) -> list[Finding]:
    """Each opening once: one that runs through from edge to edge was met at both."""
    kept: dict[tuple[object, ...], Finding] = {}
    for finding in findings:
        kept.setdefault((finding.state, *(round(value) for value in finding.where.to_json().values())), finding)
    return list(kept.values())


def _region_scale(coverage: Coverage) -> float:
    view = coverage.scene.view
    return min(1.0, float((REGION_PIXELS / (view.width * view.height)) ** 0.5))


def _finding(subject: Subject, coverage: Coverage, gap: Gap) -> Finding:
    scene, view = subject.scene, subject.scene.view
    worst = gap.worst
    scale = _region_scale(coverage)
    around = where_around(uncovered(scene, subject.sets, worst.state, scale, subject.motion), worst.point, scale)
    where = around[0] if around else Where(worst.point[0], worst.point[1], 0, 0)
    fixes, closers = fixes_for(subject, gap) if subject.with_fixes else ((), nearest_layers(coverage, gap)[:1])
    amount = min(_measured(coverage, worst), float(max(view.width, view.height)))
    place = f"at the {gap.side} edge" if gap.side else "inside the view"
    message = f"{amount:.1f} px uncovered {place} ({describe_state(scene, worst.state)})"
    if not worst.proved:
        message += f"; it may be up to {worst.bound:.1f} px elsewhere"
    layer = closers[0] if closers else ""
    return Finding("gap", "error", layer, worst.state, amount, "px", where, message, gap.side, fixes, closers)


def _unproved(subject: Subject, worst: Worst) -> Finding:
    severity: Severity = "warning"
    view = subject.scene.view
    message = f"No gap was found, but nothing closer than {worst.bound:.1f} px could be proved"
    whole = Where(0, 0, view.width, view.height)
    return Finding("gap", severity, "", worst.state, worst.bound, "px", whole, message)
