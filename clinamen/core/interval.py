"""Interval arithmetic on arrays: bounds that hold for every value inside, not only for samples.

An Interval [N] carries `low` and `high`; the result of an operation contains every result of the operation on members
(Moore, Interval Analysis, 1966). Rounding is not directed: the proof's tolerance of half a pixel is far above it.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats

NUMBERS = 4096  # plain numbers that are kept as intervals


class Interval:
    """N closed intervals; scalars broadcast. Those of single values hold one array, as `low` and as `high`, and are worked out
    once: half or a quarter of the work.

    `fixed`: made of single values; `number`: the one number that all of it is, where it was written as one, else None.
    """

    # no dataclass: a proof makes a hundred thousand of them, and this is made in half the time
    __slots__ = ("fixed", "high", "low", "number")

    def __init__(self, low: Floats, high: Floats) -> None:
        self.low, self.high = low, high
        self.fixed = low is high
        self.number: float | None = float(low) if low is high and low.ndim == 0 else None

    @classmethod
    def point(cls, value: float | Floats) -> "Interval":
        array = np.asarray(value, dtype=float)
        return cls(array, array)

    @classmethod
    def between(cls, low: float | Floats, high: float | Floats) -> "Interval":
        """From `low` to `high`; of single values where the two are the same everywhere."""
        low, high = np.asarray(low, dtype=float), np.asarray(high, dtype=float)
        return cls(low, low if bool((low == high).all()) else high)

    @property
    def middle(self) -> Floats:
        return (self.low + self.high) / 2

    @property
    def width(self) -> Floats:
        return self.high - self.low

    @property
    def largest(self) -> Floats:
        """Greatest absolute value."""
        return np.maximum(np.abs(self.low), np.abs(self.high))

    def select(self, rows: NDArray[np.intp]) -> "Interval":
        """The intervals `rows` only; a scalar stays as it is."""
        if self.low.ndim == 0:
            return self
        low = self.low[rows]
        return Interval(low, low if self.fixed else self.high[rows])

    def __add__(self, other: "Interval") -> "Interval":
        if other.number == 0:
            return self
        if self.number == 0:
            return other
        if self.fixed and other.fixed:
            return Interval.point(self.low + other.low)
        return Interval(self.low + other.low, self.high + other.high)

    def __sub__(self, other: "Interval") -> "Interval":
        if self.fixed and other.fixed:
            return Interval.point(self.low - other.low)
        return Interval(self.low - other.high, self.high - other.low)

    def __neg__(self) -> "Interval":
        return Interval.point(-self.low) if self.fixed else Interval(-self.high, -self.low)

    def __mul__(self, other: "Interval") -> "Interval":
        one, number = (self, other.number) if self.number is None else (other, self.number)
        if number is not None:  # what a matrix's zeros and ones multiply needs no work
            if number == 1:
                return one
            if number == 0:
                return number_of(0.0)
            if one.fixed:
                return Interval.point(one.low * number)
            low, high = (one.low, one.high) if number > 0 else (one.high, one.low)
            return Interval(low * number, high * number)
        if self.fixed or other.fixed:
            one, by = (self, other.low) if other.fixed else (other, self.low)
            if one.fixed:
                return Interval.point(one.low * by)
            a, b = one.low * by, one.high * by
            return Interval(np.minimum(a, b), np.maximum(a, b))
        a, b, c, d = self.low * other.low, self.low * other.high, self.high * other.low, self.high * other.high
        # by pairs: half the time of `reduce`, which copies them into one array first
        return Interval(np.minimum(np.minimum(a, b), np.minimum(c, d)), np.maximum(np.maximum(a, b), np.maximum(c, d)))

    def magnitude(self) -> "Interval":
        """Absolute values."""
        if self.fixed:
            return Interval.point(np.abs(self.low))
        least = np.where((self.low <= 0) & (self.high >= 0), 0.0, np.minimum(np.abs(self.low), np.abs(self.high)))
        return Interval(least, self.largest)

    def inverse(self) -> "Interval":
        """1 / x; unbounded where the interval holds 0."""
        if self.fixed and self.low.all():
            return Interval.point(1 / self.low)
        with np.errstate(divide="ignore"):
            low, high = 1 / self.high, 1 / self.low
        crosses = (self.low <= 0) & (self.high >= 0)
        return Interval(np.where(crosses, -np.inf, low), np.where(crosses, np.inf, high))

    def cos_degrees(self) -> "Interval":
        return (self + number_of(90.0)).sin_degrees()

    def sin_degrees(self) -> "Interval":
        return Interval.point(np.sin(np.radians(self.low))) if self.fixed else _wave(self.low, self.high)


def _wave(low: Floats, high: Floats) -> Interval:
    """Range of sin over [low, high] degrees: the ends, and 1 or −1 where a crest or trough lies inside."""
    a, b = np.sin(np.radians(low)), np.sin(np.radians(high))
    crest = np.floor((high - 90) / 360) >= np.ceil((low - 90) / 360)
    trough = np.floor((high + 90) / 360) >= np.ceil((low + 90) / 360)
    return Interval(np.where(trough, -1.0, np.minimum(a, b)), np.where(crest, 1.0, np.maximum(a, b)))


@lru_cache(maxsize=NUMBERS)
def number_of(value: float) -> Interval:
    """A plain number: the formula asks for the same few thousands of times."""
    return Interval.point(value)
