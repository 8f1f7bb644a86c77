"""Sampling a sheet that is turned or recedes: where each pixel looks is worked out first, then what stands there is fetched,
then it is mixed. Three plain loops are quicker than one that does it all."""

import numpy as np
from numba import carray

from clinamen.core.compiled import table as T
from clinamen.core.compiled.fitted import PHASES, STEPS
from clinamen.core.compiled.jit import jit, packed_at
from clinamen.core.compiled.upright import within

UNEVEN = 1.5  # the art is this much denser one way than the other: several samples a pixel
MOST_SAMPLES = 16


@jit
def footprint(real, x, y):
    """Around a canvas pixel: art px per canvas px along the denser way and the other, and the denser way on the canvas."""
    w = real[6] * x + real[7] * y + real[8]
    u = (real[0] * x + real[1] * y + real[2]) / w
    v = (real[3] * x + real[4] * y + real[5]) / w
    a, b = (real[0] - u * real[6]) / w, (real[1] - u * real[7]) / w
    c, d = (real[3] - v * real[6]) / w, (real[4] - v * real[7]) / w
    # squared singular values are the eigenvalues of JᵀJ
    xx, yy, xy = a * a + c * c, b * b + d * d, a * b + c * d
    mean, half = (xx + yy) / 2, np.sqrt(((xx - yy) / 2) ** 2 + xy * xy)
    way_x, way_y = (xy, mean + half - xx) if abs(xy) > 1e-12 * mean else ((1.0, 0.0) if xx >= yy else (0.0, 1.0))
    length = np.sqrt(way_x * way_x + way_y * way_y)
    return np.sqrt(mean + half), np.sqrt(max(mean - half, 0.0)), way_x / length, way_y / length


@jit
def look(whole, real, level, x0, y0, width, height, line, recedes, room):
    """The art pixel each tile pixel looks at, as a place in the level's memory, and the fractions beyond it."""
    places, part_x, part_y, live = room[0], room[1], room[2], room[3]
    at = T.FIRST_LEVEL + level * T.LEVEL_COLUMNS
    row_length, columns, rows = whole[at + T.ROW], whole[at + T.WIDTH], whole[at + T.HEIGHT]
    to_x, to_y = columns / whole[T.FIRST_LEVEL + T.WIDTH], rows / whole[T.FIRST_LEVEL + T.HEIGHT]
    repeat_x, repeat_y = whole[T.REPEAT_X], whole[T.REPEAT_Y]
    base = T.BORDER * row_length + T.BORDER
    ux, uy, u0 = np.float32(real[0] * to_x), np.float32(real[1] * to_x), (real[0] * x0 + real[1] * y0 + real[2]) * to_x
    vx, vy, v0 = np.float32(real[3] * to_y), np.float32(real[4] * to_y), (real[3] * x0 + real[4] * y0 + real[5]) * to_y
    wx, wy, w0 = np.float32(real[6]), np.float32(real[7]), np.float32(real[6] * x0 + real[7] * y0 + real[8])
    tiny = np.float32(1e-9)
    half = np.float32(0.5)
    # a whole number of repeats is taken away beforehand, so that little is lost to rounding
    if not recedes and repeat_x:
        u0 -= np.floor(u0 / (2 * columns)) * (2 * columns)
    if not recedes and repeat_y:
        v0 -= np.floor(v0 / (2 * rows)) * (2 * rows)
    fu0, fv0 = np.float32(u0), np.float32(v0)
    for y in range(height):
        u_row, v_row = fu0 + uy * np.float32(y), fv0 + vy * np.float32(y)
        w_row = w0 + wy * np.float32(y)
        row = y * line
        for x in range(width):
            u, v = u_row + ux * np.float32(x), v_row + vx * np.float32(x)
            if recedes:
                w = w_row + wx * np.float32(x)
                live[row + x] = np.float32(w > tiny)
                over = np.float32(1) / max(w, tiny)
                u, v = u * over, v * over
            part_x[row + x] = u
            part_y[row + x] = v
    for axis in range(2):
        part, length, repeat = (part_x, columns, repeat_x) if axis == 0 else (part_y, rows, repeat_y)
        size = np.float32(length)
        if repeat == 1:
            for i in range(line * height):
                part[i] = part[i] - np.floor(part[i] / size) * size
        elif repeat == 2:
            for i in range(line * height):
                away = part[i] - np.floor(part[i] / (2 * size)) * (2 * size)
                part[i] = size - abs(away - size)
    least, most_x, most_y = np.float32(-3), np.float32(columns + 2), np.float32(rows + 2)
    for i in range(line * height):
        u = min(max(part_x[i] - half, least), most_x)
        v = min(max(part_y[i] - half, least), most_y)
        first_x, first_y = np.int32(u - least) - np.int32(3), np.int32(v - least) - np.int32(3)
        part_x[i] = u - np.float32(first_x)
        part_y[i] = v - np.float32(first_y)
        places[i] = np.int32(first_y) * np.int32(row_length) + np.int32(first_x) + np.int32(base)


@jit
def fetch(packed, places, offset, count, fetched):
    for i in range(count):
        fetched[i] = packed[np.uint32(places[i] + np.int32(offset))]


