"""Colours at and beyond the edge: taken anew from the inside (fringe), or carried out under clear pixels (bleed)."""

from typing import TYPE_CHECKING

import cv2
import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.prep.base import Around
from clinamen.core.prep.colour import box_of, nearest
from clinamen.core.prep.edges import signed_distance

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Bleed, Fringe

BLED = 8  # px that exported art is bled: enough for filtering and three mipmap levels
SOLID = 250  # of 255: alpha from which a pixel's colour is its own


def fringe(pixels: Pixels, step: "Fringe", around: Around) -> Pixels:
    """Within `reach` of the edge every colour comes from the nearest pixel deeper inside."""
    reach = max(0.5, step.reach * around.scale)
    inner = signed_distance(pixels[..., 3] >= SOLID) <= -reach
    return _carried(pixels, inner, (pixels[..., 3] > 0) & ~inner, reach)


def bleed(pixels: Pixels, step: "Bleed", around: Around) -> Pixels:
    """Clear pixels within `reach` take the colour of the nearest pixel that shows."""
    return bled(pixels, max(1.0, step.reach * around.scale))


def bled(pixels: Pixels, reach: float) -> Pixels:
    """Pixels [h, w, 4] with the colours of what shows carried `reach` px out under clear pixels."""
    shown = pixels[..., 3] > 0
    if shown.all() or not shown.any():
        return pixels
    away, labels = cv2.distanceTransformWithLabels(
        (~shown).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    fresh = ~shown & (away - 0.5 <= reach)  # the edge runs between pixels
    colours = np.zeros((int(labels.max()) + 1, 3), np.uint8)
    colours[labels[shown]] = pixels[shown, :3]
    out = pixels.copy()
    out[fresh, :3] = colours[labels[fresh]]
    return out


def _carried(pixels: Pixels, known: "np.ndarray[tuple[int, int], np.dtype[np.bool_]]",
             target: "np.ndarray[tuple[int, int], np.dtype[np.bool_]]", blur: float) -> Pixels:  # fmt: skip
    place = box_of(target, int(4 * blur) + 24)
    if place is None or not known[place].any():
        return pixels
    out = pixels.copy()
    colour = nearest(pixels[place][..., :3], known[place])
    if blur > 0.5:  # rays of single pixels would show: run them into each other
        colour = cv2.GaussianBlur(colour, (0, 0), blur / 2, borderType=cv2.BORDER_REPLICATE)
    out[place][target[place], :3] = colour[target[place]]
    return out
