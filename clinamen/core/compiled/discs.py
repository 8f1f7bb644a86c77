"""A uniform disc over a picture by sums along its rows: four places of the sums for each row of the disc, however wide it is."""

import numpy as np

from clinamen.core.compiled.jit import jit


@jit
def sums(source, pad, out, first, last):
    """Rows `first` to `last` of `source` [h, w, 4] summed from the left into `out` [h, (w + 1 + 2·pad)·4]: nothing lies left of
    a row, and nothing is added right of it."""
    width = source.shape[1]
    for y in range(first, last):
        row = out[y]
        row[: 4 * (pad + 1)] = 0
        at = 4 * (pad + 1)
        red = green = blue = alpha = np.float32(0)
        for x in range(width):
            red, green, blue, alpha = (
                red + source[y, x, 0],
                green + source[y, x, 1],
                blue + source[y, x, 2],
                alpha + source[y, x, 3],
            )
            row[at], row[at + 1], row[at + 2], row[at + 3] = red, green, blue, alpha
            at += 4
        for x in range(at // 4, row.size // 4):
            row[4 * x], row[4 * x + 1], row[4 * x + 2], row[4 * x + 3] = red, green, blue, alpha


@jit
def spread(summed, pad, whole, part, share, out, first, last):
    """Rows `first` to `last` of `out` [h, w·4]: for the disc's row k, `whole[k]` pixels each way and `part[k]` of one more."""
    rows, length = len(whole), out.shape[1]
    half = rows // 2
    for y in range(first, last):
        row = out[y]
        row[:] = 0
        for k in range(max(0, half - y), min(rows, len(summed) + half - y)):
            line, f = summed[y + k - half], part[k]
            e = np.float32(1) - f
            right, left = 4 * (pad + whole[k] + 1), 4 * (pad - whole[k])
            # slices, since places that could be negative are looked at one by one
            ends, starts = line[right : right + length], line[left : left + length]
            further, before = line[right + 4 : right + 4 + length], line[left - 4 : left - 4 + length]
            for i in range(length):
                row[i] += e * (ends[i] - starts[i]) + f * (further[i] - before[i])
        for i in range(length):
            row[i] *= share
