"""Less of a move: the largest share of the pointer's reach, or of the camera's travel, with which something holds."""

import math
from collections.abc import Callable
from functools import partial

from clinamen.core.checks import fixes
from clinamen.core.checks.base import Fix
from clinamen.core.document import Scene
from clinamen.core.edits import changes

LEAST_SHARE = 0.05  # a move of which less is left is no cure
NEAR = 0.25  # view px: this much to spare is as good as none
# of a share: so much more, by a straight line, is not looked for where there is next to nothing to spare
A_LITTLE = 0.01
ROUNDS = 14

Over = Callable[[Scene], float]  # view px by which a scene goes too far; not above 0 where it holds


def less_move(scene: Scene, over: Over, axes: str = "xy") -> tuple[Fix, ...]:
    """A fix for each driver that cures it alone, along the pointer's axes named, the share known to a thousandth."""
    found, pointer = [], scene.drivers.pointer
    for axis in axes:
        reach = abs(getattr(pointer, f"reach_{axis}")) if pointer else 0.0
        if reach:
            share = _most_share(partial(_reaching, scene, axis, reach), over)
            if share:
                found.append(fixes.pointer_reach(axis, math.floor(reach * share * 10) / 10, reach))
    for driver in ("scroll", "time"):
        if any(track.target == "camera" and track.driver == driver for track in scene.tracks):
            share = _most_share(partial(changes.with_travel, scene, driver), over)
            if share:
                found.append(fixes.travel(driver, share))
    return tuple(found)


def _reaching(scene: Scene, axis: str, reach: float, share: float) -> Scene:
    return changes.with_pointer_reach(scene, axis, reach * share)


def _most_share(make: Callable[[float], Scene], over: Over) -> float:
    """The largest share of a move, in thousandths, that holds; 0 where hardly any does.

    What is over grows nearly in proportion to the move, so a straight line between the two ends hits at once; where it
    does not, the bracket is halved.
    """
    good, bad = LEAST_SHARE, 1.0
    spare = over(make(good))
    if spare > 0:
        return 0.0
    lack = over(make(bad))
    for turn in range(ROUNDS):
        straight = turn % 2 == 0 and math.isfinite(lack - spare) and lack > spare
        aim = good + (bad - good) * (-NEAR / 2 - spare) / (lack - spare) if straight else (good + bad) / 2
        aim = min(max(aim, good), bad)
        beyond = over(make(aim))
        if beyond <= 0:
            good, spare = aim, beyond
        else:
            bad, lack = aim, beyond
        more = (bad - good) * spare / (spare - lack) if math.isfinite(lack) and lack > spare else 0.0
        if (spare >= -NEAR and more < A_LITTLE * good) or bad - good < 1e-3:
            break
    return math.floor(good * 1000) / 1000
