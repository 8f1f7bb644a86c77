"""A layer's art sampled over the view: bilinear on premultiplied colour, repeated or mirrored, softened."""

import math
from typing import Any

import numpy as np

from clinamen.standins.kit_blending import BLUR_REACH, blurred
from clinamen.standins.kit_pages import Art


def soft_sample(
    layer: dict[str, Any], art: Art, matrix: np.ndarray, width: int, height: int, sigma: float
) -> np.ndarray:
    """The sheet over the view; softened with what lies beyond the view's edges."""
    if sigma <= 0:
        return _sample(layer, art, matrix, width, height)
    reach = math.ceil(BLUR_REACH * sigma)
    shift = np.array([[1, 0, reach], [0, 1, reach], [0, 0, 1]])
    wide = _sample(layer, art, shift @ matrix, width + 2 * reach, height + 2 * reach)
    return blurred(wide, sigma)[reach : reach + height, reach : reach + width]


def _sample(layer: dict[str, Any], whole: Art, matrix: np.ndarray, width: int, height: int) -> np.ndarray:
    size, repeat = layer["size"], layer["repeat"]
    y, x = np.mgrid[0:height, 0:width].astype(np.float64) + 0.5
    inverse = np.linalg.inv(matrix)
    q = inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2]
    ahead = q > 0
    q = np.where(ahead, q, 1)
    a = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) / q + size["width"] / 2
    b = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) / q + size["height"] / 2
    a, b = _fold(a, size["width"], repeat["x"]), _fold(b, size["height"], repeat["y"])
    art, x0, y0, wide, high = whole
    inside = ahead & (a >= x0) & (a < x0 + wide) & (b >= y0) & (b < y0 + high)
    column, row = (a - x0)[inside] * art.shape[1] / wide - 0.5, (b - y0)[inside] * art.shape[0] / high - 0.5
    left, top = np.floor(column).astype(int), np.floor(row).astype(int)
    fx, fy = (column - left)[:, None].astype(np.float32), (row - top)[:, None].astype(np.float32)
    rows, columns = art.shape[0] - 1, art.shape[1] - 1

    def texel(dx: int, dy: int) -> np.ndarray:
        return art[np.clip(top + dy, 0, rows), np.clip(left + dx, 0, columns)]

    upper = texel(0, 0) * (1 - fx) + texel(1, 0) * fx
    out = np.zeros((height, width, 4), np.float32)
    out[inside] = upper * (1 - fy) + (texel(0, 1) * (1 - fx) + texel(1, 1) * fx) * fy
    return out


def _fold(at: np.ndarray, length: int, repeat: str) -> np.ndarray:
    if repeat == "tile":
        return np.mod(at, length)
    return length - np.abs(np.mod(at, 2 * length) - length) if repeat == "mirror" else at
