"""Retouch: strokes by hand. Clone copies from elsewhere, heal from the best place nearby; both fit the light in.

Source: Pérez, Gangnet and Blake, Poisson Image Editing, SIGGRAPH 2003 (OpenCV's seamlessClone).
"""

from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
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
        shift = _nearby(out, mask, radius)
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


def _nearby(out: Pixels, mask: Bools, radius: float) -> tuple[int, int] | None:
    """Where around a spot the surroundings look most like its own."""
    place = box_of(mask, int(radius * (max(FAR) + 1)) + 4)
    assert place is not None
    part, chosen = out[place], mask[place]
    wide = max(3, int(radius / 2)) | 1
    ring = (
        (cv2.dilate(chosen.astype(np.uint8), np.ones((wide, wide), np.uint8)) > 0) & ~chosen & (part[..., 3] >= SHOWN)
    )
    if not ring.any():
        return None
    own = part[ring][:, :3].astype(np.float32)
    ys, xs = np.nonzero(ring | chosen)
    best, found = np.inf, None
    for far in FAR:
        for way in np.linspace(0, 2 * np.pi, WAYS, endpoint=False):
            shift = (round(float(np.cos(way) * far * radius)), round(float(np.sin(way) * far * radius)))
            rows, columns = ys + shift[1], xs + shift[0]
            if rows.min() < 0 or columns.min() < 0 or rows.max() >= part.shape[0] or columns.max() >= part.shape[1]:
                continue
            if part[rows, columns, 3].min() < SHOWN or chosen[rows, columns].any():
                continue
            ry, rx = np.nonzero(ring)
            cost = float(((part[ry + shift[1], rx + shift[0], :3] - own) ** 2).mean())
            if cost < best:
                best, found = cost, shift
    return found
