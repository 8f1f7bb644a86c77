"""A track as pieces between keys: its value anywhere, and its exact range over any stretch of the driver.

The range is what lets the proof see a spike that sampling would miss: every key and every overshoot is a known point.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core import document
from clinamen.core.arrays import Floats
from clinamen.core.cached import cached_property
from clinamen.core.monotone import monotone_slopes
from clinamen.core.motion.easing import NAMED, THIRD, Handles, at_thirds, bezier_turns, cubic_bezier

NEXT_TO_NOTHING = 1e-290  # a rise so small that a slope divided by it is no number
FEW = 6  # pieces that are asked one by one whether anything lies in them
THIRDS: Handles = (THIRD, THIRD, 2 * THIRD, 2 * THIRD)  # as straight as "linear"


@dataclass(frozen=True)
class Piece:
    """From (`start`, `first`) to (`end`, `last`); `handles` None: the value jumps to `last` at the start or the end."""

    start: float
    end: float
    first: float
    last: float
    handles: Handles | None
    jumps_at_start: bool = False

    def at(self, x: Floats) -> Floats:
        """Values [N] at driver values `x` [N] within the piece."""
        if self.handles is None:
            return np.full_like(x, self.last if self.jumps_at_start else self.first)
        progress = (x - self.start) / (self.end - self.start)
        if self.handles != NAMED["linear"]:
            progress = cubic_bezier(self.handles, progress)
        return self.first + (self.last - self.first) * progress

    def turns(self) -> list[tuple[float, float]]:
        """(driver value, value) of the points that bound the piece's range."""
        points = [(self.start, self.first), (self.end, self.last)]
        if self.handles is None:
            points.append((self.start, self.last) if self.jumps_at_start else (self.end, self.first))
        else:
            span, rise = self.end - self.start, self.last - self.first
            points += [(self.start + span * x, self.first + rise * y) for x, y in bezier_turns(self.handles)]
        return points


