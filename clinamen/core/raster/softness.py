"""Softness at the size it needs: a wide Gaussian or disc is worked out on a picture made smaller, and drawn large again."""

import math
from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np

from clinamen.core.arrays import Planes

LEAST_SIGMA = 2.5  # px: a Gaussian is no narrower than this where the picture was made smaller for it
LEAST_DISC = 2.2  # px: the same for a disc's diameter
MUCH = 4  # times smaller
RESIZED = 0.25  # px²: variance that making a picture smaller and drawing it large again brings, as measured
MOST_REDUCED = 32  # times, as long as what is left to soften is no wider than
WIDEST = 64  # px; a sheet just before the eye may be softened over millions
SAMPLES = 8  # a pixel each way, to count how much of it a disc covers
POINT = 1.0  # px: a disc of a smaller diameter is what a pixel is anyway
AREA_VARIANCE = 1 / 12  # px²: of averaging over one pixel


def reduction(sigma: float, disc: float) -> int:
    """By how much a picture may be made smaller before it is softened: 1, 2, 4 …"""
    by = 1
    while by < MOST_REDUCED or max(disc, 2 * sigma) > WIDEST * by:
        least = LEAST_DISC * (1 if by < MUCH else 3)  # a spot that is much smaller than a pixel then loses light
        if (sigma and sigma < 2 * by * LEAST_SIGMA) or (disc and disc < 2 * by * least):
            break
        by *= 2
    return by


def disc_blurred(planes: Planes, diameter: float) -> Planes:
    """Under a uniform disc: its second moment is that of a Gaussian of a quarter of the diameter."""
    return cv2.filter2D(planes, -1, disc_kernel(diameter), borderType=cv2.BORDER_CONSTANT)


def softened(
    planes: Planes, sigma: float, disc: float, spread: float = 0.0, resized: bool = False,
    blurred: Callable[[Planes, float], Planes] = disc_blurred,
) -> Planes:  # fmt: skip
    """Premultiplied planes [h, w, 4] under a Gaussian of `sigma` and a disc of diameter `disc` pixels, as `blurred` draws
    it; `spread` is the variance that the picture has in it already, `resized`: it was made smaller and will be drawn large
    again."""
    if disc > 0:
        there = spread + RESIZED if resized else spread  # of the variance, a sixteenth of the diameter's square
        planes = blurred(planes, math.sqrt(max(disc * disc - 16 * there, 1.0)))
    left = sigma * sigma - (0.0 if disc > 0 else spread)
    if left > 1e-4:
        planes = cv2.GaussianBlur(planes, (0, 0), math.sqrt(left), borderType=cv2.BORDER_CONSTANT)
    return planes


@lru_cache(maxsize=512)
def disc_kernel(diameter: float) -> Planes:
    """Shares [n, n] of a disc, one in all, whose second moment is the disc's: two that are counted on a fine grid, a little
    narrower and a little wider, mixed so that it comes out."""
    want = diameter * diameter / 16
    step = math.floor(math.sqrt(max(diameter * diameter / 4 - 4 * AREA_VARIANCE, 0.0)) * SAMPLES)
    while step > 0 and _variance(_counted(step)) > want:
        step -= 1
    while _variance(_counted(step + 1)) <= want:
        step += 1
    narrow, wide = _counted(step), _counted(step + 1)
    below, above = _variance(narrow), _variance(wide)
    edge = (len(wide) - len(narrow)) // 2
    mixed = np.pad(narrow, edge) * (above - want) + wide * (want - below)
    kernel: Planes = (mixed / (above - below)).astype(np.float32)
    return kernel


@lru_cache(maxsize=512)
def _counted(step: int) -> Planes:
    """A disc of a radius of so many steps, by how much of each pixel it covers; without any, a pixel alone."""
    radius = step / SAMPLES
    half = math.ceil(radius + 0.5)
    at = (np.arange((2 * half + 1) * SAMPLES) + 0.5) / SAMPLES - half - 0.5
    inside = at[:, None] ** 2 + at[None, :] ** 2 <= radius * radius
    cells = inside.reshape(2 * half + 1, SAMPLES, 2 * half + 1, SAMPLES).sum(axis=(1, 3)).astype(np.float64)
    if not cells.any():
        cells[half, half] = 1
    return cells / cells.sum()


def _variance(kernel: Planes) -> float:
    """Along an axis, in pixels squared."""
    at = np.arange(len(kernel)) - len(kernel) // 2
    return float((kernel.sum(axis=0) * at * at).sum())
