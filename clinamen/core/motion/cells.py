"""Which cell of its strip an actor shows: a cycle, once, or to and fro, so many a second of the scene's time.

Time is what a time track sees: begun again past its end where it loops, held where it does not; without time an actor stands at
the cell of its offset.
"""

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats
from clinamen.core.document import Drivers, Frames

ROUNDING = 1e-9  # of a cell: a time that is a whole number of cells is not to fall just short of it


def cell_at(frames: Frames, drivers: Drivers, time: Floats) -> NDArray[np.intp]:
    """The cell [N] at times [N] in seconds, first row first, from 0."""
    return in_order(
        frames, np.floor(frames.fps * (seen_time(drivers, time) + frames.offset) + ROUNDING).astype(np.int64)
    )


def resting_cell(frames: Frames, drivers: Drivers) -> int:
    """The cell at the start of time."""
    return int(cell_at(frames, drivers, np.zeros(1))[0])


def seen_time(drivers: Drivers, time: Floats) -> Floats:
    """Scene time [N] as actors see it."""
    if drivers.time is None:
        return np.zeros_like(time)
    end = drivers.time.duration
    past = np.mod(time, end) if drivers.time.loop else np.full_like(time, end)
    return np.where(time > end, past, np.maximum(time, 0.0))


def in_order(frames: Frames, step: NDArray[np.int64]) -> NDArray[np.intp]:
    """The cells [N] of steps [N] counted from the actor's first."""
    count = frames.count
    if frames.play == "once":
        return np.clip(step, 0, count - 1).astype(np.intp)
    if frames.play == "to-and-fro" and count > 1:
        along = np.mod(step, 2 * count - 2)
        return np.minimum(along, 2 * count - 2 - along).astype(np.intp)
    return np.mod(step, count).astype(np.intp)


def period(frames: Frames) -> float:
    """Seconds until an actor shows the same again; of one that plays once, how long it plays."""
    steps = 2 * frames.count - 2 if frames.play == "to-and-fro" and frames.count > 1 else frames.count
    return steps / frames.fps
