"""A picture in tiles by compiled code: sheets go into its tables, and bands of tiles are shared among threads."""

import math
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any

import numpy as np

from clinamen.core.arrays import Floats, Pixels, Planes
from clinamen.core.compiled import discs, tiles
from clinamen.core.compiled import table as T
from clinamen.core.compiled.fitted import FEW, MANY, table
from clinamen.core.document import BLEND_MODES
from clinamen.core.raster.cover import Cover, Window
from clinamen.core.raster.laid import Laid, draft_level
from clinamen.core.raster.softness import AREA_VARIANCE, POINT, disc_blurred, disc_kernel, reduction, softened
from clinamen.core.raster.texture import REPEATS, Texture, texture_of

CHUNKS = 6  # parts of a picture for each thread, so that none waits long for another
FEW_UNTIL = 1.5  # of the stretch: beyond, six neighbours have a say in place of four
WIDE_DISC = 8.0  # px: from here on sums along rows are quicker
SQUARE = 1e-9  # of a matrix's size: what counts as nothing
NOTHING = np.zeros((0, 0, 4), np.float32)
NO_PIXELS = np.zeros((0, 0), np.uint32)


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="raster")


class Canvas:
    """What is drawn at once: the tables, and the arrays that their addresses point at."""

    def __init__(self, width: int, height: int, fine: bool, threads: int) -> None:
        self.width, self.height, self.fine, self.threads = width, height, fine, threads
        self.whole: list[Any] = []
        self.real: list[Any] = []
        self.held: list[Any] = []

    def lay(self, sheets: Sequence[Laid]) -> None:
        """Put sheets, back to front. What is behind sheets that cover is narrowed to what of it is seen, softness with it."""
        cover = Cover(self.width, self.height)
        seen = [x for x in sheets if not x.edge_on and x.window(self.width, self.height) is not None]
        if self.threads > 1:  # what is to be made ready is shared among threads
            list(_pool().map(texture_of, [sheet for sheet in seen if sheet.key is not None]))
        for sheet in reversed(seen):
            soft = sheet.softness > 0 or sheet.disc >= POINT
            held = soft and sheet.key is not None and not sheet.repeats
            box = texture_of(sheet).box if held else (0.0, 0.0, 1.0, 1.0)
            window = sheet.window(self.width, self.height, box)
            window = cover.open_part(window) if window else None
            if window is None:
                continue
            if soft:
                self._lay_soft(sheet, window, cover)
            else:
                self._lay_sharp(sheet, window)
        self.whole.reverse()
        self.real.reverse()

    def _lay_sharp(self, sheet: Laid, window: Window) -> None:
        texture = texture_of(sheet)
        self.held.append(texture)
        first = texture.levels[0]
        whole, real = self._row(sheet, window)
        whole[T.REPEAT_X], whole[T.REPEAT_Y] = (REPEATS.index(repeat) for repeat in sheet.repeat)
        whole[T.FILLED : T.CELLS_Y + 1] = texture.tables
        whole[T.LEVELS] = len(texture.levels)
        whole[T.FIRST_LEVEL : T.FIRST_LEVEL + len(texture.columns)] = texture.columns
        matrix = sheet.matrix @ np.diag([sheet.width / first.width, sheet.height / first.height, 1.0])
        halved = 0 if self.fine else draft_level(matrix, (self.width, self.height), (first.width, first.height))
        self._place(whole, real, np.linalg.inv(matrix).astype(float), texture, halved)

    def _lay_soft(self, sheet: Laid, window: Window, cover: Cover) -> None:
        """A softened sheet is drawn by itself, as small as its softness allows, and laid large."""
        by = reduction(sheet.softness, sheet.disc)
        margin = math.ceil(sheet.margin / by + 2) * by  # what lies beyond the canvas still shines into it
        # on one grid wherever the window begins, so that nothing breathes while it moves
        left, top = (math.floor((side - margin) / by) * by for side in window[:2])
        width, height = -(-(window[2] + margin - left) // by), -(-(window[3] + margin - top) // by)
        smaller = np.array([[1 / by, 0, -left / by], [0, 1 / by, -top / by], [0, 0, 1.0]])
        alone = Canvas(width + 2 * T.BORDER, height + 2 * T.BORDER + 1, True, self.threads)
        alone.lay([sheet.alone(np.array([[1, 0, T.BORDER], [0, 1, T.BORDER], [0, 0, 1.0]]) @ smaller)])
        spread = alone.spread() if by > 1 else 0.0
        edged = softened(alone.floats(), sheet.softness / by, sheet.disc / by, spread, by > 1, self._disc)
        whole, real = self._row(sheet, window)
        whole[T.FLOATS] = 1
        self.held.append(edged)
        whole[T.LEVELS] = 1
        whole[T.FIRST_LEVEL : T.FIRST_LEVEL + T.LEVEL_COLUMNS] = edged.ctypes.data, edged.shape[1], width, height
        self._place(whole, real, smaller, None, 0)
        if whole[T.COVERS]:
            within = slice(T.BORDER, T.BORDER + height), slice(T.BORDER, T.BORDER + width)
            cover.put(edged[within][..., 3], window, left, top, by)

    def _disc(self, planes: Planes, diameter: float) -> Planes:
        """Under a uniform disc, its rows shared among threads; a small one is quicker pixel by pixel."""
        height, width = planes.shape[:2]
        if diameter < WIDE_DISC:
            out, beyond = np.empty_like(planes), len(disc_kernel(diameter)) // 2

            def some(first: int, last: int) -> None:
                start, end = max(0, first - beyond), min(height, last + beyond)
                out[first:last] = disc_blurred(planes[start:end], diameter)[first - start : last - start]

            self._share(height, some)
            return out
        kernel = disc_kernel(diameter)
        lengths = kernel.sum(axis=1) / kernel.max()  # of the disc's rows, in pixels
        reach = (lengths - 1) / 2  # each way of the middle pixel
        whole = np.floor(reach).astype(np.int64)
        part, share = (reach - whole).astype(np.float32), np.float32(1 / lengths.sum())
        pad = int(whole.max()) + 2
        summed = np.empty((height, 4 * (width + 1 + 2 * pad)), np.float32)
        out = np.empty((height, 4 * width), np.float32)
        self._share(height, lambda first, last: discs.sums(planes, pad, summed, first, last))
        self._share(height, lambda first, last: discs.spread(summed, pad, whole, part, share, out, first, last))
        return out.reshape(height, width, 4)

    def spread(self) -> float:
        """Variance, in canvas pixels, that averaging brought into the one sheet that is laid."""
        if not self.whole:
            return 0.0
        whole, real = self.whole[0], self.real[0]
        dense = math.sqrt(abs(real[0] * real[4] - real[1] * real[3])) if whole[T.FRONTAL] else 1.0
        level = whole[T.LEVEL]
        return AREA_VARIANCE * (4.0**level - 1) / max(dense, 1e-9) ** 2 if level else 0.0

    def _row(self, sheet: Laid, window: tuple[int, int, int, int]) -> tuple[Any, Any]:
        whole, real = np.zeros(T.WHOLE_COLUMNS, np.int64), np.zeros(T.REAL_COLUMNS, np.float64)
        self.whole.append(whole)
        self.real.append(real)
        whole[T.BLEND] = BLEND_MODES.index(sheet.blend)
        whole[T.LEFT : T.BOTTOM + 1] = window
        real[T.OPACITY] = sheet.opacity
        if sheet.mask is not None:
            mask = np.ascontiguousarray(sheet.mask, np.float32)
            self.held.append(mask)
            whole[T.MASK] = mask.ctypes.data
        if sheet.colour is not None:
            whole[T.COLOUR] = 1
            real[T.MATRIX : T.MATRIX + 12] = sheet.colour.reshape(-1)
        whole[T.COVERS] = sheet.opacity == 1 and sheet.blend == "normal" and sheet.mask is None
        return whole, real

    def _place(self, whole: Any, real: Any, inverse: Floats, texture: Texture | None, level: int) -> None:
        """Where the sheet's art lies, and by which filter it is sampled."""
        corners = np.array([[0, 0, 1], [self.width, 0, 1], [0, self.height, 1], [self.width, self.height, 1]], float)
        recedes = np.abs(inverse[2, :2] @ corners[:, :2].T).max() > SQUARE * abs(inverse[2, 2])
        if not recedes:
            inverse = inverse / inverse[2, 2]
        real[T.INVERSE : T.INVERSE + 9] = inverse.reshape(-1)
        whole[T.FRONTAL] = not recedes
        whole[T.LEVEL] = level
        turned = max(abs(inverse[0, 1]), abs(inverse[1, 0])) > SQUARE * max(abs(inverse[0, 0]), abs(inverse[1, 1]))
        if recedes or turned or inverse[0, 0] <= 0 or inverse[1, 1] <= 0:
            assert texture is not None
            return
        fine = self.fine and texture is not None
        if self.fine and texture is not None:
            dense = min(inverse[0, 0], inverse[1, 1])
            level = min(max(0, math.ceil(math.log2(dense / T.DENSEST))), len(texture.levels) - 1)
            whole[T.LEVEL] = level
        at, first = T.FIRST_LEVEL + level * T.LEVEL_COLUMNS, T.FIRST_LEVEL
        for axis, stretch_at, taps_at, length in (
            (0, T.STRETCH_X, T.TAPS_X, T.WIDTH),
            (1, T.STRETCH_Y, T.TAPS_Y, T.HEIGHT),
        ):
            step = inverse[axis, axis] * whole[at + length] / whole[first + length]
            if step > T.MOST_STRETCH:
                return  # far denser one way than the other: sampled as a leaning sheet is
            real[stretch_at] = max(1.0, step)
            whole[taps_at] = (FEW if step <= FEW_UNTIL else MANY) if fine else 2
        whole[T.UPRIGHT] = 1

    # --- drawing -----------------------------------------------------------------------------------------------------

    def floats(self, backdrop: Planes | None = None) -> Planes:
        """What is laid as premultiplied floats [h, w, 4], over a picture of such or nothing."""
        out = np.empty((self.height, self.width, 4), np.float32)
        behind = NOTHING if backdrop is None else np.ascontiguousarray(backdrop, np.float32)
        self._draw(np.zeros(4, np.float32), behind, tiles.PREMULTIPLIED, NO_PIXELS, out)
        return out

    def bytes(self, colour: Sequence[float], backdrop: Planes | None) -> Pixels:
        """What is laid as straight bytes [h, w, 4], over a picture or else a colour (premultiplied, four shares)."""
        out = np.empty((self.height, self.width), np.uint32)
        behind = NOTHING if backdrop is None else np.ascontiguousarray(backdrop, np.float32)
        kind = tiles.OVER if backdrop is None and colour[3] == 1 else tiles.STRAIGHT
        self._draw(np.array(colour if backdrop is None else (0, 0, 0, 0), np.float32), behind, kind, out, NOTHING)
        return out.view(np.uint8).reshape(self.height, self.width, 4)

    def _draw(self, colour: Planes, backdrop: Planes, kind: int, out: Any, floats: Planes) -> None:
        count = len(self.whole)
        whole = np.array(self.whole, np.int64).reshape(count, T.WHOLE_COLUMNS)
        real = np.array(self.real, np.float64).reshape(count, T.REAL_COLUMNS)
        tables = table(FEW), table(MANY)
        tile = T.WIDE if 2 * int(whole[:, T.UPRIGHT].sum()) >= count else T.NARROW
        rows = -(-self.height // T.TILE_HEIGHT)

        def work(first: int, last: int) -> None:
            tiles.band(whole, real, first, last, colour, backdrop, self.fine, tables, tile, kind, out, floats)

        self._share(rows, work)

    def _share(self, rows: int, work: Callable[[int, int], None]) -> None:
        """Have rows worked on, some at a time, by as many threads as there are."""
        parts = min(rows, self.threads * CHUNKS) if self.threads > 1 else 1
        edges = [rows * part // parts for part in range(parts + 1)]
        if parts == 1:
            work(0, rows)
        else:
            list(_pool().map(work, edges[:-1], edges[1:]))
