"""Ground shadows painted: a silhouette with its feet on the middle row, so that a sheet laid down turns about them.

A shadow's art is as wide as its layer's and twice as high, with the same margin all round whatever its softness, so that it
stands where it stood when that changes.
"""

from typing import TYPE_CHECKING

import cv2
import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.made.painting import Shares, flat, size
from clinamen.core.made.sources import Sources

if TYPE_CHECKING:
    from clinamen.core.made.kinds.shadow import Shadow

MARGIN = 64  # px of art all round, for softness
HALF = 128  # alpha from which a foot stands


def foot_row(alpha: "np.ndarray[tuple[int, ...], np.dtype[np.uint8]]") -> int:
    """The first row below the feet: below the lowest in which any pixel is half opaque; the picture's height where none is."""
    rows = np.flatnonzero((alpha >= HALF).any(axis=1))
    return int(rows[-1]) + 1 if len(rows) else alpha.shape[0]


def cast_size(width: int, height: int) -> tuple[int, int]:
    """Width and height of the shadow's art of a layer's art, or of one cell of both."""
    return width + 2 * MARGIN, 2 * height + 2 * MARGIN


def cast(shadow: "Shadow", width: int, height: int, scale: float, sources: Sources) -> Pixels:
    """The shadow of all cells, in the grid that `width` × `height` holds."""
    cells, columns, rows = sources.art(shadow.of)
    foot = max(foot_row(cell[..., 3]) for cell in cells)
    wide, high = size(width // columns, height // rows, scale)
    out = np.zeros((rows * high, columns * wide, 4), np.uint8)
    for number, cell in enumerate(cells[: columns * rows]):
        row, column = divmod(number, columns)
        share = _one(shadow, cell[..., 3], foot, (wide, high), scale)
        out[row * high : (row + 1) * high, column * wide : (column + 1) * wide] = flat(shadow.colour, share)
    return out


def _one(
    shadow: "Shadow", alpha: "np.ndarray[tuple[int, ...], np.dtype[np.uint8]]", foot: int, room: tuple[int, int], scale: float,
) -> Shares:  # fmt: skip
    wide, high = room
    across, middle = (wide / scale - alpha.shape[1]) / 2, high / scale / 2
    matrix = np.array([[scale, 0, scale * (across + 0.5) - 0.5], [0, scale, scale * (middle - foot + 0.5) - 0.5]])
    standing = cv2.warpAffine(alpha[:foot].astype(np.float32) / 255, matrix, room, flags=cv2.INTER_AREA)
    near = _blurred(standing, shadow.softness * scale)
    far = _blurred(standing, (shadow.softness + shadow.grows) * scale)
    up = np.clip((high / 2 - np.arange(high) - 0.5) / max(foot * scale, 1.0), 0, 1)[:, None]
    share = (near + (far - near) * up) * (1 - shadow.fades * up) * shadow.opacity
    return share.astype(np.float32)


def _blurred(plane: Shares, sigma: float) -> Shares:
    return plane if sigma < 1e-3 else cv2.GaussianBlur(plane, (0, 0), sigma).astype(np.float32)
