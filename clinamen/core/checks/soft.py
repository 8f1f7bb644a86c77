"""Soft: art is shown larger than it is, so that its pixels do not suffice, on screens of one, two and three device pixels."""

import json
import math
from dataclasses import replace
from functools import partial

from clinamen.core.bounds.sharpness import sharpest
from clinamen.core.checks import fixes
from clinamen.core.checks.base import Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.checks.edge_many import FEWEST
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.quantities import counted, shown

BELOW = 0.002  # a cure aims so much below SPARE, so that rounding does not lift it over again
SPARE = 1.02  # nobody sees a fiftieth
MOST = 2.0  # a layer that would have to be smaller than half as large is not cured by that
SCREENS = (1, 2, 3)  # device pixels a page pixel


@register
class SoftCheck(Check):
    id = "soft"
    name = "soft layer"
    plural = "soft layers"
    unit = "×"
    description = "A layer's art has fewer pixels than it is shown with."
    sure = "exact at keys, overshoots and ends, where the largest use lies"
    spread = "local"

    def short(self, finding: Finding) -> str:
        return f"shown at {shown(finding.amount, 2)} × its own pixels"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for layer in seen_layers(subject.scene):
            if _sharp_at_any_size(layer):
                continue
            use, state = subject.kept(self.id, layer, partial(sharpest, subject.scene, layer, subject.needs))
            if use <= SPARE:
                continue
            width, height = layer.art.width * use, layer.art.height * use
            sizes = ", ".join(f"{round(width * n)} × {round(height * n)} px at {n}×" for n in SCREENS)
            larger = f"{layer.label} is shown at {shown(use, 2)} times its own pixels"
            message = f"{larger} ({describe_state(subject.scene, state)}); to be sharp its art would have to be {sizes}"
            scale = math.floor(layer.framing.scale * (SPARE - BELOW) / use * 10000) / 10000
            upright = layer.tilt.lean == layer.tilt.turn == 0
            fix = (fixes.scale(layer, scale),) if upright and use <= MOST else ()
            found.append(
                Finding(
                    self.id, "note", layer.id, state, use, self.unit, subject.box_at(layer, state), message, "", fix
                )
            )
        return _together(subject.scene, sorted(found, key=lambda finding: -finding.amount))


def _together(scene: Scene, findings: list[Finding]) -> list[Finding]:
    """The findings; as one with one press where they are of many layers, as after a whole stack was scaled."""
    if len(findings) < FEWEST:
        return findings
    scales = {finding.layer: fix.value for finding in findings for fix in finding.fixes}
    down = max((1 - scale / scene.layer(name).framing.scale for name, scale in scales.items()), default=0.0)
    text = f"Scale {counted(len(scales), 'layer')} down, by up to {shown(100 * down, 1)} %"
    cures = (Fix("scale", 1 - down, "scale-many", {"scales": json.dumps(scales)}, text),) if scales else ()
    message = f"{len(findings)} layers are shown larger than their own pixels: {findings[0].message}"
    return [replace(findings[0], message=message, closers=tuple(each.layer for each in findings), fixes=cures)]


def _sharp_at_any_size(layer: Layer) -> bool:
    made = layer.art.made
    return (
        made.sharp or made.group == "Shadow"
        if made is not None
        else layer.recipe is None and layer.art.file.lower().endswith(".svg")
    )
