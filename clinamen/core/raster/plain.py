"""The raster on OpenCV alone: each sheet warped by its homography and laid over what is behind it, between four pixels.

Slower than tiles of compiled code by far; it draws where that cannot be had, and tiles are tested against it.
"""

import math

import cv2
import numpy as np

from clinamen.core.arrays import Bools, Floats, Planes
from clinamen.core.pixels import premultiply
from clinamen.core.raster.blending import blend_over
from clinamen.core.raster.laid import Laid, draft_level
from clinamen.core.raster.softness import MOST_REDUCED, WIDEST, disc_blurred, reduction

_TO_CENTRES = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
_FROM_CENTRES = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])


def draw(sheets: list[Laid], canvas: Planes) -> None:
    """Lay sheets, back to front, over a canvas [H, W, 4] of premultiplied floats."""
    for sheet in sheets:
        _lay(canvas, sheet)


def _lay(canvas: Planes, sheet: Laid) -> None:
    """Draw one sheet onto the canvas, touching only the part it can reach."""
    window = sheet.window(canvas.shape[1], canvas.shape[0])
    if window is None or sheet.edge_on:
        return
    x0, y0, x1, y1 = window
    by = reduction(sheet.softness, sheet.disc) if sheet.margin > WIDEST * MOST_REDUCED else 1
    margin = math.ceil(sheet.margin / by)  # what lies beyond the canvas still shines into it
    width, height = -(-(x1 - x0) // by), -(-(y1 - y0) // by)
    smaller = np.array([[1 / by, 0, margin - x0 / by], [0, 1 / by, margin - y0 / by], [0, 0, 1.0]])
    art = sheet.load()
    size = (width + 2 * margin, height + 2 * margin)
    drawn = _sample(premultiply(art), smaller @ sheet.scaled(art), sheet.repeat, size)
    if sheet.softness > 0:
        drawn = cv2.GaussianBlur(drawn, (0, 0), sheet.softness / by, borderType=cv2.BORDER_CONSTANT)
    if sheet.disc > 0:
        drawn = disc_blurred(drawn, sheet.disc / by)
    if by > 1:
        back = np.array([[1 / by, 0, margin + (0.5 / by - 0.5)], [0, 1 / by, margin + (0.5 / by - 0.5)]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        drawn = cv2.warpAffine(drawn, back, (x1 - x0, y1 - y0), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    else:
        drawn = drawn[margin : margin + height, margin : margin + width]
    if sheet.colour is not None:
        matrix = sheet.colour.astype(np.float32)
        drawn[..., :3] = np.clip(drawn @ matrix.T, 0, drawn[..., 3:])
    drawn *= np.float32(sheet.opacity)
    if sheet.mask is not None:
        drawn *= sheet.mask[y0:y1, x0:x1, None]
    canvas[y0:y1, x0:x1] = blend_over(canvas[y0:y1, x0:x1], drawn, sheet.blend)


def _sample(source: Planes, matrix: Floats, repeat: tuple[str, str], size: tuple[int, int]) -> Planes:
    """Premultiplied samples [h, w, 4] of the art under a matrix from art pixels to the window's pixels."""
    steps = 2 ** draft_level(matrix, size, (source.shape[1], source.shape[0]))
    if steps > 1:
        width, height = max(1, source.shape[1] // steps), max(1, source.shape[0] // steps)
        matrix = matrix @ np.diag([source.shape[1] / width, source.shape[0] / height, 1.0])
        source = cv2.resize(source, (width, height), interpolation=cv2.INTER_AREA)
    return _warp(source, matrix, size) if repeat == ("none", "none") else _warp_repeated(source, matrix, repeat, size)


def _warp(source: Planes, matrix: Floats, size: tuple[int, int]) -> Planes:
    # OpenCV puts whole coordinates at pixel centres, and its warp would mirror what lies behind the camera
    between = _FROM_CENTRES @ matrix @ _TO_CENTRES
    out = cv2.warpPerspective(source, between, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    behind = _behind(np.linalg.inv(matrix).astype(float), size)
    if behind is not None:
        out[behind] = 0
    return out


def _behind(inverse: Floats, size: tuple[int, int]) -> Bools | None:
    """True where a pixel's ray meets the sheet's plane behind the camera; None if nowhere."""
    width, height = size
    view = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1]], dtype=float)
    if np.all(view @ inverse[2] > 0):
        return None
    y, x = np.mgrid[0:height, 0:width] + 0.5
    return inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2] <= 0


def _warp_repeated(source: Planes, matrix: Floats, repeat: tuple[str, str], size: tuple[int, int]) -> Planes:
    """As `_warp` for art that repeats: art coordinates are folded back before they are looked up."""
    inverse = np.linalg.inv(matrix)
    y, x = np.mgrid[0 : size[1], 0 : size[0]] + 0.5
    w = inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2]
    w = np.where(w > 0, w, np.nan)
    a = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) / w
    b = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) / w
    padded = _wrap_border(cv2.copyMakeBorder(source, 1, 1, 1, 1, cv2.BORDER_CONSTANT), repeat)
    a = _fold(a, source.shape[1], repeat[0])
    b = _fold(b, source.shape[0], repeat[1])
    maps = [np.nan_to_num(axis + 0.5, nan=-9.0).astype(np.float32) for axis in (a, b)]
    return cv2.remap(padded, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)


def _fold(at: Floats, length: int, repeat: str) -> Floats:
    if repeat == "none":
        return at
    if repeat == "tile":
        return np.mod(at, length)
    return length - np.abs(np.mod(at, 2 * length) - length)


def _wrap_border(padded: Planes, repeats: tuple[str, str]) -> Planes:
    """Fill the one-pixel frame so that bilinear samples across a joint see the neighbour tile."""
    for axis, repeat in ((1, repeats[0]), (0, repeats[1])):
        view = np.moveaxis(padded, axis, 0)
        if repeat == "tile":
            view[0], view[-1] = view[-2].copy(), view[1].copy()
        elif repeat == "mirror":
            view[0], view[-1] = view[1].copy(), view[-2].copy()
    return padded
