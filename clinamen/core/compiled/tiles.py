"""A picture tile by tile: which sheets a tile can show, sampled from the front until nothing behind is seen, or from the back
where a blend mode needs what lies behind."""

import numpy as np
from numba import carray

from clinamen.core.compiled import blends, drafted, leaning, upright
from clinamen.core.compiled import table as T
from clinamen.core.compiled.fitted import PHASES
from clinamen.core.compiled.jit import counts_at, floats, jit, pixels

CLEAR, PARTLY, SOLID = 0, 1, 2
STRAIGHT, PREMULTIPLIED, OVER = 0, 1, 2  # what is written: bytes, floats, bytes over a ground that is opaque


@jit
def reach(whole, real, fine, x0, y0, x1, y1):
    """Whether a sheet is clear in a tile, covers it, or neither: by the cells of its art under the tile."""
    if x1 <= whole[T.LEFT] or y1 <= whole[T.TOP] or x0 >= whole[T.RIGHT] or y0 >= whole[T.BOTTOM]:
        return CLEAR
    if not whole[T.FILLED]:
        return PARTLY
    low_u, low_v, high_u, high_v = 1e300, 1e300, -1e300, -1e300
    for spot in range(4):
        x, y = x1 if spot & 1 else x0, y1 if spot >> 1 else y0
        w = real[6] * x + real[7] * y + real[8]
        if w <= 1e-9:
            return PARTLY
        u, v = (real[0] * x + real[1] * y + real[2]) / w, (real[3] * x + real[4] * y + real[5]) / w
        low_u, low_v, high_u, high_v = min(low_u, u), min(low_v, v), max(high_u, u), max(high_v, v)
    columns, rows = whole[T.FIRST_LEVEL + T.WIDTH], whole[T.FIRST_LEVEL + T.HEIGHT]
    # as far as the filter looks beyond a pixel's own place, at the coarsest level that this tile may be sampled from
    if whole[T.UPRIGHT] or not fine:
        taps = max(whole[T.TAPS_X], whole[T.TAPS_Y]) if whole[T.UPRIGHT] else 2
        beyond = (taps // 2) * 2.0 ** whole[T.LEVEL] + 0.5
    else:
        dense = max((high_u - low_u) / (x1 - x0), (high_v - low_v) / (y1 - y0))
        beyond = 2 * max(1.0, dense * 2 / T.DENSEST) + 0.5
    low_u, low_v, high_u, high_v = low_u - beyond, low_v - beyond, high_u + beyond, high_v + beyond
    inside = low_u >= 0 and low_v >= 0 and high_u <= columns and high_v <= rows
    cells_x, cells_y = whole[T.CELLS_X], whole[T.CELLS_Y]
    if whole[T.REPEAT_X] or whole[T.REPEAT_Y]:
        if not inside:
            return PARTLY
    elif high_u <= 0 or high_v <= 0 or low_u >= columns or low_v >= rows:
        return CLEAR
    left, top = int(max(low_u, 0.0)) // T.CELL, int(max(low_v, 0.0)) // T.CELL
    right = min(int(min(high_u, float(columns))) // T.CELL + 1, cells_x)
    bottom = min(int(min(high_v, float(rows))) // T.CELL + 1, cells_y)
    filled = carray(counts_at(whole[T.FILLED]), (cells_y + 1, cells_x + 1))
    if filled[bottom, right] - filled[top, right] - filled[bottom, left] + filled[top, left] == 0:
        return CLEAR
    if inside and whole[T.COVERS]:
        solid = carray(counts_at(whole[T.SOLID]), (cells_y + 1, cells_x + 1))
        number = solid[bottom, right] - solid[top, right] - solid[bottom, left] + solid[top, left]
        if number == (right - left) * (bottom - top):
            return SOLID
    return PARTLY


@jit
def sample(whole, real, x0, y0, width, height, line, canvas_width, fine, tables, room_upright, room_leaning, taken):
    """A sheet's pixels in a tile, premultiplied, as it adds them: coloured, masked, at its opacity."""
    if whole[T.UPRIGHT]:
        upright.sample(whole, real, x0, y0, width, height, line, tables, room_upright, taken)
    else:
        leaning.sample(whole, real, x0, y0, width, height, line, fine, tables, room_leaning, taken)
    count = height * line
    if whole[T.COLOUR]:
        coloured(real, taken, count)
    by = np.float32(real[T.OPACITY])
    if whole[T.MASK]:
        for y in range(height):
            mask = floats(whole[T.MASK] + 4 * ((y0 + y) * canvas_width + x0), width)
            for channel in range(4):
                plane = taken[channel]
                for x in range(width):
                    plane[y * line + x] *= by * mask[x]
    elif by != 1:
        for channel in range(4):
            plane = taken[channel]
            for i in range(count):
                plane[i] *= by


@jit
def coloured(real, taken, count):
    """The colours through a sheet's matrix, held within alpha."""
    zero = np.float32(0)
    for i in range(count):
        red, green, blue, alpha = taken[0, i], taken[1, i], taken[2, i], taken[3, i]
        for channel in range(3):
            at = T.MATRIX + 4 * channel
            a, b, c, d = (
                np.float32(real[at]),
                np.float32(real[at + 1]),
                np.float32(real[at + 2]),
                np.float32(real[at + 3]),
            )
            taken[channel, i] = min(max(a * red + b * green + c * blue + d * alpha, zero), alpha)


@jit
def under(taken, seen, rest, count):
    """Lay what was sampled behind what is seen already; `rest` is the share of each pixel that is open to what lies behind.
    What is still open of all of them, in pixels."""
    for channel in range(3):
        there, here = taken[channel], seen[channel]
        for i in range(count):
            here[i] += rest[i] * there[i]
    alphas = taken[3]
    left = np.float32(0)
    for i in range(count):
        open_ = rest[i] * (np.float32(1) - alphas[i])
        rest[i] = open_ if open_ > np.float32(1e-6) else np.float32(0)  # numbers nearly nothing are slow to work with
        left += rest[i]
    return left


@jit
def ground(x0, y0, width, height, line, colour, backdrop, taken):
    """What lies behind all sheets: a picture, or one colour (premultiplied)."""
    for channel in range(4):
        plane = taken[channel]
        if backdrop.shape[0]:
            for y in range(height):
                for x in range(width):
                    plane[y * line + x] = backdrop[y0 + y, x0 + x, channel]
        else:
            for i in range(line * height):
                plane[i] = colour[channel]


@jit
def byte(value):
    """A share of one as a byte."""
    held = min(max(value, np.float32(0)), np.float32(1))
    return np.uint32(np.int32(held * np.float32(255) + np.float32(0.5)))


@jit
def write(seen, rest, x0, y0, width, height, line, kind, colour, out, planes):
    """Put a tile's pixels into the picture, `out` [H, W] packed or `planes` [H, W, 4]: what is seen, and the premultiplied colour
    through what is still open."""
    zero, one = np.float32(0), np.float32(1)
    opaque = np.uint32(255) << np.uint32(24)
    for y in range(height):
        at = 4 * y * line
        through = floats(rest.ctypes.data + at, width)
        if kind == PREMULTIPLIED:
            for channel in range(4):
                here, behind = floats(seen[channel].ctypes.data + at, width), colour[channel]
                for x in range(width):
                    planes[y0 + y, x0 + x, channel] = here[x] + through[x] * behind
            continue
        red, green = floats(seen[0].ctypes.data + at, width), floats(seen[1].ctypes.data + at, width)
        blue, alphas = floats(seen[2].ctypes.data + at, width), floats(seen[3].ctypes.data + at, width)
        there = pixels(out.ctypes.data + 4 * ((y0 + y) * out.shape[1] + x0), width)
        r, g, b, a = colour[0], colour[1], colour[2], colour[3]
        if kind == OVER:
            for x in range(width):
                open_ = through[x]
                there[x] = (
                    byte(red[x] + open_ * r)
                    | (byte(green[x] + open_ * g) << np.uint32(8))
                    | (byte(blue[x] + open_ * b) << np.uint32(16))
                    | opaque
                )
        else:
            for x in range(width):
                open_ = through[x]
                alpha = alphas[x] + open_ * a
                by = one / alpha if alpha > 0 else zero
                there[x] = (
                    byte((red[x] + open_ * r) * by)
                    | (byte((green[x] + open_ * g) * by) << np.uint32(8))
                    | (byte((blue[x] + open_ * b) * by) << np.uint32(16))
                    | (byte(alpha) << np.uint32(24))
                )


@jit
def band(whole, real, first_row, last_row, colour, backdrop, fine, tables, tile, kind, out, planes):
    """Draw the tile rows first_row … last_row − 1 of a picture."""
    height, width = (planes.shape[0], planes.shape[1]) if kind == PREMULTIPLIED else (out.shape[0], out.shape[1])
    size, line = T.PLANE, tile + T.BEYOND
    room_upright = (
        np.empty(T.WIDE, np.int64),
        np.empty(T.WIDE, np.int64),
        np.empty((T.MOST_TAPS, T.WIDE), np.float32),
        np.empty((T.MOST_TAPS, T.WIDE), np.float32),
        np.zeros((4, T.BLOCK), np.float32),
        np.zeros(size, np.float32),
        np.empty((T.MOST_TAPS, T.WIDE), np.uint32),
        np.empty(T.WIDE, np.uint32),
    )
    room_leaning = (
        np.empty(size, np.int32),
        np.zeros(size, np.float32),
        np.zeros(size, np.float32),
        np.zeros(size, np.float32),
        np.empty(size, np.uint32),
        np.empty(size, np.uint32),
        np.empty(size, np.uint32),
        np.empty(size, np.uint32),
        np.empty((PHASES + 1, 4), np.float32),
        np.zeros((4, size), np.float32),
        np.zeros((4, size), np.float32),
    )
    room_drafted = np.zeros(size + line, np.uint32), np.zeros(size, np.uint32), np.zeros(size, np.uint32)
    shift = np.empty(6, np.int64)
    taken, seen = np.zeros((4, size), np.float32), np.zeros((4, size), np.float32)
    rest = np.empty(size, np.float32)
    sheets = whole.shape[0]
    active = np.empty(sheets, np.int64)
    for row in range(first_row, last_row):
        y0 = row * T.TILE_HEIGHT
        rows = min(T.TILE_HEIGHT, height - y0)
        for x0 in range(0, width, tile):
            columns = min(tile, width - x0)
            count = rows * line
            number, blended = 0, False
            for sheet in range(sheets - 1, -1, -1):
                state = reach(whole[sheet], real[sheet], fine, x0, y0, x0 + columns, y0 + rows)
                if state == CLEAR:
                    continue
                active[number] = sheet
                number += 1
                blended = blended or whole[sheet, T.BLEND] != 0
                if state == SOLID:
                    break
            if blended:
                ground(x0, y0, columns, rows, line, colour, backdrop, seen)
            else:
                for channel in range(3):
                    plane = seen[channel]
                    for i in range(count):
                        plane[i] = 0
                # nothing is left to be seen between a tile's rows
                for y in range(rows):
                    for x in range(line):
                        rest[y * line + x] = x < columns
            left = np.float32(columns * rows)
            for turn in range(number):
                # from the front, or from the back where a blend mode needs what lies behind
                sheet = active[number - 1 - turn if blended else turn]
                if not blended and drafted.shifts(whole[sheet], real[sheet], x0, y0, columns, rows, shift):
                    left = drafted.under(
                        whole[sheet], real[sheet], columns, rows, line, shift, room_drafted, seen, rest
                    )
                    if left <= T.FULL:
                        break
                    continue
                sample(
                    whole[sheet], real[sheet], x0, y0, columns, rows, line, width, fine, tables, room_upright, room_leaning, taken
                )  # fmt: skip
                if blended:
                    blends.over(whole[sheet, T.BLEND], taken, seen, count)
                    continue
                left = under(taken, seen, rest, count)
                if left <= T.FULL:
                    break
            if blended:
                rest[:count] = 0
            else:
                if backdrop.shape[0] and left > T.FULL:
                    ground(x0, y0, columns, rows, line, colour, backdrop, taken)
                    under(taken, seen, rest, count)
                if kind != OVER:
                    alphas = seen[3]
                    for i in range(count):
                        alphas[i] = np.float32(1) - rest[i]
            write(seen, rest, x0, y0, columns, rows, line, kind, colour, out, planes)
