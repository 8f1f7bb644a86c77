"""Seam: the joint of art that repeats is seen, because the pixels on both sides of it differ more than those beside it."""

from clinamen.core.bounds.where import Where
from clinamen.core.checks.base import Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.checks.repeat import UNTOLD, copies_at, meets
from clinamen.core.document import Layer, seen_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown
from clinamen.core.stage import stage_at

WORDS = {"x": "across", "y": "down"}
MARK = 40.0  # view px on each side of a joint that are marked


@register
class SeamCheck(Check):
    id = "seam"
    name = "seam"
    plural = "seams"
    unit = "ΔE"
    description = "The joint of art that repeats is seen."
    sure = "measured on the art, along the whole joint"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        return f"a joint differs by {shown(finding.amount, 1)} ΔE"

    def run(self, subject: Subject) -> list[Finding]:
        if subject.art is None:
            return []
        found = []
        for layer in seen_layers(subject.scene):
            for axis in "xy":
                if getattr(layer.repeat, axis) != "tile" or layer.art.group in UNTOLD:
                    continue
                joint = subject.art.joint(layer, axis)
                met = meets(subject, layer, axis) if joint.seen else None
                if met is not None:
                    found.append(self._finding(subject, layer, axis, (joint.across, joint.own), met))
        return sorted(found, key=lambda finding: -finding.amount)

    def _finding(self, subject: Subject, layer: Layer, axis: str, off: tuple[float, float], state: State) -> Finding:
        across, own = off
        message = (
            f"{layer.label} repeats {WORDS[axis]} with a joint that is seen: colours differ by {shown(across, 1)} ΔE there, "
            f"by {shown(own, 1)} beside it ({describe_state(subject.scene, state)})"
        )
        values = {"layer": layer.id, f"repeat_{axis}": "mirror"}
        fix = Fix("mirror", 0.0, "layer", values, f"Mirror {layer.label} where it repeats")
        amount, where = across - own, _strip(subject, layer, axis, state)
        return Finding(self.id, "warning", layer.id, state, amount, self.unit, where, message, axis, (fix,))


def _strip(subject: Subject, layer: Layer, axis: str, state: State) -> Where:
    """Where the first joint in the view is seen."""
    view = subject.scene.view
    sheet = stage_at(subject.scene, state, subject.motion, (layer,)).sheets[0]
    wide, high = float(view.width), float(view.height)
    joints = copies_at(subject.scene, sheet, axis)
    at = min(joints, key=lambda each: abs(each - (wide if axis == "x" else high) / 2), default=0.0)
    if axis == "x":
        left = max(0.0, at - MARK)
        return Where(left, 0.0, min(wide, at + MARK) - left, high)
    top = max(0.0, at - MARK)
    return Where(0.0, top, wide, min(high, at + MARK) - top)
