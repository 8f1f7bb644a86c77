"""How the pointer is taken up: still within its dead zone, and settling as a critically damped spring, without overshoot.

Its step response is 1 − (1 + ωt)·e^(−ωt); settle time is to 2 %, reached at ωt = 5.834 (control engineering's
criterion for a second-order system with damping ratio 1).
"""

import numpy as np

from clinamen.core.arrays import Floats

SETTLED = 5.83392491


def frequency(settle: float) -> float:
    """ω in 1/s of the spring that settles to 2 % in `settle` seconds; infinite for 0."""
    return SETTLED / settle if settle > 0 else float("inf")


def aimed(place: Floats, dead_zone: float) -> Floats:
    """Where the pointer aims [N], −1…1, for `place` [N], where it is: 0 within the dead zone, from there on as far as before at
    the edge. Common practice of input devices, no source."""
    beyond = np.maximum(0.0, np.abs(np.clip(place, -1.0, 1.0)) - dead_zone) / (1 - dead_zone)
    return np.copysign(beyond, place)


def step_response(settle: float, time: Floats) -> Floats:
    """Share [N] of a step that is done `time` [N] seconds after it; 0 at 0, 0.98 at `settle`."""
    if settle <= 0:
        return np.ones_like(np.asarray(time, dtype=float))
    wt = frequency(settle) * np.asarray(time, dtype=float)
    return 1 - (1 + wt) * np.exp(-wt)


def follow(position: float, velocity: float, target: float, settle: float, dt: float) -> tuple[float, float]:
    """Position and velocity after `dt` seconds of following a resting `target`: the exact solution, for any dt."""
    if settle <= 0:
        return target, 0.0
    omega = frequency(settle)
    distance = position - target
    drive = velocity + omega * distance
    decay = float(np.exp(-omega * dt))
    return target + (distance + drive * dt) * decay, (velocity - omega * drive * dt) * decay
