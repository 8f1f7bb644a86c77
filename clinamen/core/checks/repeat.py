"""Repeat: art that repeats is told by its eye-catching parts: the same piece is in the view twice at once, or soon again.

What hardly differs from itself, as water or mist, may repeat unseen and is left alone; how much it differs is measured on the
art.
"""

import math
from functools import partial

import numpy as np

from clinamen.core.bounds.speeds import state_on, top_speed
from clinamen.core.checks.base import Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.checks.speed import pace_of, slower
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits.loop import period_of
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown
from clinamen.core.stage import Sheet, project, stage_at

TELLING = 12.0  # ΔE (CIE76) between art and itself half a period on, from which a piece is known again
TWICE = 1.1  # of a piece: less of its second copy than a tenth is a sliver at the view's edge
SOON = 10.0  # seconds within which a piece that comes again is still known
UNTOLD = ("Weather", "Film")  # made art that repeats to be no piece of its own
MOST = 400  # joints that are looked for


@register
class RepeatCheck(Check):
    id = "repeat"
    name = "repeat that shows"
    plural = "repeats that show"
    unit = "times"
    description = "The same piece of art is seen twice at once, or soon again."
    sure = "measured on the art; at the largest view and the top speed"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        if finding.side == "again":
            return f"the same piece {shown(finding.amount, 0)} times a minute"
        return f"the same piece {shown(finding.amount, 1)} times at once"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for layer in seen_layers(subject.scene):
            if subject.art is None or layer.repeat.x == "none" or layer.art.group in UNTOLD:
                continue
            if subject.art.variety(layer) >= TELLING:
                found += self._at_once(subject, layer) or self._again(subject, layer)
        return sorted(found, key=lambda finding: -finding.amount)

    def _at_once(self, subject: Subject, layer: Layer) -> list[Finding]:
        """As many copies as the view holds where the layer is seen smallest."""
        scene, need = subject.scene, subject.needs.of(layer)
        wide = need.box[2] - need.box[0]
        ends = [(index, subject.needs_at(need.states[index]).of(layer).box) for index in (0, 2)]
        index, box = max(ends, key=lambda each: each[1][2] - each[1][0])
        state = need.states[index]
        seen = (box[2] - box[0] if math.isfinite(wide) else wide) * layer.framing.scale / period_of(layer)
        if not math.isfinite(seen) or seen < TWICE:
            return []
        message = (
            f"the same piece of {layer.label} is in the view {shown(seen, 2)} times at once ({describe_state(scene, state)}); "
            f"its art would have to be {shown(layer.art.width * seen, 0)} px wide, or mirrored where it repeats"
        )
        fixes: tuple[Fix, ...] = ()
        if layer.repeat.x == "tile" and seen / 2 < TWICE:
            values = {"layer": layer.id, "repeat_x": "mirror"}
            fixes = (Fix("mirror", 0.0, "layer", values, f"Mirror {layer.label} where it repeats"),)
        return [
            Finding(self.id, "note", layer.id, state, seen, self.unit, subject.whole_view, message, "at once", fixes)
        ]

    def _again(self, subject: Subject, layer: Layer) -> list[Finding]:
        """How soon a piece comes again at the layer's top speed."""
        scene = subject.scene
        speeds = [
            (top.whole * pace_of(scene, driver), driver, top.at)
            for driver in ("scroll", "time") if scene.drivers.is_on(driver) and subject.motion.moves_over(layer, driver)
            for top in [subject.kept(f"speed {driver}", layer, partial(top_speed, scene, subject.motion, layer, driver))]
        ]  # fmt: skip
        speed, driver, at = max(speeds, default=(0.0, "time", 0.0))
        if speed <= 0 or (after := period_of(layer) / speed) > SOON:
            return []
        if _travel(subject, layer, driver) < period_of(layer):
            return []
        state = state_on(driver, at)
        pace = " at the pace of reading on" if driver == "scroll" else ""
        message = f"the same piece of {layer.label} comes again after {shown(after, 1)} s{pace} ({describe_state(scene, state)})"
        fixes = slower(scene, driver, SOON / after)
        return [
            Finding(
                self.id, "note", layer.id, state, 60 / after, self.unit, subject.whole_view, message, "again", fixes
            )
        ]


def _travel(subject: Subject, layer: Layer, driver: str) -> float:
    """How far a layer goes across between the ends of a driver, in view px."""
    ends = [state_on(driver, at) for at in (0.0, subject.scene.drivers.end(driver))]
    one, two = (stage_at(subject.scene, end, subject.motion, (layer,)).sheets[0].centre()[0][0] for end in ends)
    return float(abs(two[0] - one[0]))


def copies_at(scene: Scene, sheet: Sheet, axis: str) -> list[float]:
    """Where the joints of art that repeats along an axis are seen in the view at one state: view px along that axis."""
    side = "xy".index(axis)
    size = (sheet.layer.art.width, sheet.layer.art.height)[side]
    counts = np.arange(-MOST // 2, MOST // 2) + 0.5
    points = np.zeros((len(counts), 2))
    points[:, side] = counts * size
    seen, ahead = project(sheet.matrix[0], points)
    at = seen[ahead > 0, side]
    return [float(place) for place in at if 0 < place < (scene.view.width, scene.view.height)[side]]


def meets(subject: Subject, layer: Layer, axis: str) -> State | None:
    """A state at which a joint is in the view: at rest, or where the view reaches farthest over the art; None where it never
    is."""
    need = subject.needs.of(layer)
    index = "xy".index(axis)
    half = (layer.art.width, layer.art.height)[index] / 2
    for state in (State(), need.states[index], need.states[index + 2]):
        sheet = stage_at(subject.scene, state, subject.motion, (layer,)).sheets[0]
        if copies_at(subject.scene, sheet, axis):
            return state
    return need.states[index] if need.box[index] < -half or need.box[index + 2] > half else None
