"""Doubles: whether a sheet still shows what was cut out of it, there where the move uncovers it.

The piece and the sheet behind are laid over each other as at rest. Behind the piece's edge, as far in as the move reaches, the
sheet either goes on as it does beyond the edge, or shows the piece once more.
"""

import math

import cv2
import numpy as np

from clinamen.core.arrays import Floats, Pixels
from clinamen.core.prep.colour import box_of, delta_e, lab, nearest
from clinamen.core.prep.edges import signed_distance

OPAQUE = 250  # of 255
SAME = 4.0  # ΔE (CIE76): nearer colours are one and the same
STANDS_OUT = 5.0  # ΔE on the mean between both sides of the edge: the subject is seen to stand there
MOST = 0.6  # of what is uncovered shows the piece
LOOKED_AT = 256  # pixels of a quick look
ALIKE, LIKE = 32, 0.15  # by how much their values may differ, and the share of them that has to be alike
LONGEST, MOST_PIXELS = 512, 1_500_000  # px along what is compared, unless the move is short; pixels in all
LEAST_RING = 3.0  # px of the compared picture: how far in is looked at least
EDGE = 4.0  # px of it: what counts as beside the edge
BEYOND = (2.0, 8.0)  # px outside the edge where the sheet's own colours are taken


def some_of(piece: Pixels) -> Floats:
    """Some solid pixels [N, 5] of a piece: x, y, red, green, blue."""
    ys, xs = np.nonzero(piece[..., 3] >= OPAQUE)
    some = np.linspace(0, len(xs) - 1, min(len(xs), LOOKED_AT)).astype(int)
    ys, xs = ys[some], xs[some]
    return np.column_stack([xs, ys, piece[ys, xs, :3]]).astype(float)


def may_be_double(some: Floats, behind: Pixels, matrix: Floats) -> bool:
    """A quick look at `some_of` a piece: False where hardly any is like what lies under it, so that many sheets over each other
    take little time. As `is_double`."""
    at = some[:, :2] @ matrix[:, :2].T + (matrix @ [0.5, 0.5, 1])
    x, y = (at[:, :2] / at[:, 2:]).T.astype(int)
    there = (x >= 0) & (y >= 0) & (x < behind.shape[1]) & (y < behind.shape[0])
    under = behind[y[there], x[there]].astype(int)
    alike = (np.abs(under[:, :3] - some[there, 2:]).max(axis=1, initial=0) <= ALIKE) & (under[:, 3] >= OPAQUE)
    return bool(len(some) and alike.sum() >= LIKE * len(some))


def is_double(piece: Pixels, behind: Pixels, matrix: Floats, reach: float) -> bool:
    """True where `behind` [h, w, 4] still shows `piece` [h, w, 4] within `reach` px of the piece's edge; the matrix [3, 3]
    takes the piece's pixels to the sheet's."""
    place = box_of(piece[..., 3] >= OPAQUE, 0)
    if place is None:
        return False
    sides = [place[axis].stop - place[axis].start for axis in (0, 1)]
    wanted = max(LONGEST / max(sides), EDGE / reach if reach else 0.0)
    scale = min(1.0, wanted, math.sqrt(MOST_PIXELS / (sides[0] * sides[1])))
    margin = math.ceil(2 * BEYOND[1] / scale)
    left, top = place[1].start - margin, place[0].start - margin
    size = sides[1] + 2 * margin, sides[0] + 2 * margin
    front = _cut(piece, np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]]), size, scale)
    back = _cut(behind, matrix @ np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]]), size, scale)
    away = signed_distance(front[..., 3] >= OPAQUE)
    there = back[..., 3] >= OPAQUE
    ring = (away < 0) & (away >= -max(LEAST_RING, reach * scale)) & there
    outside = (away >= BEYOND[0]) & (away <= BEYOND[1]) & there
    if ring.sum() < 0.3 * max(1, int(((away < 0) & (away >= -LEAST_RING)).sum())) or not outside.any():
        return False
    seen = lab(np.ascontiguousarray(back[..., :3]))
    same = delta_e(lab(np.ascontiguousarray(front[..., :3])), seen) <= SAME
    beside = ring & (away >= -EDGE)
    goes_on = lab(nearest(np.ascontiguousarray(back[..., :3]), outside))
    return bool(same[ring].mean() >= MOST and delta_e(seen, goes_on)[beside].mean() > STANDS_OUT)


def _cut(pixels: Pixels, matrix: Floats, size: tuple[int, int], scale: float) -> Pixels:
    """What a matrix from a window's pixels looks up in a picture, the window reduced by a scale; nothing beyond the picture."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    looked = np.linalg.inv(half) @ matrix @ half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    window = cv2.warpPerspective(np.ascontiguousarray(pixels), looked, size, flags=flags)
    small = max(1, round(size[0] * scale)), max(1, round(size[1] * scale))
    return window if scale == 1 else cv2.resize(window, small, interpolation=cv2.INTER_AREA)
