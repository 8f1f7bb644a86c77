"""Art ready to be drawn: premultiplied levels, each half as large as the one before, and which cells are clear or opaque.

Kept by content, the longest unused let go; made when a frame first needs it.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from clinamen.core.arrays import Pixels, Planes
from clinamen.core.bounded import Bounded
from clinamen.core.cached import cached_property
from clinamen.core.compiled import packing
from clinamen.core.compiled import table as T
from clinamen.core.raster.laid import Laid

HELD_BYTES = 1_200_000_000
REPEATS = ("none", "tile", "mirror")


@dataclass(frozen=True)
class Level:
    """Packed pixels with their border, and the size of the art in them."""

    packed: "np.ndarray[tuple[int, ...], np.dtype[np.uint32]]"
    width: int
    height: int


@dataclass(frozen=True)
class Texture:
    """`filled` and `solid`: summed tables of the cells of the first level that hold something, and that are opaque."""

    levels: tuple[Level, ...]
    filled: "np.ndarray[tuple[int, ...], np.dtype[np.int32]]"
    solid: "np.ndarray[tuple[int, ...], np.dtype[np.int32]]"

    @cached_property
    def columns(self) -> "np.ndarray[tuple[int, ...], np.dtype[np.int64]]":
        """Where its levels lie, as the compiled code is told: address, row length, width and height of each."""
        rows = [(level.packed.ctypes.data, level.packed.shape[1], level.width, level.height) for level in self.levels]
        return np.array(rows, np.int64).reshape(-1)

    @cached_property
    def tables(self) -> tuple[int, int, int, int]:
        """Addresses of the tables of cells, and how many cells lie across and down."""
        return self.filled.ctypes.data, self.solid.ctypes.data, self.filled.shape[1] - 1, self.filled.shape[0] - 1

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of what holds something, by whole cells, as shares of the art's width and height."""
        across, down = (np.flatnonzero(np.diff(edge)) for edge in (self.filled[-1], self.filled[:, -1]))
        if not across.size:
            return 0.0, 0.0, 0.0, 0.0
        width, height, cell = self.levels[0].width, self.levels[0].height, T.CELL
        return (
            across[0] * cell / width, down[0] * cell / height,
            min(1.0, (across[-1] + 1) * cell / width), min(1.0, (down[-1] + 1) * cell / height),
        )  # fmt: skip

    @property
    def nbytes(self) -> int:
        return sum(level.packed.nbytes for level in self.levels) + self.filled.nbytes + self.solid.nbytes


_held: Bounded[Texture] = Bounded(HELD_BYTES, lambda texture: texture.nbytes)


def texture_of(sheet: Laid) -> Texture:
    """A sheet's art, made ready if it is not held."""
    if sheet.key is None:
        return made(sheet.load(), sheet.repeat)
    return _held.get((sheet.key, sheet.repeat), lambda: made(sheet.load(), sheet.repeat))


def made(pixels: Pixels, repeat: tuple[str, str] = ("none", "none")) -> Texture:
    """Straight pixels [h, w, 4] uint8, made ready."""
    pixels = np.ascontiguousarray(pixels)
    height, width = pixels.shape[:2]
    codes = REPEATS.index(repeat[0]), REPEATS.index(repeat[1])
    first = _room(width, height)
    packing.pack(pixels, *codes, first.packed)
    levels, planes = [first], None
    while len(levels) < T.MOST_LEVELS and (width > 1 or height > 1):
        planes = _halved(pixels) if planes is None else _half(planes)
        height, width = planes.shape[:2]
        level = _room(width, height)
        packing.pack_floats(planes, *codes, level.packed)
        levels.append(level)
    down, across = -(-pixels.shape[0] // T.CELL), -(-pixels.shape[1] // T.CELL)
    filled, solid = np.zeros((down + 1, across + 1), np.int32), np.zeros((down + 1, across + 1), np.int32)
    packing.cells(pixels, filled, solid)
    return Texture(tuple(levels), filled, solid)


def _room(width: int, height: int) -> Level:
    # one row more than the border: a filter's last row is read there, with no share in the sum
    return Level(np.zeros((height + 2 * T.BORDER + 1, width + 2 * T.BORDER), np.uint32), width, height)


def _halved(pixels: Pixels) -> Planes:
    from clinamen.core.pixels import premultiply

    height, width = pixels.shape[:2]
    if height % 2 or width % 2:
        return _half(premultiply(pixels))
    out = np.empty((height // 2, width // 2, 4), np.float32)
    packing.halved(pixels, out)
    return out


def _half(planes: Planes) -> Planes:
    height, width = planes.shape[:2]
    return cv2.resize(planes, (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA)
