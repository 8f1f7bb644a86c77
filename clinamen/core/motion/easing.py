"""Easing as cubic Béziers: every smooth easing, monotone cubics too, is one cubic-bezier() of CSS.

A Hermite cubic over a key interval is the Bézier whose handles stand at 1/3 and 2/3, so "smooth" needs no sampling in
CSS. Sources: CSS Easing Functions Level 1 and 2; Fritsch and Carlson, SIAM J. Numer. Anal. 17 (1980); Fritsch and
Butland, SIAM J. Sci. Stat. Comput. 5 (1984) for the slopes, as in SciPy's PchipInterpolator.
"""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Handles = tuple[float, float, float, float]

# CSS Easing Functions Level 1, section 2.2
NAMED: dict[str, Handles] = {
    "linear": (0.0, 0.0, 1.0, 1.0),
    "ease": (0.25, 0.1, 0.25, 1.0),
    "ease-in": (0.42, 0.0, 1.0, 1.0),
    "ease-out": (0.0, 0.0, 0.58, 1.0),
    "ease-in-out": (0.42, 0.0, 0.58, 1.0),
}
NEWTON_STEPS = 40
SOLVED = 1e-13
SAMPLES = 512
THIRD = 1 / 3


def cubic_bezier(handles: Handles, x: Floats) -> Floats:
    """Output progress of cubic-bezier(x1, y1, x2, y2) at input progress `x` [N] within 0…1."""
    x1, y1, x2, y2 = handles
    return _bezier(y1, y2, _parameter(x1, x2, x))


def parameter(x1: float, x2: float, x: float) -> float:
    """The parameter of a cubic-bezier() where its input stands at `x`, within 0…1."""
    return float(_parameter(x1, x2, np.array([float(x)]))[0])


def _bezier(p1: float, p2: float, t: Floats) -> Floats:
    return ((1 + 3 * p1 - 3 * p2) * t + 3 * p2 - 6 * p1) * t * t + 3 * p1 * t


def at_thirds(handles: Handles) -> bool:
    """True where the input runs evenly along the curve: its place is its parameter."""
    return abs(handles[0] - THIRD) < 1e-12 and abs(handles[2] - 2 * THIRD) < 1e-12


def _parameter(x1: float, x2: float, x: Floats) -> Floats:
    if at_thirds((x1, 0.0, x2, 0.0)):
        return x
    found: Floats = np.interp(x, *_sampled(x1, x2))
    rows, t = np.arange(len(x)), found
    low, high = np.zeros_like(x), np.ones_like(x)
    for _ in range(NEWTON_STEPS):
        error = _bezier(x1, x2, t) - x[rows]
        still = np.abs(error) >= SOLVED
        if not still.any():
            break
        rows, t, low, high, error = rows[still], t[still], low[still], high[still], error[still]
        high = np.where(error > 0, t, high)
        low = np.where(error <= 0, t, low)
        slope = (3 * (1 + 3 * x1 - 3 * x2) * t + 2 * (3 * x2 - 6 * x1)) * t + 3 * x1
        with np.errstate(divide="ignore", invalid="ignore"):
            newton = t - error / slope
        inside = (newton >= low) & (newton <= high)  # a step out of the bracket falls back to halving it
        t = np.where(inside, newton, (low + high) / 2)
        found[rows] = t
    return found


@lru_cache(maxsize=1000)
def _sampled(x1: float, x2: float) -> tuple[Floats, Floats]:
    """Inputs of a curve, and the parameters at which they are met: where the search for others begins."""
    t = np.linspace(0, 1, SAMPLES + 1)
    return _bezier(x1, x2, t), t


def bezier_turns(handles: Handles) -> list[tuple[float, float]]:
    """The (x, y) inside 0…1 where a cubic-bezier() turns back in y: its overshoots, which bound its range."""
    x1, y1, x2, y2 = handles
    a, b, c = 3 * (1 + 3 * y1 - 3 * y2), 2 * (3 * y2 - 6 * y1), 3 * y1
    if abs(a) < 1e-15:
        turns = [-c / b] if b else []
    else:
        under = b * b - 4 * a * c
        turns = [(-b + sign * math.sqrt(under)) / (2 * a) for sign in (-1, 1)] if under >= 0 else []
    at = np.array([t for t in turns if 0 < t < 1])
    return list(zip(_bezier(x1, x2, at).tolist(), _bezier(y1, y2, at).tolist(), strict=True))
