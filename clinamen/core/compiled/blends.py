"""Blend modes on a tile: B of Compositing and Blending Level 1, section 10, one pixel and one channel at a time."""

import numpy as np

from clinamen.core.compiled.jit import jit

ADD = 12


@jit
def mixed(mode, back, front):
    """B(back, front) of the mode at this place among the document's modes, of which 0 is normal."""
    if mode == 1:
        return back * front
    if mode == 2:
        return back + front - back * front
    if mode in (3, 8):
        if mode == 3:
            back, front = front, back
        if front <= 0.5:
            return 2 * back * front
        front = 2 * front - 1
        return back + front - back * front
    if mode == 4:
        return min(back, front)
    if mode == 5:
        return max(back, front)
    if mode == 6:
        if back == 0:
            return back
        return np.float32(1) if front >= 1 else min(np.float32(1), back / max(1 - front, np.float32(1e-7)))
    if mode == 7:
        if back >= 1:
            return np.float32(1)
        return np.float32(0) if front <= 0 else 1 - min(np.float32(1), (1 - back) / max(front, np.float32(1e-7)))
    if mode == 9:
        if front <= 0.5:
            return back - (1 - 2 * front) * back * (1 - back)
        curve = ((16 * back - 12) * back + 4) * back if back <= 0.25 else np.sqrt(back)
        return back + (2 * front - 1) * (curve - back)
    if mode == 10:
        return abs(back - front)
    if mode == 11:
        return back + front - 2 * back * front
    return front


@jit
def over(mode, taken, seen, count):
    """Lay the planes of `taken` over those of `seen`."""
    one, tiny = np.float32(1), np.float32(1e-6)
    fronts, backs = taken[3], seen[3]
    for channel in range(3):
        there, here = taken[channel], seen[channel]
        if mode == 0:
            for i in range(count):
                here[i] = there[i] + here[i] * (one - fronts[i])
        elif mode == 1:  # multiplied and screened colours need not be divided by alpha first
            for i in range(count):
                here[i] = (one - backs[i]) * there[i] + (one - fronts[i]) * here[i] + there[i] * here[i]
        elif mode == 2:
            for i in range(count):
                here[i] = there[i] + here[i] - there[i] * here[i]
        elif mode == ADD:  # plus-lighter of CSS: colours and alphas summed
            for i in range(count):
                here[i] = min(one, there[i] + here[i])
        else:
            for i in range(count):
                front, back = fronts[i], backs[i]
                own_front, own_back = there[i] / max(front, tiny), here[i] / max(back, tiny)
                both = np.float32(mixed(mode, np.float32(own_back), np.float32(own_front)))
                here[i] = (one - back) * there[i] + (one - front) * here[i] + front * back * both
    for i in range(count):
        backs[i] = min(one, fronts[i] + backs[i]) if mode == ADD else fronts[i] + backs[i] * (one - fronts[i])
