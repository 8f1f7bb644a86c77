"""Weight: what a scene costs who looks at it: bytes to fetch, textures, memory, how often each pixel is drawn, layers to put
together.

With what would save: smaller art, art cut to what the move ever shows, layers that could be one.
"""

import math

import numpy as np

from clinamen.core.bounds.sharpness import sharpest
from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import counted, shown

LIMITS = (8192, 4096)  # px a side: what desktops and what phones take (common practice, no source)
BYTES = 4  # a pixel
MEMORY = 512e6  # bytes of decoded art that a page can expect a phone to hold (common practice, no source)
DOWNLOAD = 12e6  # bytes of art that a page may take to fetch (common practice, no source)
DRAWN = 8.0  # times that each pixel of the view may be drawn over (common practice, no source)
LAYERS = 60  # that a browser puts together at every frame (common practice, no source)
SAVES = 0.1  # of the memory: less is not told
DENSE = 2.0  # device px a page pixel that art should still be sharp on


@register
class WeightCheck(Check):
    id = "weight"
    name = "heavy layer"
    plural = "heavy layers"
    description = "Art is larger than graphics cards take, or the scene is much to fetch, to hold or to draw."
    sure = "exact, from sizes and files; the limits are common practice"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        return f"{shown(finding.amount, 0)} {finding.unit}"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "whatever moves"

    def run(self, subject: Subject) -> list[Finding]:
        if subject.scene.purpose == "film":  # nobody fetches its art, no phone draws it
            return []
        layers = list(seen_layers(subject.scene))
        found = [finding for layer in layers for finding in self._large(subject, layer)]
        if layers:
            found += [*self._memory(subject, layers), *self._download(subject, layers), *self._drawing(subject, layers)]
        return sorted(found, key=lambda finding: -finding.amount)

    def _note(
        self, subject: Subject, layer: str, amount: float, unit: str, says: str, side: str, *fixes: Fix
    ) -> Finding:
        return Finding(self.id, "note", layer, State(), amount, unit, subject.whole_view, says, side, fixes)

    def _large(self, subject: Subject, layer: Layer) -> list[Finding]:
        side = max(layer.strip)
        limit = next((each for each in LIMITS if side > each), None)
        if limit is None:
            return []
        whose = "desktops" if limit == LIMITS[0] else "phones"
        message = f"{layer.label} is {side} px long; {whose} take {limit} px a texture"
        fixes = []
        if layer.art.file and layer.frames is None:
            share = limit / side
            width, height = (max(1, math.floor(each * share)) for each in (layer.art.width, layer.art.height))
            values = {"layer": layer.id, "step": "resize", "width": str(width), "height": str(height)}
            fixes.append(
                Fix("resize", float(limit), "step-add", values, f"Resize {layer.label} to {width} × {height} px")
            )
        return [self._note(subject, layer.id, float(side), "px", message, "", *fixes)]

    def _memory(self, subject: Subject, layers: list[Layer]) -> list[Finding]:
        total = sum(_bytes(layer) for layer in layers)
        if total <= MEMORY:
            return []
        most = max(layers, key=_bytes)
        message = (
            f"{counted(len(layers), 'layer')} take {shown(total / 1e6, 0)} MB of memory at full size, {most.label} the most "
            f"({shown(_bytes(most) / 1e6, 0)} MB); more than {shown(MEMORY / 1e6, 0)} MB is much for a phone"
        )
        return [self._note(subject, most.id, total / 1e6, "MB", message + _savings(subject, layers, total), "memory")]

    def _download(self, subject: Subject, layers: list[Layer]) -> list[Finding]:
        if subject.art is None:
            return []
        files = {layer.art.file: layer for layer in layers if layer.art.file}
        weights = {file: subject.art.weight(layer) for file, layer in files.items()}
        total = sum(weights.values())
        if total <= DOWNLOAD:
            return []
        most = files[max(weights, key=lambda file: weights[file])]
        message = (
            f"the art is {shown(total / 1e6, 1)} MB to fetch as it was brought in, {most.label} the most "
            f"({shown(weights[most.art.file] / 1e6, 1)} MB); more than {shown(DOWNLOAD / 1e6, 0)} MB is much for a page"
        )
        return [self._note(subject, most.id, total / 1e6, "MB to fetch", message, "download")]

    def _drawing(self, subject: Subject, layers: list[Layer]) -> list[Finding]:
        found = []
        shares = {layer.id: subject.resting_share(layer) for layer in layers}
        drawn = sum(shares.values())
        if drawn > DRAWN:
            most = max(layers, key=lambda layer: shares[layer.id])
            over = f"each pixel of the view is drawn {shown(drawn, 1)} times over"
            message = f"{over}; more than {shown(DRAWN, 0)} is much for a phone"
            found.append(
                self._note(subject, most.id, drawn, "times over", message + _merging(subject, layers), "overdraw")
            )
        if len(layers) > LAYERS:
            message = f"{len(layers)} layers are put together at every frame; more than {LAYERS} is much for a browser"
            found.append(
                self._note(
                    subject, layers[-1].id, float(len(layers)), "layers", message + _merging(subject, layers), "layers"
                )
            )
        return found