@jit
def plain(packed, row_length, count, by, room, taken):
    """Between the four nearest pixels."""
    places, part_x, part_y, _, f0, f1, f2, f3, _, _, _ = room
    fetch(packed, places, 0, count, f0)
    fetch(packed, places, 1, count, f1)
    fetch(packed, places, row_length, count, f2)
    fetch(packed, places, row_length + 1, count, f3)
    low = np.uint32(255)
    for channel in range(4):
        plane, shift = taken[channel], np.uint32(8 * channel)
        for i in range(count):
            x = part_x[i]
            one, two = np.float32(np.int32((f0[i] >> shift) & low)), np.float32(np.int32((f1[i] >> shift) & low))
            three, four = np.float32(np.int32((f2[i] >> shift) & low)), np.float32(np.int32((f3[i] >> shift) & low))
            upper, lower = one + x * (two - one), three + x * (four - three)
            plane[i] += by * (upper + part_y[i] * (lower - upper))


@jit
def fitted(packed, row_length, count, by, shares, room, taken):
    """Between the sixteen nearest pixels, by their `shares` [phase, tap]."""
    places, part_x, part_y, _, f0, f1, _, _, _, along, down = room
    low = np.uint32(255)
    for tap in range(4):
        across, beneath = along[tap], down[tap]
        for i in range(count):
            across[i] = by * shares[np.uint32(np.int32(part_x[i] * np.float32(PHASES) + np.float32(0.5))), tap]
        for i in range(count):
            beneath[i] = shares[np.uint32(np.int32(part_y[i] * np.float32(PHASES) + np.float32(0.5))), tap]
    for row in range(4):
        beneath = down[row]
        # two pixels at a time: with more arrays in a loop the compiler no longer finds out that they lie apart
        for pair in range(0, 4, 2):
            fetch(packed, places, (row - 1) * row_length + pair - 1, count, f0)
            fetch(packed, places, (row - 1) * row_length + pair, count, f1)
            first, second = along[pair], along[pair + 1]
            for channel in range(4):
                plane, shift = taken[channel], np.uint32(8 * channel)
                for i in range(count):
                    one, two = (
                        np.float32(np.int32((f0[i] >> shift) & low)),
                        np.float32(np.int32((f1[i] >> shift) & low)),
                    )
                    plane[i] += beneath[i] * (first[i] * one + second[i] * two)


@jit
def sample(whole, real, x0, y0, width, height, line, fine, tables, room, taken):
    """Tile pixels into the planes of `taken`, premultiplied, 0…1."""
    count = line * height
    for channel in range(4):
        for i in range(count):
            taken[channel, i] = 0
    recedes = not whole[T.FRONTAL]
    # the art's density is taken at the middle, or where the tile is not all before the camera, at the corner nearest to it
    near_x, near_y, nearest, farthest = 0.0, 0.0, -1e300, 1e300
    for spot in range(4):
        x, y = x0 + width * (spot & 1), y0 + height * (spot >> 1)
        w = real[6] * x + real[7] * y + real[8]
        farthest = min(farthest, w)
        if w > nearest:
            near_x, near_y, nearest = x, y, w
    if farthest > 0:
        near_x, near_y = x0 + width / 2, y0 + height / 2
    if nearest <= 0:
        return
    level, samples, way_x, way_y = whole[T.LEVEL], 1, 0.0, 0.0
    shares = room[8]
    if fine:
        dense, loose, way_x, way_y = footprint(real, near_x, near_y)
        uneven = dense / max(loose, 1.0)
        if uneven > UNEVEN:
            samples = min(MOST_SAMPLES, int(np.ceil(uneven - 0.25)))
        dense = max(dense / samples, 1.0)
        level = min(max(0, int(np.ceil(np.log2(dense / T.DENSEST)))), whole[T.LEVELS] - 1)
        stretch = dense / 2.0**level
        place = min((max(stretch, 1.0) - 1) * STEPS, tables[0].shape[0] - 1.0)
        step = min(int(place), tables[0].shape[0] - 2)
        wide = np.float32(place - step)
        for phase in range(PHASES + 1):
            for tap in range(4):
                low, high = tables[0][step, phase, tap], tables[0][step + 1, phase, tap]
                shares[phase, tap] = low + (high - low) * wide
    at = T.FIRST_LEVEL + level * T.LEVEL_COLUMNS
    row_length, rows = whole[at + T.ROW], whole[at + T.HEIGHT]
    packed = carray(packed_at(whole[at + T.ADDRESS]), ((rows + 2 * T.BORDER + 1) * row_length,))
    by = np.float32(1 / (255 * samples))
    for number in range(samples):
        along = (number + 0.5) / samples - 0.5
        look(whole, real, level, x0 + 0.5 + along * way_x, y0 + 0.5 + along * way_y, width, height, line, recedes, room)
        if fine:
            fitted(packed, row_length, count, by, shares, room, taken)
        else:
            plain(packed, row_length, count, by, room, taken)
    if recedes and farthest <= 0:
        live = room[3]
        for channel in range(4):
            for i in range(count):
                taken[channel, i] *= live[i]
    if fine:
        within(taken, count)
