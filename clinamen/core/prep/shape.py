"""Shape: crop, flip, quarter turns, resize, canvas. Size and place after each stand in `steps`, for both to agree."""

from typing import TYPE_CHECKING

import cv2
import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.pixels import premultiply, shrink, straighten
from clinamen.core.prep.base import Around
from clinamen.core.prep.shapes import Frame

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Canvas, Crop, Flip, Resize, Turn


ROWS = 1024  # rows of the result resized at a time


def scaled_size(width: int, height: int, scale: float) -> tuple[int, int]:
    """A size in whole pixels at a preview's scale."""
    return max(1, round(width * scale)), max(1, round(height * scale))


def crop(pixels: Pixels, step: "Crop", around: Around) -> Pixels:
    """Keep the window, as far as it lies on the picture."""
    height, width = pixels.shape[:2]
    scale = around.scale
    if scale == 1:
        left, top = max(0, min(step.x, width - 1)), max(0, min(step.y, height - 1))
        made = step.frame(Frame(width, height))
        return pixels[top : top + made.height, left : left + made.width].copy()
    left, top = max(0, min(round(step.x * scale), width - 1)), max(0, min(round(step.y * scale), height - 1))
    right = max(left + 1, min(width, round((step.x + step.width) * scale)))
    bottom = max(top + 1, min(height, round((step.y + step.height) * scale)))
    return pixels[top:bottom, left:right].copy()


def flip(pixels: Pixels, step: "Flip", around: Around) -> Pixels:
    """Mirror."""
    return np.ascontiguousarray(pixels[:, ::-1] if step.axis == "x" else pixels[::-1])


def turn(pixels: Pixels, step: "Turn", around: Around) -> Pixels:
    """Turn clockwise by quarters."""
    return np.ascontiguousarray(np.rot90(pixels, -step.quarters))


def resize(pixels: Pixels, step: "Resize", around: Around) -> Pixels:
    """Another size, computed premultiplied so that clear pixels lend no colour."""
    width, height = scaled_size(step.width, step.height, around.scale)
    if (width, height) == (pixels.shape[1], pixels.shape[0]):
        return pixels
    if step.filter == "area" and width <= pixels.shape[1] and height <= pixels.shape[0]:
        return shrink(pixels, width, height)
    how = cv2.INTER_AREA if step.filter == "area" else cv2.INTER_LANCZOS4
    return straighten(np.clip(cv2.resize(premultiply(pixels), (width, height), interpolation=how), 0, 1))


def canvas(pixels: Pixels, step: "Canvas", around: Around) -> Pixels:
    """The picture in the middle of a canvas."""
    width, height = scaled_size(step.width, step.height, around.scale)
    out = np.zeros((height, width, 4), np.uint8)
    left, top = (pixels.shape[1] - width) // 2, (pixels.shape[0] - height) // 2
    x0, y0 = max(0, left), max(0, top)
    x1, y1 = min(pixels.shape[1], left + width), min(pixels.shape[0], top + height)
    out[y0 - top : y1 - top, x0 - left : x1 - left] = pixels[y0:y1, x0:x1]
    return out
