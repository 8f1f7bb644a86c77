"""Art as the tiles read it: premultiplied bytes with a clear border, and tables that say which cells are clear or opaque."""

import numpy as np

from clinamen.core.compiled import table as T
from clinamen.core.compiled.jit import jit


@jit
def pack(pixels, repeat_x, repeat_y, packed):
    """Straight pixels [h, w, 4] uint8, premultiplied and rounded, into `packed` [h + 2 · border + 1, w + 2 · border] uint32."""
    height, width = pixels.shape[0], pixels.shape[1]
    for y in range(height):
        for x in range(width):
            alpha = np.uint32(pixels[y, x, 3])
            # n · a / 255, rounded, without a division
            pixel = alpha << np.uint32(24)
            for channel in range(3):
                value = np.uint32(pixels[y, x, channel]) * alpha + np.uint32(128)
                pixel |= ((value + (value >> np.uint32(8))) >> np.uint32(8)) << np.uint32(8 * channel)
            packed[y + T.BORDER, x + T.BORDER] = pixel
    border(packed, height, width, repeat_x, repeat_y)


@jit
def pack_floats(planes, repeat_x, repeat_y, packed):
    """As `pack`, of premultiplied floats [h, w, 4] within 0…1."""
    height, width = planes.shape[0], planes.shape[1]
    for y in range(height):
        for x in range(width):
            pixel = np.uint32(0)
            for channel in range(4):
                value = min(max(planes[y, x, channel], np.float32(0)), np.float32(1))
                pixel |= np.uint32(np.int32(value * np.float32(255) + np.float32(0.5))) << np.uint32(8 * channel)
            packed[y + T.BORDER, x + T.BORDER] = pixel
    border(packed, height, width, repeat_x, repeat_y)


@jit
def border(packed, height, width, repeat_x, repeat_y):
    """Bring into the border what a repeat shows there."""
    if repeat_x:
        for y in range(T.BORDER, height + T.BORDER):
            for step in range(T.BORDER):
                before, after = (
                    ((width - 1 - step) % width, step % width)
                    if repeat_x == 1
                    else (min(step, width - 1), max(width - 1 - step, 0))
                )
                packed[y, T.BORDER - 1 - step] = packed[y, T.BORDER + before]
                packed[y, T.BORDER + width + step] = packed[y, T.BORDER + after]
    if repeat_y:
        for step in range(T.BORDER):
            before, after = (
                ((height - 1 - step) % height, step % height)
                if repeat_y == 1
                else (min(step, height - 1), max(height - 1 - step, 0))
            )
            for x in range(packed.shape[1]):
                packed[T.BORDER - 1 - step, x] = packed[T.BORDER + before, x]
                packed[T.BORDER + height + step, x] = packed[T.BORDER + after, x]


@jit
def halved(pixels, out):
    """Straight pixels [2h, 2w, 4] uint8 into premultiplied floats [h, w, 4], four averaged into one."""
    scale = np.float32(1 / (4 * 255 * 255))
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            red, green, blue, alpha = 0, 0, 0, 0
            for part in range(4):
                row, column = 2 * y + (part >> 1), 2 * x + (part & 1)
                weight = np.int64(pixels[row, column, 3])
                red += np.int64(pixels[row, column, 0]) * weight
                green += np.int64(pixels[row, column, 1]) * weight
                blue += np.int64(pixels[row, column, 2]) * weight
                alpha += weight
            out[y, x, 0] = red * scale
            out[y, x, 1] = green * scale
            out[y, x, 2] = blue * scale
            out[y, x, 3] = alpha * np.float32(1 / (4 * 255))


@jit
def cells(pixels, filled, solid):
    """Summed tables [cells + 1, cells + 1] int32 of the cells that hold something, and of those that are opaque all over."""
    height, width = pixels.shape[0], pixels.shape[1]
    for row in range(filled.shape[0] - 1):
        for column in range(filled.shape[1] - 1):
            least, most = 255, 0
            for y in range(row * T.CELL, min((row + 1) * T.CELL, height)):
                for x in range(column * T.CELL, min((column + 1) * T.CELL, width)):
                    alpha = int(pixels[y, x, 3])
                    least, most = min(least, alpha), max(most, alpha)
            filled[row + 1, column + 1] = (
                filled[row, column + 1] + filled[row + 1, column] - filled[row, column] + (1 if most > 0 else 0)
            )
            solid[row + 1, column + 1] = (
                solid[row, column + 1] + solid[row + 1, column] - solid[row, column] + (1 if least == 255 else 0)
            )
