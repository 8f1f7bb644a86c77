"""Speed: a layer goes over the view faster than is comfortable, or light flashes more often than three times a second.

Flashes are WCAG 2.2, success criterion 2.3.1: a pair of opposing changes of relative luminance by a tenth and more, the darker
below 0.8, over more than a quarter of 341 × 256 px of a view of 1024 × 768. What opacity does is bounded by the lightest and the
darkest that could be behind; what an actor's cells do is measured on them. WCAG names no speed: the limit here is the view's own
width in a second, common practice, no source.
"""

import math

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounds.speeds import NORMAL, QUICK, state_on, top_speeds
from clinamen.core.checks.base import Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.document.motion import LONGEST_SCROLL, LONGEST_TIME
from clinamen.core.motion.cells import period
from clinamen.core.motion.states import States
from clinamen.core.pictures.telling import CHANGE
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import stage

WIDTHS = 1.0  # view widths a second that are comfortable
NEARLY = 0.7  # of that: from which a speed is closed in on
FLASHES = 3  # a second
LARGE = 0.25 * 341 * 256 / (1024 * 768)  # of the view: what is smaller does not flash
RATE = 60  # looks a second at what opacity does
LONGEST = 600  # seconds that are looked at


@register
class SpeedCheck(Check):
    id = "speed"
    name = "speed or flash"
    plural = "speeds and flashes"
    unit = "px/s"
    description = "A layer goes faster than is comfortable, or flashes more than three times a second."
    sure = "speeds looked for at 129 places and closed in on; flashes of each layer by itself, sixty looks a second"

    def short(self, finding: Finding) -> str:
        if finding.unit == self.unit:
            return f"goes {shown(finding.amount, 0)} px a second"
        return f"flashes {shown(finding.amount, 0)} times a second"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for driver in ("scroll", "time"):
            if subject.scene.drivers.is_on(driver):
                found += self._quick(subject, driver)
        for layer in seen_layers(subject.scene):
            found += self._flashes(subject, layer)
        return sorted(found, key=lambda finding: (finding.unit == self.unit, -finding.amount))

    def _quick(self, subject: Subject, driver: str) -> list[Finding]:
        scene, pace = subject.scene, pace_of(subject.scene, driver)
        limit = WIDTHS * scene.view.width
        # rain and snow are meant to be quick
        layers = tuple(
            x for x in seen_layers(scene) if x.art.group != "Weather" and subject.motion.moves_over(x, driver)
        )
        tops = subject.kept_of_each(
            ("speed", driver), layers,
            lambda some: top_speeds(scene, subject.motion, some, driver, NEARLY * limit / pace),
        )  # fmt: skip
        return [
            self._too_quick(subject, layer, driver, (top.whole * pace, limit), top.at)
            for layer, top in zip(layers, tops, strict=True) if top.whole * pace > limit
        ]  # fmt: skip

    def _too_quick(self, subject: Subject, layer: Layer, driver: str, pair: tuple[float, float], at: float) -> Finding:
        scene, (speed, limit) = subject.scene, pair
        state = state_on(driver, at)
        when = "when the page is scrolled as one reads on" if driver == "scroll" else "by itself"
        quick = f", {shown(speed * QUICK / NORMAL, 0)} in a flick" if driver == "scroll" else ""
        message = (
            f"{layer.label} goes {shown(speed, 0)} px a second {when}{quick} ({describe_state(scene, state)}); more than the "
            f"view's width in a second is hard to follow"
        )
        fixes = slower(scene, driver, speed / limit)
        return Finding(
            self.id, "note", layer.id, state, speed, self.unit, subject.box_at(layer, state), message, driver, fixes
        )

    def _flashes(self, subject: Subject, layer: Layer) -> list[Finding]:
        time = subject.scene.drivers.time
        if time is None:
            return []
        count, why, at = max(_of_cells(subject, layer), _of_opacity(subject, layer))
        if count <= FLASHES:
            return []
        state = state_on("time", at)
        message = (
            f"{layer.label} flashes up to {count} times in a second, by its {why} ({describe_state(subject.scene, state)}); "
            "more than three are dangerous to some (WCAG 2.2, 2.3.1)"
        )
        fixes = slower(subject.scene, "time", count / FLASHES)
        if why == "cells" and layer.frames is not None:
            fps = math.floor(layer.frames.fps * FLASHES / count * 100) / 100
            values = {"layer": layer.id, "fps": plain(fps)}
            fixes = (Fix("fps", fps, "actor", values, f"Play {shown(fps)} cells a second"),)
        amount, where = float(count), subject.box_at(layer, state)
        return [Finding(self.id, "error", layer.id, state, amount, "flashes/s", where, message, "flash", fixes)]


