"""The monotone cubic through points: no overshoot, no stop at inner ones (Fritsch and Carlson 1980, as SciPy's PCHIP)."""

import numpy as np

from clinamen.core.arrays import Floats


def monotone_slopes(at: Floats, value: Floats) -> Floats:
    """Slopes [K] of the monotone cubic through (at, value) [K]: no overshoot, no stop at inner keys."""
    if len(at) < 2:
        return np.zeros_like(at)
    step = np.diff(at)
    secant = np.diff(value) / step
    if len(at) == 2:
        return np.array([secant[0], secant[0]])
    slopes = np.zeros_like(at)
    w1, w2 = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
    runs_on = secant[:-1] * secant[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        harmonic = (w1 + w2) / (w1 / secant[:-1] + w2 / secant[1:])
    slopes[1:-1] = np.where(runs_on, harmonic, 0.0)
    slopes[0] = _end_slope(step[0], step[1], secant[0], secant[1])
    slopes[-1] = _end_slope(step[-1], step[-2], secant[-1], secant[-2])
    return slopes


def monotone(at: Floats, value: Floats, x: Floats) -> Floats:
    """The monotone cubic through points, at places `x`; level before the first point and after the last."""
    slope, x = monotone_slopes(at, value), np.clip(x, at[0], at[-1])
    index = np.clip(np.searchsorted(at, x, "right") - 1, 0, len(at) - 2)
    wide = at[index + 1] - at[index]
    t = (x - at[index]) / wide
    ends = value[index] * (1 + 2 * t) * (1 - t) ** 2 + value[index + 1] * t * t * (3 - 2 * t)
    return ends + wide * (slope[index] * t * (1 - t) ** 2 + slope[index + 1] * t * t * (t - 1))


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if np.sign(slope) != np.sign(d0):
        return 0.0
    if np.sign(d0) != np.sign(d1) and abs(slope) > 3 * abs(d0):
        return 3 * d0
    return float(slope)
