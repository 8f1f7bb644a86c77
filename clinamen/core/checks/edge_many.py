"""Many cut edges are one finding: a stack whose art is too small for a move is told of once, and cured by one press.

Its cures are those of the single edges, put together: every layer scaled as much as it needs, or extended on every side, with
what that takes said before.
"""

import json
import math
from collections.abc import Sequence
from dataclasses import replace

from clinamen.core.bounds.needs import Needs, shortage
from clinamen.core.checks import fixes
from clinamen.core.checks.base import MANY, Finding, Fix, Subject
from clinamen.core.document import Layer, Scene
from clinamen.core.edits import changes
from clinamen.core.quantities import counted, shown
from clinamen.core.recipes import extended

MOST_SCALE = 4.0
TRIES = 3  # rounds in which what still falls short is scaled more


def together(subject: Subject, findings: Sequence[Finding], tolerance: float) -> list[Finding]:
    """The findings, the worst first; as one where they are of many layers."""
    names = list(dict.fromkeys(finding.layer for finding in findings))
    if len(names) < MANY:
        return list(findings)
    worst = findings[0]
    cures = _fixes(subject, names, findings, tolerance) if subject.with_fixes else ()
    return [replace(worst, message=message_of(len(names), worst.message), closers=tuple(names), fixes=cures)]


def message_of(count: int, worst: str) -> str:
    """Sentence on many layers, with the sentence on the worst of them."""
    return f"{count} layers come into the view with a cut edge: {worst}"


def _fixes(subject: Subject, names: list[str], findings: Sequence[Finding], tolerance: float) -> tuple[Fix, ...]:
    scene, found = subject.scene, list[Fix]()
    cut = {name: [finding.side for finding in findings if finding.layer == name] for name in names}
    scales = _scales(scene, subject.needs, cut, tolerance)
    if scales:
        found.append(fixes.scale_many(scene, scales))
    sides: dict[str, dict[str, int]] = {}
    for finding in findings:
        layer = scene.layer(finding.layer)
        if not (layer.tilt.lean or layer.tilt.turn):
            missing = finding.amount / (layer.framing.scale * scene.camera.zoom)
            sides.setdefault(layer.id, {})[finding.side] = math.ceil(missing)
    if len(sides) == len(names):
        made = [_extended(scene.layer(name), sides[name]) for name in names]
        seconds = sum(layer.recipe.seconds for layer in made if layer.recipe)
        text = f"Extend {counted(len(names), 'layer')}, about {shown(max(1.0, seconds), 0)} s to prepare"
        found.append(Fix("extend", seconds, "extend-many", {"sides": json.dumps(sides)}, text))
    return tuple(found)


def _extended(layer: Layer, sides: dict[str, int]) -> Layer:
    for side, pixels in sides.items():
        layer = extended(layer, side, pixels)
    return layer


def _scales(scene: Scene, needs: Needs, cut: dict[str, list[str]], tolerance: float) -> dict[str, float]:
    """The framing scales with which the `cut` sides of layers are not short; empty where one would have to grow too much."""
    rest = {name: scene.layer(name).framing.scale for name in cut}
    scales = dict(rest)
    for _ in range(TRIES):
        short = {name: shortage(scene.layer(name), needs.of(scene.layer(name))) for name in cut}
        left = [
            name for name in cut if max(short[name][side] for side in cut[name]) * _shown_at(scene, name) > tolerance
        ]
        if not left:
            return scales
        for name in left:
            art, missing = scene.layer(name).art, short[name]
            half = {side: (art.width if side in ("left", "right") else art.height) / 2 for side in cut[name]}
            most = max((half[side] + missing[side]) / half[side] for side in cut[name])
            scales[name] = math.ceil(scales[name] * most * 1000 - 1e-6) / 1000
            if scales[name] > MOST_SCALE * rest[name]:
                return {}
            scene = changes.with_scale(scene, name, scales[name])
        needs = Needs(scene)
    return {}


def _shown_at(scene: Scene, name: str) -> float:
    return scene.layer(name).framing.scale * scene.camera.zoom