def pace_of(scene: Scene, driver: str) -> float:
    """How much of a driver passes in a second, as a share of all of it: of a scroll that one reads on by."""
    if driver == "scroll":
        return NORMAL / scene.drivers.scroll.length if scene.drivers.scroll else 0.0
    return 1 / scene.drivers.time.duration if scene.drivers.time else 0.0


def slower(scene: Scene, driver: str, times: float) -> tuple[Fix, ...]:
    """The driver as much longer as the layer is too quick; nothing where that is longer than it can be."""
    if driver == "scroll":
        assert scene.drivers.scroll is not None
        length = float(math.ceil(scene.drivers.scroll.length * times))
        values = {"driver": "scroll", "length": plain(length)}
        fix = Fix("length", length, "driver", values, f"Let the scroll be {shown(length, 0)} px long")
        return (fix,) if length <= LONGEST_SCROLL else ()
    assert scene.drivers.time is not None
    duration = math.ceil(scene.drivers.time.duration * times * 100) / 100
    values = {"driver": "time", "duration": plain(duration)}
    fix = Fix("duration", duration, "driver", values, f"Let time last {shown(duration)} s")
    return (fix,) if duration <= LONGEST_TIME else ()


def _of_cells(subject: Subject, layer: Layer) -> tuple[int, str, float]:
    """The most flashes in a second that an actor's cells make, and when it begins."""
    frames = layer.frames
    if frames is None or subject.art is None or frames.play == "once":
        return 0, "cells", 0.0
    large = LARGE / max(subject.resting_share(layer), 1e-9)
    steps = [1 if up >= large else -1 if down >= large else 0 for up, down in subject.art.flicker(layer)]
    steps = steps if frames.play == "cycle" else [*steps[:-1], *(-step for step in steps[-2::-1])]
    turned = _opposing(np.array(steps * math.ceil(1 + frames.fps / max(len(steps), 1)), float))
    most, first = _most_within(np.flatnonzero(turned) / frames.fps)
    return most, "cells", min(first, period(frames))


def _of_opacity(subject: Subject, layer: Layer) -> tuple[int, str, float]:
    """The most flashes in a second that a layer's coming and going can make, and when they begin."""
    time = subject.scene.drivers.time
    if time is None or not subject.motion.fades_over(layer, "time") or subject.resting_share(layer) < LARGE:
        return 0, "opacity", 0.0
    at = np.linspace(0, min(time.duration, LONGEST), int(min(time.duration, LONGEST) * RATE) + 1)
    opacity = stage(subject.scene, States.still(len(at), time=at), subject.motion, (layer,)).sheets[0].opacity
    light = subject.art.light(layer) if subject.art is not None else 1.0
    changes = np.round(opacity * max(light, 1 - light), 9)
    most, first = _most_within(at[_turns(changes)])
    return most, "opacity", first


def _turns(values: Floats) -> "np.ndarray[tuple[int, ...], np.dtype[np.intp]]":
    """Where each flash is whole: values that went one way by CHANGE have gone the other way by as much."""
    going, far, found = 0, float(values[0]), []
    for index, value in enumerate(values.tolist()):
        if going == 0 and abs(value - values[0]) >= CHANGE:
            going, far = (1 if value > values[0] else -1), value
        elif going and (far - value) * going >= CHANGE:
            found.append(index)
            going, far = -going, value
        elif going and (value - far) * going > 0:
            far = value
    return np.array(found[::2], np.intp)


def _opposing(steps: Floats) -> "np.ndarray[tuple[int, ...], np.dtype[np.bool_]]":
    """Which steps end a pair of opposing changes: up after down, or down after up, each counted once."""
    ends, last = np.zeros(len(steps), bool), 0.0
    for index, step in enumerate(steps):
        if step and last and step == -last:
            ends[index], last = True, 0.0
        elif step:
            last = step
    return ends


def _most_within(times: Floats, second: float = 1.0) -> tuple[int, float]:
    """The most of some moments within a second, and when that begins."""
    if not len(times):
        return 0, 0.0
    counts = np.searchsorted(times, times + second, side="left") - np.arange(len(times))
    index = int(counts.argmax())
    return int(counts[index]), float(times[index])
