"""Soft: art is shown larger than it is, so that its pixels do not suffice, on screens of one, two and three device pixels."""

import math
from dataclasses import replace
from functools import partial

from clinamen.core.bounds.sharpness import sharpest
from clinamen.core.checks import fixes
from clinamen.core.checks.base import MANY, Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.checks.edge import TOLERANCE, kept_out, short_by
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits import changes
from clinamen.core.quantities import shown

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
            cures = _smaller(subject, layer, use) if subject.with_fixes else ()
            where = subject.box_at(layer, state)
            found.append(Finding(self.id, "note", layer.id, state, use, self.unit, where, message, "", cures))
        return _together(subject.scene, sorted(found, key=lambda finding: -finding.amount))


def _smaller(subject: Subject, layer: Layer, use: float) -> tuple[Fix, ...]:
    """The scale at which a layer is sharp, unless a side that was meant to stay out would come into the view with it."""
    scale = math.floor(layer.framing.scale * (SPARE - BELOW) / use * 10000) / 10000
    if use > MOST or layer.tilt.lean or layer.tilt.turn:
        return ()
    changed = changes.with_scale(subject.scene, layer.id, scale)
    for side in kept_out(subject.needs, layer, subject.sets[layer.id]):
        comes_in = short_by(changed, layer.id, side)
        if comes_in > TOLERANCE and comes_in > short_by(subject.scene, layer.id, side):
            return ()
    return (fixes.scale(layer, scale),)


def _together(scene: Scene, findings: list[Finding]) -> list[Finding]:
    """The findings; as one with one press where they are of many layers, as after a whole stack was scaled."""
    if len(findings) < MANY:
        return findings
    scales = {finding.layer: fix.value for finding in findings for fix in finding.fixes}
    cures = (fixes.scale_many(scene, scales),) if scales else ()
    message = f"{len(findings)} layers are shown larger than their own pixels: {findings[0].message}"
    return [replace(findings[0], message=message, closers=tuple(each.layer for each in findings), fixes=cures)]


def _sharp_at_any_size(layer: Layer) -> bool:
    made = layer.art.made
    return (
        made.sharp or made.group == "Shadow"
        if made is not None
        else layer.recipe is None and layer.art.file.lower().endswith(".svg")
    )
