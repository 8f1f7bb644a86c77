"""Driver states: single ones, many as arrays, and whole boxes of them as intervals.

A driver that is absent is off: its axis has no extent, and what it would move stays at rest.
"""

from dataclasses import dataclass, field

import numpy as np

from clinamen.core.arrays import Floats, Indices
from clinamen.core.document import Scene
from clinamen.core.interval import Interval

AXES = ("scroll", "u", "v", "time")
FEW = 64  # boxes that are not looked through for what they share
GOLDEN = 0.6180339887
# steps of an additive sequence that fills four axes evenly: powers of the real root of x⁵ = x + 1 (generalised golden ratio)
_STEPS = 1.1673039782614187 ** -np.arange(1.0, 5.0)


def evenly_spread(count: int) -> Floats:
    """Places [count, 4] between 0 and 1 along each axis of a state that fill all four evenly."""
    return np.arange(1, count + 1)[:, None] * _STEPS % 1.0


@dataclass(frozen=True)
class State:
    """One driver state: scroll progress 0…1, settled pointer (u, v) in −1…1, time in seconds."""

    scroll: float = 0.0
    pointer: tuple[float, float] = (0.0, 0.0)
    time: float = 0.0

    @classmethod
    def of(cls, row: Floats) -> "State":
        """The state of a row (scroll, u, v, time)."""
        scroll, u, v, time = (float(value) for value in row)
        return cls(scroll, (u, v), time)

    @property
    def row(self) -> Floats:
        """The state as a row (scroll, u, v, time)."""
        return np.array([self.scroll, *self.pointer, self.time])

    def to_json(self) -> dict[str, object]:
        return {"scroll": self.scroll, "pointer": list(self.pointer), "time": self.time}


@dataclass(frozen=True)
class States:
    """N driver states as arrays [N]."""

    scroll: Floats
    u: Floats
    v: Floats
    time: Floats

    @classmethod
    def of(cls, *states: State) -> "States":
        columns = zip(*((s.scroll, s.pointer[0], s.pointer[1], s.time) for s in states), strict=True)
        return cls(*(np.array(column, dtype=float) for column in columns))

    @classmethod
    def still(cls, count: int, **moved: Floats) -> "States":
        """`count` states at rest but for the axes given."""
        zero = np.zeros(count)
        return cls(*(moved.get(axis, zero) for axis in AXES))

    def __len__(self) -> int:
        return len(self.scroll)

    def __getitem__(self, index: int) -> State:
        return State.of(np.array([self.scroll[index], self.u[index], self.v[index], self.time[index]]))


@dataclass(frozen=True)
class Cells:
    """N boxes of driver states: an interval [N] for each of scroll, pointer u and v, time."""

    scroll: Interval
    u: Interval
    v: Interval
    time: Interval
    _different: dict[str, tuple[Interval, Indices | None]] = field(
        default_factory=dict, init=False, compare=False, repr=False
    )

    @classmethod
    def of(cls, boxes: Floats) -> "Cells":
        """From an array [N, 4, 2] of low and high by axis."""
        return cls(*(Interval.between(boxes[:, axis, 0], boxes[:, axis, 1]) for axis in range(len(AXES))))

    def select(self, rows: Indices) -> "Cells":
        """The boxes `rows` only."""
        chosen = Cells(*(getattr(self, axis).select(rows) for axis in AXES))
        for axis, (different, which) in self._different.items():
            if which is not None:
                chosen._different[axis] = different, which[rows]
        return chosen

    def different(self, axis: str) -> tuple[Interval, Indices | None]:
        """The different intervals [K] along an axis, and which of them each box [N] has; None where each has its own. Boxes are
        parts of few: hundreds of them share a dozen stretches of scroll, and a track need be asked of those alone."""
        if axis not in self._different:
            self._different[axis] = _different(getattr(self, axis))
        return self._different[axis]


def _different(over: Interval) -> tuple[Interval, Indices | None]:
    if over.low.size < FEW:
        return over, None
    keys = over.low if over.fixed else over.low + GOLDEN * over.high  # quicker sorted than pairs are
    _, first, which = np.unique(keys, return_index=True, return_inverse=True)
    few = over.select(first)
    same = 2 * len(first) <= len(which) and (few.low[which] == over.low).all() and (few.high[which] == over.high).all()
    return (few, which) if same else (over, None)


def driver_bounds(scene: Scene) -> dict[str, tuple[float, float]]:
    """The full range of each driver axis; (0, 0) where a driver is off, or where nobody moves it: before a film no pointer."""
    drivers = scene.drivers
    pointer = None if scene.purpose == "film" else drivers.pointer
    return {
        "scroll": (0.0, 1.0) if drivers.scroll else (0.0, 0.0),
        "u": (-1.0, 1.0) if pointer and pointer.reach_x else (0.0, 0.0),
        "v": (-1.0, 1.0) if pointer and pointer.reach_y else (0.0, 0.0),
        "time": (0.0, drivers.time.duration) if drivers.time else (0.0, 0.0),
    }
