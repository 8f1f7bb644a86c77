"""A strip is a grid of cells of one size, counted from the top left, first row first: cut into its cells, or packed from them."""

import math

import numpy as np

from clinamen.core.arrays import Pixels


def cut(strip: Pixels, columns: int, rows: int) -> Pixels:
    """The cells [columns · rows, h, w, 4] of a strip that the numbers divide."""
    height, width = strip.shape[0] // rows, strip.shape[1] // columns
    return strip.reshape(rows, height, columns, width, 4).swapaxes(1, 2).reshape(rows * columns, height, width, 4)


def packed(cells: Pixels, columns: int, rows: int) -> Pixels:
    """The strip of cells [n, h, w, 4]; what they leave of the grid is clear."""
    count, height, width = cells.shape[:3]
    full = np.zeros((rows * columns, height, width, 4), np.uint8)
    full[:count] = cells
    return full.reshape(rows, columns, height, width, 4).swapaxes(1, 2).reshape(rows * height, columns * width, 4)


def grid(count: int, width: int, height: int) -> tuple[int, int]:
    """Columns and rows that make a strip of cells (width, height) as nearly square as they allow."""
    columns = min(count, max(1, round(math.sqrt(count * height / width))))
    return columns, -(-count // columns)
