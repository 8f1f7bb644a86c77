"""Softness at the size it needs: a wide Gaussian or disc is worked out on a picture made smaller, and drawn large again."""

import math

import cv2
import numpy as np

from clinamen.core.arrays import Planes

LEAST_SIGMA = 2.5  # px: a Gaussian is no narrower than this where the picture was made smaller for it
LEAST_DISC = 5.0  # px: the same for a disc's diameter
MUCH = 4  # times smaller
RESIZED = 0.2  # px²: variance that making a picture smaller and drawing it large again brings, as measured
MOST_REDUCED = 32  # times
AREA_VARIANCE = 1 / 12  # px²: of averaging over one pixel


def reduction(sigma: float, disc: float) -> int:
    """By how much a picture may be made smaller before it is softened: 1, 2, 4 …"""
    by = 1
    while by < MOST_REDUCED:
        least = LEAST_DISC * (1 if by < MUCH else 2)  # a spot that is much smaller than a pixel then loses light
        if (sigma and sigma < 2 * by * LEAST_SIGMA) or (disc and disc < 2 * by * least):
            break
        by *= 2
    return by


def softened(planes: Planes, sigma: float, disc: float, spread: float = 0.0, resized: bool = False) -> Planes:
    """Premultiplied planes [h, w, 4] under a Gaussian of `sigma` and a disc of diameter `disc` pixels; `spread` is the
    variance that the picture has in it already, `resized`: it was made smaller and will be drawn large again."""
    if disc > 0:
        planes = disc_blurred(planes, math.sqrt(max(disc * disc - 16 * RESIZED, 1.0)) if resized else disc)
    left = sigma * sigma - spread
    if left > 1e-4:
        planes = cv2.GaussianBlur(planes, (0, 0), math.sqrt(left), borderType=cv2.BORDER_CONSTANT)
    return planes


def disc_blurred(planes: Planes, diameter: float) -> Planes:
    """Under a uniform disc: its second moment is that of a Gaussian of a quarter of the diameter."""
    return cv2.filter2D(planes, -1, disc_kernel(diameter), borderType=cv2.BORDER_CONSTANT)


def disc_kernel(diameter: float, samples: int = 8) -> Planes:
    """Shares [n, n] of a disc: how much of each pixel it covers, counted on a fine grid, scaled to the disc's second moment."""
    half = max(1, math.ceil(diameter / 2 + 0.5))
    at = (np.arange((2 * half + 1) * samples) + 0.5) / samples - half - 0.5
    # counting by whole pixels spreads the disc by a pixel's own variance: it is drawn that much narrower
    radius = math.sqrt(max(diameter * diameter / 4 - 4 * AREA_VARIANCE, 0.01))
    inside = (at[:, None] ** 2 + at[None, :] ** 2 <= radius * radius).astype(np.float32)
    cells = inside.reshape(2 * half + 1, samples, 2 * half + 1, samples).sum(axis=(1, 3))
    if not cells.any():
        cells[half, half] = 1
    return cells / cells.sum()
