"""A draft's sheet that is only shifted: four neighbours are mixed in whole numbers, two channels at once, and laid behind what is
seen without being kept. Their shares are 256ths, which is as if places were rounded to 1/256 px."""

import numpy as np

from clinamen.core.compiled import table as T
from clinamen.core.compiled.jit import jit, pixels

NO_FRACTION = 1e-4  # px over a tile: a step so near to one is a shift
ONE = 256  # the shares' sum


@jit
def shifts(whole, real, x0, y0, width, height, shift):
    """Whether this way draws the sheet in a tile: bytes, shifted alike, nothing but opacity to heed, not met beyond the art. The
    first art column and row, and four shares, go into `shift`."""
    if not whole[T.UPRIGHT] or whole[T.TAPS_X] != 2 or whole[T.TAPS_Y] != 2:
        return False
    if whole[T.FLOATS] or whole[T.COLOUR] or whole[T.MASK]:
        return False
    at, first = T.FIRST_LEVEL + whole[T.LEVEL] * T.LEVEL_COLUMNS, T.FIRST_LEVEL
    to_x, to_y = whole[at + T.WIDTH] / whole[first + T.WIDTH], whole[at + T.HEIGHT] / whole[first + T.HEIGHT]
    if abs(real[0] * to_x - 1) * width >= NO_FRACTION or abs(real[4] * to_y - 1) * height >= NO_FRACTION:
        return False
    across = (real[0] * (x0 + 0.5) + real[2]) * to_x - 0.5
    down = (real[4] * (y0 + 0.5) + real[5]) * to_y - 0.5
    left, top = np.floor(across), np.floor(down)
    if left < -T.BORDER or left + width + 1 > whole[at + T.WIDTH] + T.BORDER:
        return False
    if top < -T.BORDER or top + height + 1 > whole[at + T.HEIGHT] + T.BORDER:
        return False
    right, below = across - left, down - top
    shift[0], shift[1] = int(left), int(top)
    shift[3] = int(np.round(right * (1 - below) * ONE))
    shift[4] = int(np.round((1 - right) * below * ONE))
    shift[5] = int(np.round(right * below * ONE))
    shift[2] = ONE - shift[3] - shift[4] - shift[5]
    return True


@jit
def under(whole, real, width, height, line, shift, room, seen, rest):
    """Lay the sheet behind what is seen, as `tiles.under`; what is still open of a tile, in pixels."""
    block, evens, odds = room
    at = T.FIRST_LEVEL + whole[T.LEVEL] * T.LEVEL_COLUMNS
    row_length = whole[at + T.ROW]
    start = whole[at] + 4 * ((shift[1] + T.BORDER) * row_length + shift[0] + T.BORDER)
    for y in range(height + 1):
        there, here = pixels(start + 4 * row_length * y, width + 1), pixels(block.ctypes.data + 4 * line * y, width + 1)
        for x in range(width + 1):
            here[x] = there[x]
    count, base = height * line, block.ctypes.data
    one, two = pixels(base, count), pixels(base + 4, count)
    three, four = pixels(base + 4 * line, count), pixels(base + 4 * line + 4, count)
    a, b, c, d = np.uint32(shift[2]), np.uint32(shift[3]), np.uint32(shift[4]), np.uint32(shift[5])
    pairs, low, byte, half = np.uint32(0xFF00FF), np.uint32(0xFFFF), np.uint32(8), np.uint32(16)
    for i in range(count):
        evens[i] = a * (one[i] & pairs) + b * (two[i] & pairs) + c * (three[i] & pairs) + d * (four[i] & pairs)
        odds[i] = (
            a * ((one[i] >> byte) & pairs)
            + b * ((two[i] >> byte) & pairs)
            + c * ((three[i] >> byte) & pairs)
            + d * ((four[i] >> byte) & pairs)
        )
    scale = np.float32(real[T.OPACITY] / (255 * ONE))
    red, green, blue = seen[0], seen[1], seen[2]
    left, least, nothing = np.float32(0), np.float32(1e-6), np.float32(0)
    for i in range(count):
        share = rest[i] * scale
        red[i] += share * np.float32(np.int32(evens[i] & low))
        green[i] += share * np.float32(np.int32(odds[i] & low))
        blue[i] += share * np.float32(np.int32(evens[i] >> half))
        open_ = rest[i] - share * np.float32(np.int32(odds[i] >> half))
        open_ = open_ if open_ > least else nothing  # numbers nearly nothing are slow to work with
        rest[i] = open_
        left += open_
    return left
