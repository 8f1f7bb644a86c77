"""Light and air over straight pixels in one go: what falls on each place, and what is between it and the eye."""

import numpy as np

from clinamen.core.compiled.jit import jit


@jit
def shone(source, grid, place, factors, tables, clear, out):
    """`source` [h, w, 4] uint8 into `out` of the same shape and kind.

    `grid`: art pixels from the art's middle to the first pixel, across and down, and from one pixel to the next. `place`: where
    the key light stands over the art (a, b), across and stretch of its shape, its squared distance off it and the square of an
    art pixel, both over its squared reach. `factors` [n, 3]: of coded values, by the square root of what of the key light falls,
    0…1. `tables` [m, 3]: what comes of coded values 0…1 in the air, 0…255. Clear pixels keep
    their colours where `clear`.
    """
    height, width = source.shape[0], source.shape[1]
    first_a, first_b, step = grid[0], grid[1], grid[2]
    at_a, at_b, across, stretch, away, size = place[0], place[1], place[2], place[3], place[4], place[5]
    last, end = np.float32(factors.shape[0] - 1), np.float32(tables.shape[0] - 1)
    one, half, share = np.float32(1), np.float32(0.5), end / np.float32(255)
    for y in range(height):
        b = first_b + np.float32(y) * step
        down = stretch * b - at_b
        down2 = down * down
        shift = first_a + across * b - at_a
        line, told = source[y], out[y]
        for x in range(width):
            alpha = line[x, 3]
            if alpha == 0 and not clear:
                told[x] = 0
                continue
            over = shift + np.float32(x) * step
            near = np.sqrt(one / (one + away + size * (over * over + down2))) * last
            entry = np.uint32(min(near, last - one))
            part = near - np.float32(entry)
            for channel in range(3):
                factor = factors[entry, channel] + part * (
                    factors[entry + np.uint32(1), channel] - factors[entry, channel]
                )
                value = min(np.float32(line[x, channel]) * factor * share, end)
                at = np.uint32(min(value, end - one))
                low, high = tables[at, channel], tables[at + np.uint32(1), channel]
                told[x, channel] = np.uint8(low + (value - np.float32(at)) * (high - low) + half)
            told[x, 3] = alpha
