"""Which parts of a picture are worth a place on an atlas page: rectangles that hold all that shows anything, and little else.

The picture is laid out in cells; cells that show nothing are left out, the others joined to rectangles, row by row. Rectangles
share their edges, so a reader that draws each sees no line between them.
"""

import numpy as np
from numpy.typing import NDArray

CELL = 64  # px
WORTH = 0.92  # of the whole picture: where the rectangles with their frames take more than this, it stays whole

Rectangle = tuple[int, int, int, int]


def rectangles(alpha: NDArray[np.uint8], padding: int) -> list[Rectangle]:
    """Rectangles (left, top, right, bottom) of alpha [h, w] that hold every pixel above 0, each framed by `padding` px on its
    page; the whole picture where that takes about as much."""
    height, width = alpha.shape
    whole = [(0, 0, width, height)]
    # what bilinear sampling mixes in from a neighbour counts as shown
    shown = np.pad(alpha > 0, 1)
    near: NDArray[np.bool_] = (
        shown[:-2, 1:-1] | shown[2:, 1:-1] | shown[1:-1, :-2] | shown[1:-1, 2:] | shown[1:-1, 1:-1]
    )
    rows, columns = -(-height // CELL), -(-width // CELL)
    full = np.zeros((rows * CELL, columns * CELL), bool)
    full[:height, :width] = near
    cells: NDArray[np.bool_] = np.asarray(full.reshape(rows, CELL, columns, CELL).any(axis=(1, 3)))
    found = [
        (left * CELL, top * CELL, min(right * CELL, width), min(bottom * CELL, height))
        for left, top, right, bottom in _joined(cells)
    ]
    taken = sum((right - left + 2 * padding) * (bottom - top + 2 * padding) for left, top, right, bottom in found)
    return found if taken < WORTH * (width + 2 * padding) * (height + 2 * padding) else whole


def _joined(cells: NDArray[np.bool_]) -> list[Rectangle]:
    """Rectangles of cells: runs along each row, joined with the run right above where that is the same."""
    done: list[Rectangle] = []
    open_runs: dict[tuple[int, int], int] = {}
    for row in range(len(cells) + 1):
        steps = (
            np.diff(np.concatenate([[0], cells[row].astype(np.int8), [0]]))
            if row < len(cells)
            else np.zeros(1, np.int8)
        )
        runs = list(zip(np.flatnonzero(steps == 1).tolist(), np.flatnonzero(steps == -1).tolist(), strict=True))
        for (left, right), top in list(open_runs.items()):
            if (left, right) not in runs:
                done.append((left, top, right, row))
                del open_runs[left, right]
        for run in runs:
            open_runs.setdefault(run, row)
    return sorted(done, key=lambda rectangle: (rectangle[1], rectangle[0]))