def _bytes(layer: Layer) -> float:
    return float(layer.strip[0] * layer.strip[1] * BYTES)


def _savings(subject: Subject, layers: list[Layer], total: float) -> str:
    """What trimming to the move and smaller art would save, in words."""
    trimmed = sum(_bytes(layer) * (1 - _shown(subject, layer)) for layer in layers)
    smaller = sum(_bytes(layer) * (1 - min(1.0, _use(subject, layer) * DENSE) ** 2) for layer in layers)
    told = [
        f"{what} would save {shown(saved / 1e6, 0)} MB"
        for what, saved in (
            ("cutting art to what the move shows", trimmed),
            (f"art no larger than is sharp at {shown(DENSE)}×", smaller),
        )
        if saved > SAVES * total
    ]
    return f"; {', '.join(told)}" if told else ""


def _use(subject: Subject, layer: Layer) -> float:
    """View pixels a pixel of a layer's art at its sharpest."""
    return subject.kept("soft", layer, lambda: sharpest(subject.scene, layer, subject.needs))[0]


def _shown(subject: Subject, layer: Layer) -> float:
    """The share of a layer's art that is ever in the view."""
    if layer.repeats or layer.frames is not None:
        return 1.0
    left, top, right, bottom = np.nan_to_num(subject.needs.of(layer).box, posinf=1e9, neginf=-1e9)
    wide = max(0.0, min(right, layer.art.width / 2) - max(left, -layer.art.width / 2))
    high = max(0.0, min(bottom, layer.art.height / 2) - max(top, -layer.art.height / 2))
    return float(wide * high / (layer.art.width * layer.art.height))


def _merging(subject: Subject, layers: list[Layer]) -> str:
    """Which neighbours in drawing order move alike, and could be one layer."""
    runs: list[list[Layer]] = []
    for layer in layers:
        if runs and _alike(subject.scene, runs[-1][-1], layer):
            runs[-1].append(layer)
        else:
            runs.append([layer])
    longest = max(runs, key=len)
    return (
        f"; {', '.join(each.label for each in longest)} move alike and could be one layer" if len(longest) > 1 else ""
    )


def _alike(scene: Scene, one: Layer, other: Layer) -> bool:
    moved = {track.target for track in scene.tracks}
    plain = all(
        layer.blend == "normal"
        and not layer.repeats
        and layer.frames is None
        and layer.id not in moved
        and not layer.look
        for layer in (one, other)
    )
    return plain and (one.depth, one.tilt, one.carrier, one.group) == (
        other.depth,
        other.tilt,
        other.carrier,
        other.group,
    )
