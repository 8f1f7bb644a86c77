"""Edges of alpha: soften, grow and shrink, smooth, solid. Distances are Euclidean, between pixel centres.

The edge lies where alpha crosses one half; grown by n px the edge stands n px farther out, anti-aliased over one pixel.
"""

from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.prep.base import Around, Mask

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Grow, Smooth, Soften, Solid

HALF = 128  # of 255


def blurred(mask: Mask, sigma: float) -> Mask:
    """A mask blurred by a Gaussian of standard deviation `sigma` px, edge pixels repeated outside."""
    if sigma < 0.05:
        return mask
    return cv2.GaussianBlur(mask, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)


def signed_distance(inside: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Distance [h, w] in px to the edge of a set, negative inside; the edge runs between pixels."""
    far = np.float32(sum(inside.shape))
    if not inside.any() or inside.all():
        return np.full(inside.shape, -far if inside.all() else far, np.float32)
    solid = inside.astype(np.uint8)
    outside = cv2.distanceTransform(1 - solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    within = cv2.distanceTransform(solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.where(inside, 0.5 - within, outside - 0.5).astype(np.float32)


def moved_edge(alpha: NDArray[np.uint8], by: float) -> NDArray[np.uint8]:
    """Alpha [h, w] with its edge `by` px farther out."""
    grown = np.clip(np.float32(0.5 + by) - signed_distance(alpha >= HALF), 0, 1)
    return np.rint(grown * 255).astype(np.uint8)


def _with(pixels: Pixels, alpha: NDArray[np.uint8]) -> Pixels:
    out = pixels.copy()
    out[..., 3] = alpha
    return out


def soften(pixels: Pixels, step: "Soften", around: Around) -> Pixels:
    """Alpha blurred; colours stay."""
    alpha = blurred(pixels[..., 3].astype(np.float32), step.radius * around.scale)
    return _with(pixels, np.rint(alpha).astype(np.uint8))


def grow(pixels: Pixels, step: "Grow", around: Around) -> Pixels:
    """Edge moved; what it newly takes in has the colours that lie there."""
    return _with(pixels, moved_edge(pixels[..., 3], step.by * around.scale))


def smooth(pixels: Pixels, step: "Smooth", around: Around) -> Pixels:
    """Edge rounded: blurred, then cut again at one half, with a ramp of one pixel."""
    sigma = step.radius * around.scale / 2
    if sigma < 0.3:
        return pixels
    wide = blurred((pixels[..., 3] >= HALF).astype(np.float32), sigma)
    steep = np.float32(sigma * np.sqrt(2 * np.pi))  # makes the blurred straight edge one pixel wide again
    alpha = np.clip((wide - np.float32(0.5)) * steep + np.float32(0.5), 0, 1)
    return _with(pixels, np.rint(alpha * 255).astype(np.uint8))


def solid(pixels: Pixels, step: "Solid", around: Around) -> Pixels:
    """Alpha all or nothing."""
    least = max(1, round(step.threshold * 255))
    return _with(pixels, np.where(pixels[..., 3] >= least, 255, 0).astype(np.uint8))
