"""Retouch: strokes by hand. Clone copies from elsewhere, heal from the best place nearby; both fit the light in.

Source: Pérez, Gangnet and Blake, Poisson Image Editing, SIGGRAPH 2003 (OpenCV's seamlessClone).
"""

from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.pixels import shrink
from clinamen.core.prep.base import Around
from clinamen.core.prep.colour import box_of
from clinamen.core.prep.shapes import Stroke

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Retouch


Bools = NDArray[np.bool_]

TAKEN_IN = 3  # px by which OpenCV takes a mask in before it blends
SHOWN = 128  # of 255: alpha from which a pixel counts as art
WAYS = 24  # directions a heal looks in
FAR = (2.2, 3.0, 4.0)  # how far it looks, in radii
LOOKED_AT = 10.0  # px: radius of a spot at the size at which places are compared
COMMON, GRAIN = (
    (10, 90),
    12.0,
)  # percentiles of the colours around a spot, and levels beyond them that are nothing foreign
GRAIN_BLUR = 1.0  # px
FARTHER = 4.0  # squared levels that a place is worse for being a radius away


def retouch(pixels: Pixels, step: "Retouch", around: Around) -> Pixels:
    """Make every stroke, one after another."""
    out = pixels.copy()
    for index, stroke in enumerate(step.strokes):
        _stroke(out, stroke, around.scale)
        around.tick((index + 1) / len(step.strokes))
    return out


def stroke_mask(shape: tuple[int, int], stroke: Stroke, scale: float) -> Bools:
    """What a stroke covers [h, w]."""
    mask = np.zeros(shape, np.uint8)
    points = np.round(np.array([[point.x, point.y] for point in stroke.points]) * scale).astype(np.int32)
    radius = max(1, round(stroke.radius * scale))
    if len(points) > 1:
        cv2.polylines(mask, [points], False, 1, 2 * radius)
    for end in (points[0], points[-1]):
        cv2.circle(mask, (int(end[0]), int(end[1])), radius, 1, -1)
    return mask > 0


def _stroke(out: Pixels, stroke: Stroke, scale: float) -> None:
    mask = stroke_mask(out.shape[:2], stroke, scale)
    if not mask.any():
        return
    radius = stroke.radius * scale
    if stroke.kind == "clone":
        away = np.array([stroke.from_x, stroke.from_y]) * scale
        shift: tuple[int, int] | None = (round(float(away[0])), round(float(away[1])))
    else:
        shift = _nearby(out, mask, radius, stroke.source)
    if shift is not None and shift != (0, 0):
        _copy(out, mask, shift)


def _moved(values: NDArray[np.uint8], shift: tuple[int, int]) -> NDArray[np.uint8]:
    """The picture such that what stood at p + shift stands at p; edges repeated."""
    matrix = np.array([[1, 0, -shift[0]], [0, 1, -shift[1]]], dtype=np.float64)
    size = (values.shape[1], values.shape[0])
    return cv2.warpAffine(values, matrix, size, flags=cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)


