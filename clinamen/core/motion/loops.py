"""The loop plan: how many whole repeats each layer makes, so that a scene closes.

A sheet that repeats every w view pixels and passes by at v pixels a frame is where it began after w / v frames. A loop of N
frames closes when N · v / w is whole for every sheet and N holds every actor's cycle a whole number of times. Given wanted
speeds, each N has its nearest whole repeats; the plan lists the loops with the least error in speed first.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from clinamen.core.errors import BadEdit

MOST_FRAMES = 100_000
LISTED = 6


@dataclass(frozen=True)
class Row:
    """A sheet that repeats every `period` view pixels and ought to pass by at `speed` pixels a frame (its sign does not count
    here). `locked`: it makes just so many repeats, whatever its speed becomes."""

    name: str
    period: float
    speed: float
    locked: int | None = None


@dataclass(frozen=True)
class Loop:
    """A loop of `frames`, in which row i repeats `repeats[i]` times at `speeds[i]` pixels a frame; `error` is the largest
    relative error of a speed that is not locked."""

    frames: int
    repeats: tuple[int, ...]
    speeds: tuple[float, ...]
    error: float


def plans(rows: Sequence[Row], cycles: Sequence[int] = (), most: int = 3000, least: int = 1) -> list[Loop]:
    """The best loops of `least` to `most` frames: least error first, the shorter of two alike first; a longer one only if it is
    better, and of those with the same repeats only the best."""
    for row in rows:
        if row.period <= 0 or (row.speed == 0 and row.locked is None):
            raise BadEdit(f"{row.name}: has to repeat and to pass by; give it a repeat and a rate above 0")
    step = math.lcm(*cycles) if cycles else 1
    if not 1 <= least <= most <= MOST_FRAMES:
        raise BadEdit(f"frames: a loop has from 1 to {MOST_FRAMES} frames; type a smaller number")
    frames = np.arange(step * math.ceil(least / step), most + 1, step)
    if not len(frames):
        raise BadEdit(f"frames: the actors' cycles close every {step} frames; allow at least {step}")
    error = np.zeros(len(frames))
    repeats = np.ones((len(frames), len(rows)), int)
    for index, row in enumerate(rows):
        if row.locked is not None:
            repeats[:, index] = row.locked
            continue
        wanted = frames * abs(row.speed) / row.period
        repeats[:, index] = np.maximum(1, np.rint(wanted))
        error = np.maximum(error, np.abs(repeats[:, index] / wanted - 1))
    error = np.round(error, 12)
    better = error < np.minimum.accumulate(np.concatenate([[np.inf], error[:-1]]))
    found = [
        Loop(
            int(frames[place]),
            tuple(int(n) for n in repeats[place]),
            tuple(float(n * row.period / frames[place]) for n, row in zip(repeats[place], rows, strict=True)),
            float(error[place]),
        )
        for place in np.flatnonzero(better)
    ]
    best: dict[tuple[int, ...], Loop] = {}
    for loop in sorted(found, key=lambda loop: (loop.error, loop.frames)):
        best.setdefault(loop.repeats, loop)
    return list(best.values())[:LISTED]