class Curve:
    """A compiled track: `value` and `range` are vectorised over driver values."""

    def __init__(self, track: document.Track) -> None:
        self.driver = track.driver
        self.channel = track.channel
        self.keys = track.keys
        self.first_key, self.last_key = track.keys[0], track.keys[-1]

    @cached_property
    def pieces(self) -> list[Piece]:
        """The stretches between the keys."""
        return pieces_of(self.keys)

    @cached_property
    def _turns(self) -> tuple[Floats, Floats]:
        points = sorted({point for piece in self.pieces for point in piece.turns()})
        points = points or [(self.first_key.at, self.first_key.value)]
        at, value = np.array(points).T
        return at, value

    @property
    def turn_at(self) -> Floats:
        """Driver values [K] of every key and overshoot."""
        return self._turns[0]

    @cached_property
    def jump_at(self) -> Floats:
        """Driver values [K], ascending, at which the value jumps; at the moment itself it is the later value already."""
        found, before = [], self.first_key.value
        for piece in self.pieces:
            begins = piece.last if piece.handles is None and piece.jumps_at_start else piece.first
            if begins != before:
                found.append(piece.start)
            before = piece.first if piece.handles is None and not piece.jumps_at_start else piece.last
        if before != self.last_key.value:
            found.append(self.last_key.at)
        return np.array(found)

    @cached_property
    def _table(self) -> "_Table":
        return _Table(self.pieces)

    @cached_property
    def _extremes(self) -> tuple[list[Floats], list[Floats]]:
        """Least and greatest of every 1, 2, 4 … turns that follow each other."""
        values = self._turns[1]
        least, most = [values], [values]
        while 2 ** len(least) <= len(values):
            step = 2 ** (len(least) - 1)
            least.append(np.minimum(least[-1][:-step], least[-1][step:]))
            most.append(np.maximum(most[-1][:-step], most[-1][step:]))
        return least, most

    def value(self, x: Floats) -> Floats:
        """Values [N] at driver values `x` [N]; held before the first key and after the last."""
        x = np.asarray(x, dtype=float)
        out = np.where(x <= self.first_key.at, self.first_key.value, self.last_key.value)
        inside = (x >= self.first_key.at) & (x < self.last_key.at)
        if inside.any():
            out[inside] = self._table.value(x[inside])
        return out

    def range(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        """Least and greatest value [N] over the closed stretches [low, high] [N], exact up to rounding.

        A jump at `low` counts with its later side alone, since the moment of a jump belongs to that side.
        """
        if low is high:
            value = self.value(low)
            return value, value
        both = self.value(np.concatenate([low, high]))
        at_low, at_high = both[: len(low)], both[len(low) :]
        least, most = np.minimum(at_low, at_high), np.maximum(at_low, at_high)
        first = np.searchsorted(self.turn_at, low, side="right")
        after = np.searchsorted(self.turn_at, high, side="right")
        for level, (lows, highs) in enumerate(zip(*self._extremes, strict=True)):
            # two stretches of 2^level turns cover all between, when there are so many and fewer than twice as many
            mine = (after - first >= 2**level) & (after - first < 2 ** (level + 1))
            if mine.any():
                one, other = first[mine], after[mine] - 2**level
                least[mine] = np.minimum(least[mine], np.minimum(lows[one], lows[other]))
                most[mine] = np.maximum(most[mine], np.maximum(highs[one], highs[other]))
        return least, most


class _Table:
    """Pieces as columns of numbers, so that all places are looked up at once."""

    def __init__(self, pieces: list[Piece]) -> None:
        self.pieces = pieces
        rows = [(piece.start, piece.end - piece.start, piece.first, piece.last - piece.first) for piece in pieces]
        self.start, self.span, self.first, self.rise = np.array(rows).T
        # handles at thirds of the way make a plain cubic of it; others have to be solved
        handles = [
            piece.handles and (THIRDS if piece.handles == NAMED["linear"] else piece.handles) for piece in pieces
        ]
        self.plain = np.array([each is not None and at_thirds(each) for each in handles])
        self.solved = np.flatnonzero(~self.plain)
        self.one, self.two = np.array([(each or THIRDS)[1::2] for each in handles]).T

    def value(self, x: Floats) -> Floats:
        """Values [N] at places `x` [N] within the pieces."""
        which = np.searchsorted(self.start, x, side="right") - 1
        t = (x - self.start[which]) / self.span[which]
        one, two = self.one[which], self.two[which]
        progress = ((1 + 3 * one - 3 * two) * t + 3 * two - 6 * one) * t * t + 3 * one * t
        out: Floats = self.first[which] + self.rise[which] * progress
        for index in self.solved if len(self.solved) <= FEW else np.unique(which[~self.plain[which]]):
            mine = which == index
            if mine.any():
                out[mine] = self.pieces[index].at(x[mine])
        return out


def pieces_of(keys: tuple[document.Key, ...]) -> list[Piece]:
    """A track's pieces between its keys: one Bézier or a jump, or as many straight ones as a linear() has."""
    at = np.array([key.at for key in keys])
    value = np.array([key.value for key in keys])
    slopes = monotone_slopes(at, value) if any(key.ease == "smooth" for key in keys) else np.zeros_like(at)
    pieces = []
    for index, (key, after) in enumerate(zip(keys, keys[1:], strict=False)):
        if isinstance(key.ease, document.Linear):
            pieces += _stretches(key, after, key.ease)
            continue
        handles = _handles(key, after, float(slopes[index]), float(slopes[index + 1]))
        pieces.append(Piece(key.at, after.at, key.value, after.value, handles, key.ease == "step-start"))
    return pieces


def _stretches(key: document.Key, after: document.Key, ease: document.Linear) -> list[Piece]:
    """One straight piece for each stretch of a linear()."""
    span, rise = after.at - key.at, after.value - key.value
    points = [(key.at + span * x, key.value + rise * y) for x, y in ease.linear]
    points[-1] = (after.at, after.value)
    return [
        Piece(start[0], end[0], start[1], end[1], NAMED["linear"])
        for start, end in zip(points, points[1:], strict=False)
        if end[0] > start[0]
    ]


def _handles(key: document.Key, after: document.Key, slope: float, slope_after: float) -> Handles | None:
    if key.ease in ("hold", "step-start", "step-end"):
        return None
    if key.ease == "smooth":
        rise = after.value - key.value
        if abs(rise) < NEXT_TO_NOTHING:
            return NAMED["linear"]
        span = after.at - key.at
        return (THIRD, slope * span / (3 * rise), 2 * THIRD, 1 - slope_after * span / (3 * rise))
    if isinstance(key.ease, str):
        return NAMED[key.ease]
    assert isinstance(key.ease, tuple)
    return key.ease
