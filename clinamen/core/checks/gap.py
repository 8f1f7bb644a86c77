"""Gap: somewhere, in some driver state, no layer covers the view and its background shows.

Where the view is open, and how far, is found by `bounds.gaps`; what closes it by `closing`.
"""

from functools import partial

from clinamen.core.bounds.gaps import INSIDE_MARGIN, Gap, GapSearch, Told
from clinamen.core.bounds.opening import GapOpening
from clinamen.core.bounds.search import TOLERANCE, UNCOVERED, Worst, likely_worst
from clinamen.core.checks.base import Check, Finding, Severity, Subject, Where, describe_state, register
from clinamen.core.checks.closing import Trial, fixes_for, nearest_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown


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
        search = GapSearch(subject.scene, subject.sets, subject.motion, subject.needs.bounds)
        if not search.coverage.layers:
            return [_nothing_covers(subject)]
        if subject.needs.rough:
            return _rough_gap(subject, search)
        met = search.first_met()
        if met is None:
            return []
        found = search.found()
        told = {gap.side: opening.amount for gap, opening in found}
        return [_finding(subject, search, told, *each) for each in found] or [_unproved(subject, met)]


def _rough_gap(subject: Subject, search: GapSearch) -> list[Finding]:
    """The worst of the likely points, for drawings."""
    worst = likely_worst(search.coverage, search.view)
    if worst.lack <= TOLERANCE:
        return []
    x, y = worst.point
    where = Where(max(0.0, x - INSIDE_MARGIN), max(0.0, y - INSIDE_MARGIN), 2 * INSIDE_MARGIN, 2 * INSIDE_MARGIN)
    return [Finding("gap", "error", "", worst.state, worst.lack, "px", where, "the background shows")]


def _nothing_covers(subject: Subject) -> Finding:
    view = subject.scene.view
    message = "No layer covers anything: the background shows everywhere"
    whole = Where(0, 0, view.width, view.height)
    return Finding("gap", "error", "", State(), float(max(view.width, view.height)), "px", whole, message)


def _finding(subject: Subject, search: GapSearch, told: Told, gap: Gap, opening: GapOpening) -> Finding:
    scene, worst = subject.scene, gap.worst
    if subject.with_fixes:
        witnesses = [*reversed(search.open_states(gap.side)), worst.state]
        fixes, closers = fixes_for(subject, gap, partial(_reopened, gap.side, told, witnesses))
    else:
        fixes, closers = (), nearest_layers(search.coverage, gap)[:1]
    place = f"at the {gap.side} edge" if gap.side else "inside the view"
    message = f"{worst.lack:.1f} px uncovered {place} ({describe_state(scene, worst.state)})"
    if not worst.proved:
        up_to = f"up to {worst.bound:.1f} px" if worst.bound < UNCOVERED / 2 else "more"
        message += f"; it may be {up_to} elsewhere"
    layer = closers[0] if closers else ""
    return Finding(
        "gap", "error", layer, worst.state, worst.lack, "px", opening.where, message, gap.side, fixes, closers
    )


def _reopened(side: str, told: Told, witnesses: list[State], trial: Trial, sure: bool) -> Gap | None:
    """Return what a trial leaves open at a side of the view; None where nothing, by the check's own search where that is to be
    `sure`. As much as was `told` of the other sides may stay. `witnesses`: states at which the scene or other trials of it are
    open, looked at before all others, the last first; what is met is added."""
    search = GapSearch(*trial)
    if gap := search.open_at(witnesses[::-1], side, told):
        return gap
    gap = search.open_on(side, told) if sure else None
    if gap is not None:
        witnesses.append(gap.worst.state)
    return gap


def _unproved(subject: Subject, worst: Worst) -> Finding:
    severity: Severity = "warning"
    view = subject.scene.view
    message = f"No gap was found, but nothing closer than {worst.bound:.1f} px could be proved"
    whole = Where(0, 0, view.width, view.height)
    return Finding("gap", severity, "", worst.state, worst.bound, "px", whole, message)
