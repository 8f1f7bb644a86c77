"""A track as pieces between keys: its value anywhere, and its exact range over any stretch of the driver.

The range is what lets the proof see a spike that sampling would miss: every key and every overshoot is a known point.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core import document
from clinamen.core.arrays import Floats
from clinamen.core.motion.easing import NAMED, THIRD, Handles, bezier_turns, cubic_bezier, monotone_slopes


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
        self.pieces = pieces_of(track)
        self.starts = np.array([piece.start for piece in self.pieces])
        self.first_key, self.last_key = track.keys[0], track.keys[-1]
        points = sorted({point for piece in self.pieces for point in piece.turns()})
        points = points or [(self.first_key.at, self.first_key.value)]
        self.turn_at = np.array([point[0] for point in points])
        self.turn_value = np.array([point[1] for point in points])

    def value(self, x: Floats) -> Floats:
        """Values [N] at driver values `x` [N]; held before the first key and after the last."""
        x = np.asarray(x, dtype=float)
        out = np.where(x <= self.first_key.at, self.first_key.value, self.last_key.value)
        if not self.pieces:
            return out
        inside = (x >= self.first_key.at) & (x < self.last_key.at)
        which = np.searchsorted(self.starts, x, side="right") - 1
        for index, piece in enumerate(self.pieces):
            mine = inside & (which == index)
            if mine.any():
                out[mine] = piece.at(x[mine])
        return out

    def range(self, low: Floats, high: Floats) -> tuple[Floats, Floats]:
        """Least and greatest value [N] over the closed stretches [low, high] [N], exact up to rounding."""
        at_low, at_high = self.value(low), self.value(high)
        least, most = np.minimum(at_low, at_high), np.maximum(at_low, at_high)
        for at, value in zip(self.turn_at, self.turn_value, strict=True):
            within = (low <= at) & (at <= high)
            least = np.where(within, np.minimum(least, value), least)
            most = np.where(within, np.maximum(most, value), most)
        return least, most


def pieces_of(track: document.Track) -> list[Piece]:
    """The track's pieces between its keys: one Bézier or a jump, or as many straight ones as a linear() has."""
    at = np.array([key.at for key in track.keys])
    value = np.array([key.value for key in track.keys])
    slopes = monotone_slopes(at, value) if any(key.ease == "smooth" for key in track.keys) else np.zeros_like(at)
    pieces = []
    for index, (key, after) in enumerate(zip(track.keys, track.keys[1:], strict=False)):
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
        if rise == 0:
            return NAMED["linear"]
        span = after.at - key.at
        return (THIRD, slope * span / (3 * rise), 2 * THIRD, 1 - slope_after * span / (3 * rise))
    if isinstance(key.ease, str):
        return NAMED[key.ease]
    assert isinstance(key.ease, tuple)
    return key.ease