def _copy(out: Pixels, mask: Bools, shift: tuple[int, int]) -> None:
    """Copy under the mask from `shift` away, the colours fitted to what is around; alpha comes along."""
    margin = 4
    place = box_of(mask, margin + max(abs(shift[0]), abs(shift[1])))
    assert place is not None
    part, chosen = out[place], mask[place]
    source = _moved(part, shift)
    ring = cv2.dilate(chosen.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    around = part[ring & ~chosen]
    whole = len(around) > 0 and int(around[:, 3].min()) >= SHOWN and int(source[chosen][:, 3].min()) >= SHOWN
    colour = _blended(part, source, chosen) if whole else source[..., :3]
    part[chosen, :3] = colour[chosen]
    part[chosen, 3] = np.maximum(part[chosen, 3], source[chosen, 3])


def _blended(part: Pixels, source: Pixels, chosen: Bools) -> NDArray[np.uint8]:
    pad = 2 * TAKEN_IN  # the blend needs pixels all round its mask
    dst = cv2.copyMakeBorder(np.ascontiguousarray(part[..., :3]), pad, pad, pad, pad, cv2.BORDER_REPLICATE)
    src = cv2.copyMakeBorder(np.ascontiguousarray(source[..., :3]), pad, pad, pad, pad, cv2.BORDER_REPLICATE)
    mask = np.pad(chosen.astype(np.uint8) * 255, pad)
    mask = cv2.dilate(mask, np.ones((3, 3), np.uint8), iterations=TAKEN_IN)
    x, y, width, height = cv2.boundingRect(mask)
    made = cv2.seamlessClone(src, dst, mask, (x + (width - 1) // 2, y + (height - 1) // 2), cv2.NORMAL_CLONE)
    return np.asarray(made[pad:-pad, pad:-pad], np.uint8)


def _nearby(out: Pixels, mask: Bools, radius: float, nth: int) -> tuple[int, int] | None:
    """From where a spot is healed: the `nth` of the places around whose surroundings match its own, after the last the
    first again; None where no place is whole."""
    place = box_of(mask, int(radius * (max(FAR) + 1)) + 4)
    assert place is not None
    share = min(1.0, LOOKED_AT / radius)  # a preview and full size look at the same size, so that they choose alike
    part, chosen = out[place], mask[place].astype(np.uint8)
    if share < 1:
        part = shrink(part, max(1, round(part.shape[1] * share)), max(1, round(part.shape[0] * share)))
        chosen = cv2.resize(chosen, (part.shape[1], part.shape[0]), interpolation=cv2.INTER_NEAREST)
    found = _ranked(part, chosen > 0, radius * share)
    if not found:
        return None
    x, y = found[nth % len(found)]
    return round(x / share), round(y / share)


def _ranked(part: Pixels, chosen: Bools, radius: float) -> list[tuple[int, int]]:
    """Shifts to the places a spot can be healed from, the best first, those that nearly coincide with a better one left
    out. Good is what has surroundings like the spot's, nothing in it that the spot's surroundings do not have, and is near."""
    wide = max(3, int(radius / 2)) | 1
    ring = cv2.dilate(chosen.astype(np.uint8), np.ones((wide, wide), np.uint8)) > 0
    ring &= ~chosen & (part[..., 3] >= SHOWN)
    if not ring.any() or not chosen.any():
        return []
    part = np.dstack([cv2.GaussianBlur(part[..., :3], (0, 0), GRAIN_BLUR), part[..., 3]])  # grain is like grain
    own = part[ring][:, :3].astype(np.float32)
    least, most = np.percentile(own, COMMON, axis=0) + np.array([[-GRAIN], [GRAIN]])
    ys, xs = np.nonzero(ring | chosen)
    ring_y, ring_x = np.nonzero(ring)
    spot_y, spot_x = np.nonzero(chosen)
    rated = []
    for far in FAR:
        for way in np.linspace(0, 2 * np.pi, WAYS, endpoint=False):
            x, y = round(float(np.cos(way) * far * radius)), round(float(np.sin(way) * far * radius))
            rows, columns = ys + y, xs + x
            if rows.min() < 0 or columns.min() < 0 or rows.max() >= part.shape[0] or columns.max() >= part.shape[1]:
                continue
            if part[rows, columns, 3].min() < SHOWN or chosen[rows, columns].any():
                continue
            seen = part[spot_y + y, spot_x + x, :3].astype(np.float32)
            foreign = seen - np.clip(seen, least, most)
            unlike = part[ring_y + y, ring_x + x, :3] - own
            rated.append((float((unlike**2).mean() + (foreign**2).mean() + FARTHER * far**2), x, y))
    kept: list[tuple[int, int]] = []
    for _, x, y in sorted(rated):
        if all(np.hypot(x - other[0], y - other[1]) >= radius for other in kept):
            kept.append((x, y))
    return kept
