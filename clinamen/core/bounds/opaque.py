"""The opaque set of a picture: which of its points hide everything behind them, and how deep inside it a point lies.

A pixel is the square [i, i+1] × [j, j+1]; it belongs to the set when its alpha is OPAQUE or more. Distances are
signed, in art pixels: positive outside the set, negative inside. They come from two descriptions that bound each
other: the largest rectangle inside the set, exact at any distance, and a distance field of the real alpha.
"""

import zlib
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats
from clinamen.core.cached import cached_property
from clinamen.core.interval import Interval

SHOWS = 64  # of 255: alpha from which a border of the art is seen as a cut when it comes into the view
OPAQUE = 250  # of 255: what shows through is under 2 %, the contrast threshold of the eye
FIELD_PIXELS = 4_000_000  # a larger picture is pooled before its field is made, always to the safe side
FIELD_UNIT = 16  # distances are kept in sixteenths of an art pixel
COARSE_SIDE = 96
HALF_DIAGONAL = 0.7072

Rect = tuple[float, float, float, float]


@dataclass(frozen=True, eq=False)
class OpaqueSet:
    """The opaque set of one picture.

    `rect` is (left, top, right, bottom) from the art's centre, None if nothing is opaque. `borders` says, for each side
    of the canvas that the art touches, from where to where. `field` [h, w] holds signed distances in 1/16 px over
    blocks of `pool` pixels, None when the whole picture is opaque; then `mask` [height, width] is None too.
    """

    width: int
    height: int
    rect: Rect | None
    field: NDArray[np.int16] | None
    pool: int
    mask: NDArray[np.uint8] | None
    borders: dict[str, tuple[float, float]]
    shown: "OpaqueSet | None" = None  # of an actor: what any of its cells shows

    @property
    def empty(self) -> bool:
        return self.rect is None

    @property
    def full(self) -> bool:
        return self.rect == _whole(self.width, self.height)

    @property
    def nbytes(self) -> int:
        """Bytes that its arrays take where they are asked for."""
        if self.full:
            return 0
        field = 0 if self.empty else 2 * -(-self.width // self.pool) * -(-self.height // self.pool)
        return self.width * self.height + field + (self.shown.nbytes if self.shown else 0)

    def __getstate__(self) -> dict[str, Any]:
        """As it is kept: its arrays packed, since a page asks for the sets of all layers and looks into few."""
        state = {**self.__dict__, "area": self.area}
        packed = state.setdefault("_packed", {})
        if (mask := state.get("mask")) is not None:
            packed["mask"] = mask.shape, zlib.compress(np.packbits(mask).tobytes(), 1)
            del state["mask"]
        if (field := state.get("field")) is not None:
            packed["field"] = field.shape, zlib.compress(field.tobytes(), 1)
            del state["field"]
        return state

    def __setstate__(self, state: dict[str, Any]) -> None:
        self.__dict__.update(state)

    def __getattr__(self, name: str) -> Any:
        """An array that is packed yet."""
        if name not in self.__dict__.get("_packed", {}):
            raise AttributeError(name)
        shape, packed = self.__dict__["_packed"][name]
        data = np.frombuffer(zlib.decompress(packed), np.uint8)
        if name == "mask":
            array = np.unpackbits(data, count=shape[0] * shape[1]).reshape(shape)
        else:
            array = data.view(np.int16).reshape(shape)
        self.__dict__[name] = array
        return array

    @cached_property
    def area(self) -> float:
        """Share of the picture that is opaque."""
        if self.mask is None:
            return 0.0 if self.empty else 1.0
        return float(np.count_nonzero(self.mask)) / self.mask.size

    @cached_property
    def hull(self) -> Floats | None:
        """The convex hull [N, 2] of its pixels' squares, from the picture's top left corner; None where all of it is opaque, or
        nothing."""
        if self.mask is None or self.empty:
            return None
        rows = np.flatnonzero(self.mask.any(axis=1))
        shown = self.mask[rows]
        first, last = shown.argmax(axis=1), self.width - shown[:, ::-1].argmax(axis=1)
        ends = [np.stack([xs, ys], 1) for xs in (first, last) for ys in (rows, rows + 1)]
        hull: Floats = cv2.convexHull(np.concatenate(ends).astype(np.int32))[:, 0].astype(float)
        return hull

    def farthest(self, a: Interval, b: Interval, repeat_x: bool = False, repeat_y: bool = False) -> Floats:
        """Upper bound [N] of the signed distance over boxes a × b of art points (from the centre, art pixels)."""
        if self.rect is None:
            return np.full(np.broadcast_shapes(a.low.shape, b.low.shape), np.inf)
        bound = _rect_distance(self.rect, a, b, self, repeat_x, repeat_y)
        if self.field is None:
            return bound
        radius = np.hypot(a.width, b.width) / 2
        return np.minimum(bound, self._field_at(a.middle, b.middle, repeat_x, repeat_y) + radius)

    def _field_at(self, a: Floats, b: Floats, repeat_x: bool, repeat_y: bool) -> Floats:
        assert self.field is not None
        x, off_x = _to_pixel(a, self.width, self.pool, self.field.shape[1], repeat_x)
        y, off_y = _to_pixel(b, self.height, self.pool, self.field.shape[0], repeat_y)
        return self.field[y, x] / FIELD_UNIT + np.hypot(off_x, off_y)


def _to_pixel(at: Floats, size: int, pool: int, cells: int, repeats: bool) -> tuple[NDArray[np.intp], Floats]:
    """Field column of art coordinate `at`, and its distance from that column's centre."""
    at = np.nan_to_num(at + size / 2, nan=1e9, posinf=1e9, neginf=-1e9)
    if repeats:
        at = np.mod(at, size)
    index = np.clip(np.floor(at / pool), 0, cells - 1)
    return index.astype(np.intp), np.abs(at - (index + 0.5) * pool)


def _rect_distance(rect: Rect, a: Interval, b: Interval, art: OpaqueSet, repeat_x: bool, repeat_y: bool) -> Floats:
    left, top, right, bottom = rect
    out_x = np.maximum(left - a.low, a.high - right)
    out_y = np.maximum(top - b.low, b.high - bottom)
    if repeat_x and right - left >= art.width:
        out_x = np.full_like(out_x, -1e9)
    if repeat_y and bottom - top >= art.height:
        out_y = np.full_like(out_y, -1e9)
    outside = np.hypot(np.maximum(out_x, 0), np.maximum(out_y, 0))
    return np.where((out_x <= 0) & (out_y <= 0), np.maximum(out_x, out_y), outside)


def opaque_set(alpha: NDArray[np.uint8] | None, width: int, height: int) -> OpaqueSet:
    """The opaque set of a picture whose alpha is [height, width] uint8; None: opaque throughout."""
    if alpha is None or int(alpha.min()) >= OPAQUE:
        return OpaqueSet(width, height, _whole(width, height), None, 1, None, whole_borders(width, height))
    borders = _borders(alpha)
    mask = (alpha >= OPAQUE).astype(np.uint8)
    if not mask.any():
        return OpaqueSet(width, height, None, None, 1, mask, borders)
    pool = int(np.ceil(np.sqrt(mask.size / FIELD_PIXELS)))
    pooled = _pool(mask, pool)
    x0, y0, x1, y1 = largest_rectangle(mask)
    rect = (x0 - width / 2, y0 - height / 2, x1 - width / 2, y1 - height / 2)
    rect = rect if x1 > x0 else (0.0, 0.0, 0.0, 0.0)
    return OpaqueSet(width, height, rect, _field(pooled, pool), pool, mask, borders)


def _whole(width: int, height: int) -> Rect:
    return (-width / 2, -height / 2, width / 2, height / 2)


def whole_borders(width: int, height: int) -> dict[str, tuple[float, float]]:
    """Borders of a picture that touches its canvas all round."""
    upright, level = (-height / 2, height / 2), (-width / 2, width / 2)
    return {"left": upright, "right": upright, "top": level, "bottom": level}


def _borders(alpha: NDArray[np.uint8]) -> dict[str, tuple[float, float]]:
    sides = {"left": alpha[:, 0], "right": alpha[:, -1], "top": alpha[0], "bottom": alpha[-1]}
    found = {}
    for side, line in sides.items():
        shown = np.flatnonzero(line >= SHOWS)
        if len(shown):
            found[side] = (float(shown[0]) - len(line) / 2, float(shown[-1]) + 1 - len(line) / 2)
    return found


def _pool(mask: NDArray[np.uint8], pool: int) -> NDArray[np.uint8]:
    """A block is opaque only where all of it is."""
    if pool == 1:
        return mask
    padded = np.pad(mask, ((0, -mask.shape[0] % pool), (0, -mask.shape[1] % pool)))
    rows, columns = padded.shape[0] // pool, padded.shape[1] // pool
    return padded.reshape(rows, pool, columns, pool).min(axis=(1, 3))


def _field(mask: NDArray[np.uint8], pool: int) -> NDArray[np.int16]:
    outside = cv2.distanceTransform(1 - mask, cv2.DIST_L2, cv2.DIST_MASK_5) if mask.any() else np.full(mask.shape, 1e4)
    # beyond the canvas nothing is opaque, so the inside is measured with one empty pixel around it
    inside = cv2.distanceTransform(np.pad(mask, 1), cv2.DIST_L2, cv2.DIST_MASK_5)[1:-1, 1:-1]
    signed = np.where(mask > 0, HALF_DIAGONAL - inside, outside - 0.5) * pool * FIELD_UNIT
    return np.clip(np.ceil(signed), -32768, 32767).astype(np.int16)


def largest_rectangle(mask: NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """A large rectangle (left, top, right, bottom) of set pixels: the largest at coarse size, grown to the full mask."""
    pool = int(np.ceil(max(mask.shape) / COARSE_SIDE))
    x0, y0, x1, y1 = _largest_in_histogram(_pool(mask, pool))
    x0, y0, x1, y1 = x0 * pool, y0 * pool, x1 * pool, y1 * pool
    if x1 <= x0:
        return (0, 0, 0, 0)
    for _ in range(2):
        columns: NDArray[np.bool_] = np.all(mask[y0:y1], axis=0)
        x0, x1 = _grow(columns, x0, x1)
        rows: NDArray[np.bool_] = np.all(mask[:, x0:x1], axis=1)
        y0, y1 = _grow(rows, y0, y1)
    return x0, y0, x1, y1


def _grow(free: NDArray[np.bool_], start: int, end: int) -> tuple[int, int]:
    end = min(end, len(free))
    blocked_before = np.flatnonzero(~free[:start])
    blocked_after = np.flatnonzero(~free[end:])
    start = int(blocked_before[-1]) + 1 if len(blocked_before) else 0
    return start, end + (int(blocked_after[0]) if len(blocked_after) else len(free) - end)


def _largest_in_histogram(mask: NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """Largest rectangle of ones: the classic stack over column heights, row by row."""
    best, found = 0, (0, 0, 0, 0)
    heights = [0] * mask.shape[1]
    for y, row in enumerate(mask.tolist()):
        heights = [height + 1 if bit else 0 for height, bit in zip(heights, row, strict=True)]
        stack: list[tuple[int, int]] = []
        for x, height in enumerate([*heights, 0]):
            start = x
            while stack and stack[-1][1] >= height:
                start, tall = stack.pop()
                if tall * (x - start) > best:
                    best, found = tall * (x - start), (start, y + 1 - tall, x, y + 1)
            stack.append((start, height))
    return found
