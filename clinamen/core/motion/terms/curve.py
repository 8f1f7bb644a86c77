"""Curve: a track of keys over scroll or time.

Scroll is held within 0…1. Past the end of its duration time begins again where it loops and is held where it does not;
the end itself is a moment of its own, so that a closed range can name it.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Bearer, Drivers, Scene, Track, channels_of
from clinamen.core.interval import Interval
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.states import Cells, States
from clinamen.core.motion.terms.base import Names, Term

SAMPLES = 256  # steps of a sampled track over its driver, for engines without Béziers
MOST_TURNS = 1000  # keys and overshoots looked at one by one


class CurveTerm(Term):
    """A compiled track of a driver that is on; `end` is where the driver ends, `keys` what it runs through: the track's own,
    or those of a `curve` that stands for it."""

    kind = "curve"

    def __init__(self, track: Track, drivers: Drivers, curve: Curve | None = None) -> None:
        self.track, self.curve = track, curve or Curve(track)
        self.keys = self.curve.keys
        self.loops = track.driver == "time" and drivers.time is not None and drivers.time.loop
        self.end = drivers.end(track.driver)
        self.axes = frozenset({track.driver})
        nothing = Interval.point(np.zeros(0))
        self._last = nothing, nothing  # the stretches asked for last, and the answer

    def value(self, states: States) -> Floats:
        at: Floats = getattr(states, self.track.driver)
        if self.loops:
            return self.curve.value(np.where(at > self.end, np.mod(at, self.end), at))
        return self.curve.value(np.clip(at, 0.0, self.end))

    def range(self, cells: Cells) -> Interval:
        over, which = cells.different(self.track.driver)
        asked, bounds = self._last
        if over is not asked:  # what a carrier does is asked for each layer that it carries
            bounds = Interval(*self.curve.range(over.low, over.high))
            self._last = over, bounds
        return bounds if which is None else bounds.select(which)

    def css(self, names: Names) -> str:
        return names.track(self)

    def at_rest(self) -> float:
        """The value where the driver is at its start."""
        return float(self.curve.value(np.zeros(1))[0])

    def kit(self) -> Mapping[str, Any]:
        # told piece by piece: a linear() between two keys becomes keys of its own
        keys: list[dict[str, Any]] = [
            {
                "at": piece.start, "value": piece.first,
                "ease": piece.handles or ("jump" if piece.jumps_at_start else "hold"),
            }
            for piece in self.curve.pieces
        ]  # fmt: skip
        last = self.keys[-1]
        keys.append({"at": last.at, "value": last.value, "ease": None})
        samples = self.curve.value(np.linspace(0, self.end, SAMPLES + 1))
        return {
            "target": self.track.target, "channel": self.track.channel, "driver": self.track.driver,
            "combine": channels_of(self.track.target)[self.track.channel].combine, "keys": keys,
            "step": self.end / SAMPLES, "samples": [round(float(value), 6) for value in samples],
        }  # fmt: skip

    def turns(self, axis: str) -> Floats:
        if axis != self.track.driver:
            return np.zeros(0)
        # up to a jump the earlier value holds: the last moment before it is a place of its own
        return np.union1d(self.curve.turn_at, np.nextafter(self.curve.jump_at, -np.inf))[:MOST_TURNS]

    def jumps(self, axis: str) -> Floats:
        return self.curve.jump_at if axis == self.track.driver else np.zeros(0)


def terms_of(scene: Scene, target: str, own: Bearer | None, tracks: Sequence[Track]) -> Iterable[tuple[str, Term]]:
    """One for every track of the target whose driver is on."""
    for track in tracks:
        if track.keys and scene.drivers.is_on(track.driver):
            yield track.channel, CurveTerm(track, scene.drivers)
