"""Colours as the steps need them: CIE L*a*b*, distances in it, and colours carried from known pixels to unknown ones."""

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels

STRIP = 2_000_000  # pixels worked on at a time, so that floats of a large picture never stand in memory at once


def lab(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    """CIE L*a*b* (D65; L* 0…100) of sRGB pixels [h, w, 3]; IEC 61966-2-1 and CIE 15."""
    return cv2.cvtColor(rgb.astype(np.float32) / np.float32(255), cv2.COLOR_RGB2Lab).astype(np.float32)


def rgb(lab_pixels: NDArray[np.float32]) -> NDArray[np.uint8]:
    """sRGB pixels [h, w, 3] of L*a*b* ones."""
    back = cv2.cvtColor(lab_pixels.astype(np.float32), cv2.COLOR_Lab2RGB)
    return np.rint(np.clip(back, 0, 1) * 255).astype(np.uint8)


def warm_up() -> None:
    """Have OpenCV make its tables (0.2 s), which it does at the first call: not while somebody waits."""
    rgb(lab(np.zeros((1, 1, 3), np.uint8)))


def lab_of(code: str) -> NDArray[np.float32]:
    """L*a*b* [3] of a colour written as #rrggbb."""
    return lab(np.array([[rgb_of(code)]], np.uint8))[0, 0]


def rgb_of(code: str) -> tuple[int, int, int]:
    """(red, green, blue) of #rrggbb."""
    return int(code[1:3], 16), int(code[3:5], 16), int(code[5:7], 16)


def delta_e(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float32]:
    """CIE76 colour difference of L*a*b* pixels [..., 3]."""
    return np.sqrt(((one - other) ** 2).sum(axis=-1)).astype(np.float32)


def by_strips(pixels: Pixels, work: Callable[[Pixels, slice], NDArray[np.float32]]) -> NDArray[np.float32]:
    """A mask [h, w] made strip by strip: `work` gets some rows and which they are."""
    out = np.empty(pixels.shape[:2], np.float32)
    rows = max(1, STRIP // pixels.shape[1])
    for start in range(0, len(pixels), rows):
        part = slice(start, start + rows)
        out[part] = work(pixels[part], part)
    return out


def nearest(values: NDArray[np.uint8], known: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Every pixel the value [h, w, n] of the known pixel nearest to it; the same where none is known."""
    if known.all() or not known.any():
        return values.copy()
    places, labels = _nearest(known)
    return values.reshape(-1, values.shape[2])[places[labels]]


def nearest_at(places: NDArray[np.bool_], values: NDArray[np.uint8], known: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Values [N, n] of the known pixels that are nearest to the pixels `places` [h, w]; their own where none is known."""
    if known.all() or not known.any():
        return values[places]
    found, labels = _nearest(known)
    return values.reshape(-1, values.shape[2])[found[labels[places]]]


def _nearest(known: NDArray[np.bool_]) -> tuple[NDArray[np.intp], NDArray[np.int32]]:
    """Places [K] of the known pixels, row after row, and which of them is nearest to each pixel [h, w]."""
    _, labels = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    places = np.flatnonzero(known)
    found = np.zeros(len(places) + 1, np.intp)
    found[labels.ravel()[places]] = places
    return found, labels.astype(np.int32, copy=False)


def box_of(mask: NDArray[np.bool_], margin: int) -> tuple[slice, slice] | None:
    """Rows and columns that hold a mask's set pixels, with a margin; None if there are none."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not len(rows):
        return None
    height, width = mask.shape
    return (
        slice(max(0, int(rows[0]) - margin), min(height, int(rows[-1]) + 1 + margin)),
        slice(max(0, int(columns[0]) - margin), min(width, int(columns[-1]) + 1 + margin)),
    )
