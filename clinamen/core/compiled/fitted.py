"""The filter, fitted to the scale: of all weights for a few neighbouring pixels, those with the least expected error.

A pixel of art is the mean over its own area; what a canvas pixel ought to show is the mean over the area it covers, `stretch`
art pixels wide, wherever that lies between them. Taking the art's values to vary like a random walk (a linear variogram: twice
as far, twice the mean square), the best weights that add up to one solve ordinary kriging's equations (G. Matheron, Principles
of geostatistics, 1963). At 1:1 and at whole pixels they are the pixel itself; at 2:1 the mean of two.
"""

from functools import cache

import numpy as np

from clinamen.core.arrays import Floats, Planes

PHASES = 256  # steps of a pixel
STEPS = 16  # of the stretch, from one whole number to the next
MOST = 4  # the widest that a table knows
FEW, MANY = 4, 6  # neighbours


def between(distance: Floats, one: float, other: float) -> Floats:
    """Mean distance of a point of one interval and a point of another, `distance` apart, `one` and `other` long."""

    def third(x: Floats) -> Floats:
        return np.abs(x) ** 3 / 6

    sum_, difference = (one + other) / 2, (one - other) / 2
    return (
        third(distance + sum_) - third(distance + difference) - third(distance - difference) + third(distance - sum_)
    ) / (one * other)


def weights(stretch: float, phases: Floats, taps: int) -> Floats:
    """Shares [P, taps] of neighbouring pixels for areas whose middles lie `phases` (0…1) beyond pixel number taps / 2 − 1."""
    at = np.arange(taps) - (taps / 2 - 1)
    system = np.ones((taps + 1, taps + 1))
    system[:taps, :taps] = between(at[:, None] - at[None], 1.0, 1.0)
    system[taps, taps] = 0
    wanted = np.ones((len(phases), taps + 1))
    wanted[:, :taps] = between(at[None] - phases[:, None], 1.0, stretch)
    return np.asarray(np.linalg.solve(system, wanted.T).T[:, :taps], float)


@cache
def table(taps: int) -> Planes:
    """Shares [stretch, phase, tap]: stretches from 1 to `MOST` in steps of 1 / `STEPS`, phases from 0 to 1."""
    phases = np.arange(PHASES + 1) / PHASES
    stretches = 1 + np.arange((MOST - 1) * STEPS + 1) / STEPS
    return np.ascontiguousarray(np.stack([weights(stretch, phases, taps) for stretch in stretches]), np.float32)
