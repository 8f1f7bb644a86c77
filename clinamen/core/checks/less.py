"""Less of a move: the largest share of the pointer's reach, or of the camera's travel, with which something holds."""

import math
from collections.abc import Callable
from functools import partial

from clinamen.core.checks import fixes
from clinamen.core.checks.base import Fix
from clinamen.core.document import Scene
from clinamen.core.edits import changes

LEAST_SHARE = 0.05  # a move of which less is left is no cure
ROUNDS = 11


def less_move(scene: Scene, holds: Callable[[Scene], bool]) -> tuple[Fix, ...]:
    """A fix for each driver that cures it alone, the share known to a thousandth."""
    found, pointer = [], scene.drivers.pointer
    for axis in ("x", "y"):
        reach = abs(getattr(pointer, f"reach_{axis}")) if pointer else 0.0
        if reach:
            share = _most_share(partial(_reaching, scene, axis, reach), holds)
            if share:
                found.append(fixes.pointer_reach(axis, math.floor(reach * share * 100) / 100, reach))
    for driver in ("scroll", "time"):
        if any(track.target == "camera" and track.driver == driver for track in scene.tracks):
            share = _most_share(partial(changes.with_travel, scene, driver), holds)
            if share:
                found.append(fixes.travel(driver, share))
    return tuple(found)


def _reaching(scene: Scene, axis: str, reach: float, share: float) -> Scene:
    return changes.with_pointer_reach(scene, axis, reach * share)


def _most_share(make: Callable[[float], Scene], holds: Callable[[Scene], bool]) -> float:
    """The largest share, in thousandths, that holds; 0 where hardly any does."""
    good, bad = LEAST_SHARE, 1.0
    if not holds(make(good)):
        return 0.0
    for _ in range(ROUNDS):
        middle = (good + bad) / 2
        good, bad = (middle, bad) if holds(make(middle)) else (good, middle)
    return math.floor(good * 1000) / 1000
