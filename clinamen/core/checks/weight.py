"""Weight: art larger than a graphics card takes in one texture, and art that takes more memory than a phone has to spare."""

from clinamen.core.checks.base import Check, Finding, Subject, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import counted, shown

LIMITS = (8192, 4096)  # px a side: what desktops and what phones take (common practice, no source)
BYTES = 4  # a pixel
MEMORY = 512e6  # bytes of decoded art that a page can expect a phone to hold (common practice, no source)


@register
class WeightCheck(Check):
    id = "weight"
    name = "heavy layer"
    plural = "heavy layers"
    description = "Art is larger than graphics cards take, or takes too much memory."

    def short(self, finding: Finding) -> str:
        return f"{shown(finding.amount, 0)} {finding.unit}"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "whatever moves"

    def run(self, subject: Subject) -> list[Finding]:
        layers = seen_layers(subject.scene)
        where = subject.whole_view
        found = []
        for layer in layers:
            side = max(layer.strip)
            limit = next((each for each in LIMITS if side > each), None)
            if limit is not None:
                whose = "desktops" if limit == LIMITS[0] else "phones"
                message = f"{layer.label} is {side} px long; {whose} take {limit} px a texture"
                found.append(Finding(self.id, "note", layer.id, State(), float(side), "px", where, message))
        total = sum(_bytes(layer) for layer in layers)
        if total > MEMORY:
            most = max(layers, key=_bytes)
            message = (
                f"{counted(len(layers), 'layer')} take {shown(total / 1e6, 0)} MB of memory at full size, {most.label} the most "
                f"({shown(_bytes(most) / 1e6, 0)} MB); more than {shown(MEMORY / 1e6, 0)} MB is much for a phone"
            )
            found.append(Finding(self.id, "note", most.id, State(), total / 1e6, "MB", where, message, "memory"))
        return sorted(found, key=lambda finding: -finding.amount)


def _bytes(layer: Layer) -> float:
    return float(layer.strip[0] * layer.strip[1] * BYTES)
