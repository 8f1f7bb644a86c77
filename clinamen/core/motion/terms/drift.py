"""Drift: a few swings of seeded strengths and beginnings, none quicker than the pace, laid through keys.

The swings are sampled sixteen times in the quickest one's period and joined by monotone cubics, so that a drift is a curve
like any other: page, kit and proof need know nothing of it, and it cannot leave its reach, which its keys keep. Where time
loops every swing fits the duration a whole number of times; what is slower than the loop swings once in it.
"""

from collections.abc import Iterable, Sequence
from functools import lru_cache

import numpy as np

from clinamen.core.document import Bearer, Drivers, Key, Scene, TimeDriver, Track, channels_of
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.terms.base import Term
from clinamen.core.motion.terms.curve import CurveTerm

SWINGS = 5
SLOWEST = 0.3  # of the pace
KEYS_A_SWING = 16


class DriftTerm(CurveTerm):
    """A compiled drift."""

    kind = "drift"

    def __init__(self, track: Track, drivers: Drivers) -> None:
        assert drivers.time is not None
        super().__init__(track, drivers, _curve(track, drivers.time))


@lru_cache(maxsize=500)
def _curve(track: Track, time: TimeDriver) -> Curve:
    """The drift as a curve through keys over the whole duration; kept, since a scene is compiled again and again."""
    assert track.drift is not None
    drift, end = track.drift, time.duration
    random = np.random.default_rng(drift.seed)
    strengths, beginnings = random.uniform(0.4, 1.0, SWINGS), random.uniform(0, 2 * np.pi, SWINGS)
    paces = drift.pace * np.sort(random.uniform(SLOWEST, 1.0, SWINGS))
    paces[-1] = drift.pace
    if time.loop:
        most = max(1.0, np.floor(drift.pace * end + 1e-9))
        paces = np.clip(np.round(paces * end), 1, most) / end
    count = max(2, int(np.ceil(KEYS_A_SWING * paces.max() * end)))
    at = np.linspace(0, end, count + 1)
    swung = np.sin(2 * np.pi * paces * at[:, None] + beginnings) @ strengths
    largest = np.abs(swung).max()
    values = channels_of(track.target)[track.channel].rest + drift.reach * swung / max(largest, 1e-12)
    if time.loop:
        values[-1] = values[0]
    keys = tuple(
        Key(at=float(place), value=float(value), ease="smooth") for place, value in zip(at, values, strict=True)
    )
    return Curve(Track(target=track.target, channel=track.channel, driver="time", keys=keys))


def terms_of(scene: Scene, target: str, own: Bearer | None, tracks: Sequence[Track]) -> Iterable[tuple[str, Term]]:
    """One for every drift of the target, while time is on."""
    for track in tracks:
        if track.drift is not None and scene.drivers.time is not None:
            yield track.channel, DriftTerm(track, scene.drivers)
