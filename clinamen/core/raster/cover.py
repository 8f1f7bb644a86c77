"""Where nothing is seen any more behind what is laid in front: a canvas in cells, each open or covered."""

import cv2
import numpy as np

from clinamen.core.arrays import Indices, Planes

CELL = 32  # canvas pixels
SOLID = 0.999  # of alpha: what lies behind then makes a quarter of a step in 255 at the most

Window = tuple[int, int, int, int]


class Cover:
    """A canvas of `width` × `height` pixels, nothing laid on it yet."""

    def __init__(self, width: int, height: int) -> None:
        self.columns, self.rows = (np.append(np.arange(0, side, CELL), side) for side in (width, height))
        self.open = np.ones((len(self.rows) - 1, len(self.columns) - 1), bool)

    def open_part(self, window: Window) -> Window | None:
        """The smallest part (left, top, right, bottom) of a window that holds all of it that is open; None where nothing is."""
        left, top, right, bottom = window
        first_row, first_column = top // CELL, left // CELL
        cells = self.open[first_row : -(-bottom // CELL), first_column : -(-right // CELL)]
        rows, columns = np.flatnonzero(cells.any(axis=1)) + first_row, np.flatnonzero(cells.any(axis=0)) + first_column
        if not rows.size:
            return None
        return (
            max(left, int(columns[0]) * CELL), max(top, int(rows[0]) * CELL),
            min(right, int(columns[-1] + 1) * CELL), min(bottom, int(rows[-1] + 1) * CELL),
        )  # fmt: skip

    def put(self, alpha: Planes, window: Window, left: int, top: int, by: int) -> None:
        """Lay a picture over a window: `alpha` [h, w] of one that is `by` times smaller, its corner at (left, top)."""
        holes = cv2.integral((alpha < SOLID).astype(np.uint8))
        height, width = alpha.shape
        x0, x1 = _reach(self.columns, left, by, width)
        y0, y1 = _reach(self.rows, top, by, height)
        empty = holes[np.ix_(y1, x1)] - holes[np.ix_(y0, x1)] - holes[np.ix_(y1, x0)] + holes[np.ix_(y0, x0)] == 0
        across = (self.columns[:-1] >= window[0]) & (self.columns[1:] <= window[2])
        down = (self.rows[:-1] >= window[1]) & (self.rows[1:] <= window[3])
        self.open &= ~(empty & np.outer(down, across))


def _reach(edges: Indices, start: int, by: int, most: int) -> tuple[Indices, Indices]:
    """From and up to which of the smaller picture's pixels each cell is drawn, with those beside that are mixed in."""
    low, high = np.floor((edges[:-1] - start) / by).astype(int) - 1, np.ceil((edges[1:] - start) / by).astype(int) + 1
    return np.clip(low, 0, most), np.clip(high, 0, most)
