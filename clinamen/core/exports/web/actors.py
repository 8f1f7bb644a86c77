"""An actor on a page: its strip behind a window as large as one cell, moved by keyframes that jump from cell to cell."""

from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Drivers, Frames
from clinamen.core.motion.cells import ROUNDING, in_order, period
from clinamen.core.quantities import plain

MOST_JUMPS = 3000  # of one animation; a longer one goes on in whole cycles


@dataclass(frozen=True)
class Playing:
    """How an actor's keyframes run: for how many seconds, and whether they begin again."""

    seconds: float
    loops: bool
    jumps: tuple[tuple[float, int], ...]  # seconds from the start, and the cell from then on
    over_scroll: bool = False


def playing(frames: Frames, drivers: Drivers) -> Playing | None:
    """An actor's keyframes; None where it stands still."""
    if drivers.time is None or frames.count == 1:
        return None
    end, cycle, loops = drivers.time.duration, period(frames), drivers.time.loop
    closes = frames.play != "once" and abs(end / cycle - round(end / cycle)) < 1e-9
    seconds = cycle if loops and (closes or end * frames.fps > MOST_JUMPS) else end
    first = np.floor(frames.fps * frames.offset + ROUNDING)
    steps = np.arange(first, first + min(MOST_JUMPS, int(np.ceil(seconds * frames.fps)) + 1))
    at = np.maximum(steps / frames.fps - frames.offset, 0.0)
    cells = in_order(frames, steps.astype(np.int64))
    kept = [(float(a), int(c)) for a, c in zip(at, cells, strict=True) if a < seconds - 1e-9]
    return Playing(seconds, loops, tuple(kept))


def moved_to(frames: Frames, cell: int) -> str:
    """Where the strip stands that this cell is in the window, in shares of the strip."""
    row, column = divmod(cell, frames.columns)
    return f"{plain(-100 * column / frames.columns)}% {plain(-100 * row / frames.rows)}%"


def keyframes(frames: Frames, play: Playing) -> str:
    """The keyframes' inside: each cell from its moment on."""
    shown = [f"{plain(100 * at / play.seconds)}%{{translate:{moved_to(frames, cell)}}}" for at, cell in play.jumps]
    return "".join([*shown, f"to{{translate:{moved_to(frames, play.jumps[-1][1])}}}"])
