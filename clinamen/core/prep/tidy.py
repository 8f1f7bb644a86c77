"""Islands, holes and half-clear places of a cut: counted, dropped, closed, made solid.

An island is a part of the picture that stands by itself, a hole a clear part within it that reaches no side of the canvas.
How large one is: the side of a square of its area.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from clinamen.core.arrays import Bools, Pixels
from clinamen.core.prep.base import Around

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from clinamen.core.prep.steps import Tidy

HALF = 128  # of 255: where the edge runs
FAINT = 8  # of 255: less than this is nothing
RIM = 2  # px around an island or hole that are its soft edge
LEAST_SPOT = 2.0  # px across: what is smaller is grain, and not counted


@dataclass(frozen=True)
class Spots:
    """How many islands besides the largest part, and how many holes; how large the largest of each is, in px; and whether
    nothing is left at all."""

    islands: int
    holes: int
    largest_island: float
    largest_hole: float
    nothing: bool = False


def spots(alpha: "NDArray[np.uint8]", least: float = LEAST_SPOT) -> Spots:
    """The spots of a cut that are at least so large."""
    islands, holes = _sizes(_islands(alpha)), _sizes(_holes(alpha))
    others = np.sort(islands)[:-1] if len(islands) else islands
    others, holes = others[others >= least], holes[holes >= least]
    nothing = not len(islands)
    return Spots(len(others), len(holes), float(others.max(initial=0)), float(holes.max(initial=0)), nothing)


def _labelled(mask: Bools, connectivity: int) -> tuple["NDArray[np.int32]", "NDArray[np.int32]"]:
    """Labels [h, w], 0 outside the mask, and the statistics [N, 5] of each (OpenCV's)."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=connectivity)
    return labels.astype(np.int32), stats.astype(np.int32)


def _islands(alpha: "NDArray[np.uint8]") -> tuple["NDArray[np.int32]", "NDArray[np.int32]"]:
    return _labelled(alpha >= FAINT, 8)


def _holes(alpha: "NDArray[np.uint8]") -> tuple["NDArray[np.int32]", "NDArray[np.int32]"]:
    """Labels of what is clear and reaches no side; what does has the label 0."""
    labels, stats = _labelled(alpha < HALF, 4)
    height, width = alpha.shape
    x, y, w, h = (stats[:, column] for column in range(4))
    outside = (x == 0) | (y == 0) | (x + w == width) | (y + h == height)
    outside[0] = True
    keep = np.where(outside, 0, np.arange(len(stats)))
    return keep[labels].astype(np.int32), np.where(outside[:, None], 0, stats)


def _sizes(found: tuple["NDArray[np.int32]", "NDArray[np.int32]"]) -> "NDArray[np.float64]":
    areas = found[1][1:, cv2.CC_STAT_AREA]
    return np.sqrt(areas[areas > 0].astype(float))


def _smaller(found: tuple["NDArray[np.int32]", "NDArray[np.int32]"], side: float, spare_largest: bool) -> Bools:
    """Where spots stand that are smaller than `side` across."""
    labels, stats = found
    areas = stats[:, cv2.CC_STAT_AREA].astype(float)
    small = (areas > 0) & (areas < side * side)
    small[0] = False
    if spare_largest and len(areas) > 1:
        small[1 + int(areas[1:].argmax())] = False
    return small[labels]


def tidy(pixels: Pixels, step: "Tidy", around: Around) -> Pixels:
    """Alpha tidied; colours stay."""
    out = pixels.copy()
    out[..., 3] = tidied(
        pixels[..., 3], step.islands * around.scale, step.holes * around.scale, step.solid * around.scale
    )
    return out


def tidied(alpha: "NDArray[np.uint8]", islands: float, holes: float, solid: float) -> "NDArray[np.uint8]":
    """Alpha [h, w] without small islands and holes, and solid away from its edge; lengths in px, 0 for not at all."""
    out = alpha.copy()
    if islands > 0:
        out[_smaller(_islands(out), islands, True)] = 0
    closed = np.zeros(out.shape, bool)
    if holes > 0:
        closed = _grown(_smaller(_holes(out), holes, False))
        out[closed] = 255
    if solid > 0:  # the outline counts, not what is clear within it
        inside = (out >= HALF) | (_holes(out)[0] > 0)
        # beyond the canvas there is more of the same: a side that is cut by it is no edge
        deep = cv2.distanceTransform(np.pad(inside, 1, mode="edge").astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
        out[deep > solid] = 255
    return out


def _grown(mask: Bools) -> Bools:
    """A hole with the soft rim around it."""
    if not mask.any():
        return mask
    return cv2.dilate(mask.astype(np.uint8), np.ones((2 * RIM + 1, 2 * RIM + 1), np.uint8)) > 0
