"""Sampling a sheet whose axes stay axes: its pixels are spread into planes of floats, then filtered down the columns, then
along the rows. A shift by a fraction of a pixel costs the same few steps for every pixel."""

import numpy as np

from clinamen.core.compiled import table as T
from clinamen.core.compiled.fitted import PHASES, STEPS
from clinamen.core.compiled.jit import floats, jit, pixels

NO_FRACTION = 1e-4  # px: less than this and the pixel is taken as it is


@jit
def share(fitted, stretch, phase, tap):
    """A tap's share out of a table of `fitted`, between its entries."""
    place = min((stretch - 1) * STEPS, fitted.shape[0] - 1.0)
    k, p = min(int(place), fitted.shape[0] - 2), min(int(phase * PHASES), PHASES - 1)
    wide, far = place - k, phase * PHASES - p
    low = fitted[k, p, tap] * (1 - far) + fitted[k, p + 1, tap] * far
    high = fitted[k + 1, p, tap] * (1 - far) + fitted[k + 1, p + 1, tap] * far
    return low * (1 - wide) + high * wide


@jit
def weights(start, step, count, taps, stretch, tables, shifts, firsts, shares):
    """Of `count` samples that begin at `start` (art px, centres at halves) and lie `step` apart: the first art pixel of each
    into `firsts`, and the share of each of its `taps` pixels into `shares` [tap, sample]. Where all are
    shifted alike only the first one's shares are given, and the first and last place."""
    for i in range(count):
        at = start + i * step - 0.5
        if taps == 1:
            at = np.round(at)
        whole = np.floor(at)
        part = at - whole
        firsts[i] = int(whole) - max(0, taps // 2 - 1)
        if taps == 1:
            shares[0, i] = 1.0
        elif taps == 2:
            shares[0, i], shares[1, i] = 1 - part, part
        else:
            fitted = tables[0] if taps == 4 else tables[1]
            for tap in range(taps):
                shares[tap, i] = share(fitted, stretch, part, tap)
        if shifts:  # a shift leaves them all alike: only the first and the last place are asked for
            firsts[count - 1] = firsts[0] + count - 1
            break


@jit
def folded(at, length, repeat):
    """Where art pixel `at` is found: in the border when it lies beyond, or inside again where the art goes on."""
    if repeat == 0:
        return min(max(at, -1), length)
    if repeat == 1:
        return at % length
    at = at % (2 * length)
    return at if at < length else 2 * length - 1 - at


@jit
def spread(whole, level, left, columns, top, rows, planes, line):
    """The art pixels [rows, columns] from (left, top) on, as they are seen beyond the art's edges, as shares of one into four
    planes (an address) whose rows lie `line` floats apart."""
    at = T.FIRST_LEVEL + level * T.LEVEL_COLUMNS
    address, row_length, width, height = whole[at], whole[at + T.ROW], whole[at + T.WIDTH], whole[at + T.HEIGHT]
    repeat_x, repeat_y = whole[T.REPEAT_X], whole[T.REPEAT_Y]
    inside = left >= -T.BORDER and left + columns <= width + T.BORDER
    low, scale = np.uint32(255), np.float32(1 / 255)
    for row in range(rows):
        base = (folded(top + row, height, repeat_y) + T.BORDER) * row_length + T.BORDER
        packed = pixels(address + 4 * (base - T.BORDER), row_length)
        values = floats(address + 16 * (base - T.BORDER), 4 * row_length)
        line_of = pixels(address + 4 * (base + left), columns)
        for channel in range(4):
            out = floats(planes + 4 * (channel * T.BLOCK + line * row), columns)
            shift = np.uint32(8 * channel)
            if whole[T.FLOATS]:
                for x in range(columns):
                    out[x] = values[np.uint32(4 * (folded(left + x, width, repeat_x) + T.BORDER) + channel)]
            elif inside:
                for x in range(columns):
                    out[x] = np.float32(np.int32((line_of[x] >> shift) & low)) * scale
            else:
                for x in range(columns):
                    pixel = packed[np.uint32(folded(left + x, width, repeat_x) + T.BORDER)]
                    out[x] = np.float32(np.int32((pixel >> shift) & low)) * scale


@jit
def down(plane, first, line, taps, shares, y, columns, out):
    """The filter down the columns of a plane (an address), for `columns` floats from row `first` on, into `out`."""
    start, row = plane + 4 * line * first, 4 * line
    a, one = shares[0, y], floats(start, columns)
    if taps == 1:
        for x in range(columns):
            out[x] = one[x]
        return
    b, two = shares[1, y], floats(start + row, columns)
    if taps == 2:
        for x in range(columns):
            out[x] = a * one[x] + b * two[x]
        return
    c, d = shares[2, y], shares[3, y]
    three, four = floats(start + 2 * row, columns), floats(start + 3 * row, columns)
    for x in range(columns):
        out[x] = a * one[x] + b * two[x] + c * three[x] + d * four[x]
    if taps == 6:
        e, f = shares[4, y], shares[5, y]
        five, six = floats(start + 4 * row, columns), floats(start + 5 * row, columns)
        for x in range(columns):
            out[x] += e * five[x] + f * six[x]


@jit
def across(whole, level, places, taps, shares, width, top, rows, line, block, fetched):
    """The filter along the rows: art rows from `top` on, seen at the columns `places` [tap, x], into the planes of `block`."""
    at = T.FIRST_LEVEL + level * T.LEVEL_COLUMNS
    address, row_length, height = whole[at], whole[at + T.ROW], whole[at + T.HEIGHT]
    low = np.uint32(255)
    for row in range(rows):
        base = (folded(top + row, height, whole[T.REPEAT_Y]) + T.BORDER) * row_length + T.BORDER
        packed = pixels(address + 4 * (base - T.BORDER), row_length)
        values = floats(address + 16 * (base - T.BORDER), 4 * row_length)
        for tap in range(taps):
            place, share = places[tap], shares[tap]
            if not whole[T.FLOATS]:
                for x in range(width):
                    fetched[x] = packed[place[x]]
            for channel in range(4):
                out = floats(block + 4 * (channel * T.BLOCK + line * row), width)
                if tap == 0:
                    for x in range(width):
                        out[x] = 0
                if whole[T.FLOATS]:
                    for x in range(width):
                        out[x] += share[x] * values[np.uint32(4) * place[x] + np.uint32(channel)]
                else:
                    shift = np.uint32(8 * channel)
                    for x in range(width):
                        out[x] += share[x] * np.float32(np.int32((fetched[x] >> shift) & low))


@jit
def sample(whole, real, x0, y0, width, height, line, tables, room, taken):
    """Tile pixels into the planes of `taken`, premultiplied, 0…1."""
    firsts_x, firsts_y, shares_x, shares_y, block, lines, places, fetched = room
    level = whole[T.LEVEL]
    at = T.FIRST_LEVEL + level * T.LEVEL_COLUMNS
    to_x = whole[at + T.WIDTH] / whole[T.FIRST_LEVEL + T.WIDTH]
    to_y = whole[at + T.HEIGHT] / whole[T.FIRST_LEVEL + T.HEIGHT]
    step_x, step_y = real[0] * to_x, real[4] * to_y
    start_x, start_y = (real[0] * (x0 + 0.5) + real[2]) * to_x, (real[4] * (y0 + 0.5) + real[5]) * to_y
    taps_x, taps_y = whole[T.TAPS_X], whole[T.TAPS_Y]
    # at whole pixels every filter gives the pixel itself
    if abs(step_x - 1) * width < NO_FRACTION and abs(start_x - 0.5 - np.round(start_x - 0.5)) < NO_FRACTION:
        taps_x = 1
    if abs(step_y - 1) * height < NO_FRACTION and abs(start_y - 0.5 - np.round(start_y - 0.5)) < NO_FRACTION:
        taps_y = 1
    shifts = abs(step_x - 1) * width < NO_FRACTION and abs(step_y - 1) * height < NO_FRACTION
    weights(start_x, step_x, width, taps_x, real[T.STRETCH_X], tables, shifts, firsts_x, shares_x)
    weights(start_y, step_y, height, taps_y, real[T.STRETCH_Y], tables, shifts, firsts_y, shares_y)
    left, top = firsts_x[0], firsts_y[0]
    columns, rows = firsts_x[width - 1] + taps_x - left, firsts_y[height - 1] + taps_y - top
    plane = block.ctypes.data
    if shifts:
        spread(whole, level, left, columns, top, rows, plane, line)
        for channel in range(4):
            shifted(
                plane + 4 * channel * T.BLOCK,
                taps_x,
                shares_x,
                taps_y,
                shares_y,
                height * line,
                line,
                lines,
                taken[channel],
            )
    else:
        scale = np.float32(1.0) if whole[T.FLOATS] else np.float32(1 / 255)
        for tap in range(taps_x):
            for x in range(width):
                shares_x[tap, x] *= scale
                places[tap, x] = np.uint32(folded(firsts_x[x] + tap, whole[at + T.WIDTH], whole[T.REPEAT_X]) + T.BORDER)
        across(whole, level, places, taps_x, shares_x, width, top, rows, line, plane, fetched)
        for channel in range(4):
            out = taken[channel].ctypes.data
            for y in range(height):
                here = plane + 4 * channel * T.BLOCK
                down(here, firsts_y[y] - top, line, taps_y, shares_y, y, width, floats(out + 4 * line * y, width))
    if taps_x > 2 or taps_y > 2:
        within(taken, height * line)


@jit
def shifted(plane, taps_x, shares_x, taps_y, shares_y, count, line, lines, taken):
    """One channel of a tile where all pixels are shifted alike: two loops over the whole tile. What they read beyond its rows'
    ends is read by nobody."""
    if taps_x == 1:
        down(plane, 0, line, taps_y, shares_y, 0, count, taken)
        return
    down(plane, 0, line, taps_y, shares_y, 0, count, lines)
    # a filter along a row is one down the columns of rows that lie one float apart
    down(lines.ctypes.data, 0, 1, taps_x, shares_x, 0, count, taken)


@jit
def within(taken, count):
    """Bring back what a fitted filter took beyond: alpha into 0…1 with its colour, colours into 0…alpha."""
    zero, one = np.float32(0), np.float32(1)
    alphas = taken[3]
    for channel in range(3):
        plane = taken[channel]
        for i in range(count):
            alpha = max(alphas[i], zero)
            plane[i] = min(max(plane[i] / max(alpha, one), zero), min(alpha, one))
    for i in range(count):
        alphas[i] = min(max(alphas[i], zero), one)
