"""Fringe: along the edge of what was cut out, colours of the old background are left."""

from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.motion.states import State
from clinamen.core.pictures.telling import Rim, cut_steps
from clinamen.core.prep.steps import Fringe
from clinamen.core.quantities import shown
from clinamen.core.recipes import recipe_of

SEEN = 5.0  # ΔE (CIE76) beyond what the piece itself varies: twice what is just noticed side by side (2.3, Mahy et al. 1994)
OUTWARD = 0.2  # of the way to the old background
REACHES = (1, 2, 3, 4, 6, 8)  # px of fringe that a step may take off


@register
class FringeCheck(Check):
    id = "fringe"
    name = "fringe"
    plural = "fringes"
    unit = "ΔE"
    description = "The edge of a cut-out shows its old background."
    sure = "measured on the art, in eight squares along the edge at most"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        return f"its edge is {shown(finding.amount, 1)} ΔE off"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "whatever moves"

    def run(self, subject: Subject) -> list[Finding]:
        if subject.art is None:
            return []
        found = []
        for layer in seen_layers(subject.scene):
            rim = subject.art.rim(layer) if cut_steps(layer) and not _taken_off(layer) else None
            if rim is not None and shows(rim):
                found.append(self._finding(subject, layer, rim))
        return sorted(found, key=lambda finding: -finding.amount)

    def _finding(self, subject: Subject, layer: Layer, rim: Rim) -> Finding:
        amount = rim.away - rim.own
        message = (
            f"the edge of {layer.label} is {shown(amount, 1)} ΔE from its own colours over {shown(rim.length, 0)} px, "
            f"{shown(100 * rim.outward, 0)} % of the way to what it was cut from"
        )
        fixes = _fixes(subject, layer) if subject.with_fixes else ()
        return Finding(
            self.id, "warning", layer.id, State(), amount, self.unit, subject.box_at(layer, State()), message, "", fixes
        )


def shows(rim: Rim) -> bool:
    """True of an edge that is seen to be another's."""
    return rim.away - rim.own > SEEN and rim.outward > OUTWARD


def _taken_off(layer: Layer) -> bool:
    return any(step.on and isinstance(step, Fringe) for step in recipe_of(layer).steps)


def _fixes(subject: Subject, layer: Layer) -> tuple[Fix, ...]:
    """The least reach, of whole pixels, with which a step of the recipe takes it off."""
    assert subject.art is not None
    for reach in REACHES:
        rim = subject.art.rim(layer, float(reach))
        if rim is None or not shows(rim):
            values = {"layer": layer.id, "step": "fringe", "reach": str(reach)}
            return (
                Fix("fringe", float(reach), "step-add", values, f"Take the fringe of {layer.label} off, {reach} px"),
            )
    return ()
