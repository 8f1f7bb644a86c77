"""Recorded hands to rehearse a scene with: a steady scroll, a flick with inertia, a jittery pointer, a tilted device.

Each is a table of driver values over seconds, at HERTZ rows a second; the pointer's rows are already settled.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Scene
from clinamen.core.motion.settling import follow

HERTZ = 60
FLICK_DECAY = 0.325  # seconds in which a flick loses 63 % of its speed; common practice of touch screens, no source
SEED = 7


@dataclass(frozen=True)
class Hand:
    """A recording: `moves` names the drivers it sets, `rows` their values, one row every 1/HERTZ seconds."""

    id: str
    name: str
    moves: tuple[str, ...]
    rows: list[list[float]]


def hands(scene: Scene) -> list[Hand]:
    """The hands that make sense for the drivers that are on."""
    found = []
    if scene.drivers.scroll:
        steady = np.concatenate([np.linspace(0, 1, 6 * HERTZ), np.ones(HERTZ // 2)])
        found.append(Hand("steady", "a steady scroll", ("scroll",), _rows(steady)))
        found.append(Hand("flick", "three quick flicks", ("scroll",), _rows(_flicks())))
    if scene.drivers.pointer:
        settle = scene.drivers.pointer.settle
        found.append(Hand("pointer", "a jittery pointer", ("u", "v"), _settled(_jitter(), settle)))
        found.append(Hand("tilt", "a tilted device", ("u", "v"), _settled(_tilt(), settle)))
    if scene.drivers.time:
        duration = min(scene.drivers.time.duration, 60)
        found.append(
            Hand("clock", "the clock, once", ("time",), _rows(np.linspace(0, duration, int(duration * HERTZ) + 1)))
        )
    return found


def _rows(*columns: np.ndarray[tuple[int], np.dtype[np.float64]]) -> list[list[float]]:
    return [[round(float(value), 5) for value in row] for row in zip(*columns, strict=True)]


def _flicks() -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """Three flicks of a third each, slowing down by themselves."""
    t = np.arange(int(1.5 * HERTZ)) / HERTZ
    one = (1 - np.exp(-t / FLICK_DECAY)) / (1 - np.exp(-1.5 / FLICK_DECAY))
    return np.concatenate([(index + one) / 3 for index in range(3)])


def _jitter() -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """A hand on a mouse: jumps from place to place with tremor."""
    rng = np.random.default_rng(SEED)
    stops = np.array([[0, 0], [0.7, -0.4], [-0.9, 0.2], [0.3, 0.9], [1, -1], [-1, 1], [0, 0]])
    rows = np.repeat(stops, HERTZ, axis=0)
    return np.clip(rows + rng.normal(0, 0.03, rows.shape), -1, 1)


def _tilt() -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """A device rocked slowly in the hand."""
    t = np.arange(7 * HERTZ) / HERTZ
    return np.stack([0.8 * np.sin(2 * np.pi * t / 3.5), 0.5 * np.sin(2 * np.pi * t / 7)], axis=1)


def _settled(targets: np.ndarray[tuple[int, int], np.dtype[np.float64]], settle: float) -> list[list[float]]:
    rows, state = [], [(0.0, 0.0), (0.0, 0.0)]
    for target in targets:
        state = [follow(*axis, float(aim), settle, 1 / HERTZ) for axis, aim in zip(state, target, strict=True)]
        rows.append([round(state[0][0], 5), round(state[1][0], 5)])
    return rows
