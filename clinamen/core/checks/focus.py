"""Focus: the lens is focused where no sheet stands, at rest or at a key of its focus, so that nothing at all is sharp then."""

import numpy as np

from clinamen.core.checks.base import Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.document import is_seen, seen_layers
from clinamen.core.edits.registry import EDITS
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import Sheet, stage_at


@register
class FocusCheck(Check):
    id = "focus"
    name = "focus on nothing"
    plural = "times focused on nothing"
    description = "The lens is focused between two sheets, and both are soft."
    sure = "exact at rest and at every knot of the focus"

    def short(self, finding: Finding) -> str:
        return f"the sharpest sheet is {shown(finding.amount, 1)} px soft"

    def run(self, subject: Subject) -> list[Finding]:
        scene = subject.scene
        if scene.lens.aperture is None or not any(x.takes.focus for x in seen_layers(scene)):
            return []
        found = []
        for number, state in enumerate(_states(subject)):
            sheet = _sharpest(subject, state)
            soft = float(sheet.disc[0]) / 4
            if 4 * soft > scene.lens.confusion:
                found.append(self._finding(subject, sheet, soft, state, number))
        return found

    def _finding(self, subject: Subject, sheet: Sheet, soft: float, state: State, number: int) -> Finding:
        layer = sheet.layer
        message = (
            f"the lens is focused on no sheet ({describe_state(subject.scene, state)}): the sharpest is {layer.label}, "
            f"{shown(soft, 1)} px soft"
        )
        rate, focused = float(sheet.rate[0]), f"Focus on {layer.label}"
        driver, at = ("scroll", state.scroll) if state.scroll else ("time", state.time)
        if number == 0:
            fix = Fix("focus", rate, "focus", {"on": layer.id}, focused)
        else:
            values = {"on": layer.id, "driver": driver, "at": plain(at)}
            fix = Fix("focus", rate, "focus-at", values, f"{focused} at {shown(at, 3)} over {driver}")
        fixes = (fix,) if subject.with_fixes and _cured(subject, fix, state) else ()
        place = subject.whole_view
        return Finding(self.id, "warning", layer.id, state, soft, self.unit, place, message, f"focus {number}", fixes)


def _states(subject: Subject) -> list[State]:
    """Rest, and every key of the focus."""
    states = [State()]
    for term in subject.motion.curves("camera", "focus"):
        scrolled = term.track.driver == "scroll"
        states += [State(scroll=key.at) if scrolled else State(time=key.at) for key in term.track.keys]
    return list(dict.fromkeys(states))


def _sharpest(subject: Subject, state: State) -> Sheet:
    sheets = [
        x
        for x in stage_at(subject.scene, state, subject.motion).sheets
        if is_seen(subject.scene, x.layer) and x.layer.takes.focus
    ]
    return sheets[int(np.argmin([float(sheet.disc[0]) for sheet in sheets]))]


def _cured(subject: Subject, fix: Fix, state: State) -> bool:
    """True where a fix leaves something sharp at the state."""
    try:
        changed, _ = EDITS[fix.edit](subject.scene, fix.values)
    except BadEdit:
        return False
    return float(_sharpest(Subject(changed, subject.sets, False), state).disc[0]) <= changed.lens.confusion
