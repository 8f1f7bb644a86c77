"""What look steps do to pixels: matrices, tables, blurs and shifts on straight planes [h, w, 4] float32 within 0…1."""

import math

import cv2
import numpy as np

from clinamen.core.arrays import Floats, Planes
from clinamen.core.look.weights import LUMINANCE

ENTRIES = 256  # of a table


def multiplied(planes: Planes, matrix: Floats) -> Planes:
    """Colours under a matrix [3, 4], held within 0…1 (feColorMatrix)."""
    out = planes.copy()
    rows = matrix.astype(np.float32)
    out[..., :3] = np.clip(planes[..., :3] @ rows[:, :3].T + rows[:, 3], 0, 1)
    return out


def looked_up(planes: Planes, tables: Floats) -> Planes:
    """Colours through a table [3, 256] each, straight between its entries (feComponentTransfer)."""
    out = planes.copy()
    for channel in range(3):
        table = np.append(tables[channel], tables[channel][-1]).astype(np.float32)
        at = np.clip(planes[..., channel], 0, 1) * np.float32(ENTRIES - 1)
        entry = at.astype(np.uint8)
        out[..., channel] = table[entry] + (at - entry) * np.diff(table)[entry]
    return out


def luminance(planes: Planes) -> Planes:
    """Luminance [h, w] of coded values."""
    return (planes[..., :3] @ np.array(LUMINANCE, np.float32)).astype(np.float32)


def blurred(plane: Planes, sigma: float) -> Planes:
    """Under a Gaussian; what lies beyond the edges is clear."""
    if sigma <= 1e-3:
        return plane
    return cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT).astype(np.float32)


def moved(plane: Planes, dx: float, dy: float) -> Planes:
    """Shifted by whole and broken pixels; what comes in is clear."""
    matrix = np.array([[1, 0, dx], [0, 1, dy]], float)
    size = plane.shape[1], plane.shape[0]
    return cv2.warpAffine(plane, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT).astype(
        np.float32
    )


def over(front: Planes, back: Planes) -> Planes:
    """Straight `front` over straight `back`, source-over."""
    top, under = front[..., 3:], back[..., 3:]
    alpha = top + under * (1 - top)
    colour = front[..., :3] * top + back[..., :3] * under * (1 - top)
    return np.concatenate([np.divide(colour, alpha, out=np.zeros_like(colour), where=alpha > 1e-6), alpha], axis=2)


def flat(colour: tuple[float, float, float], alpha: Planes) -> Planes:
    """One colour with this alpha [h, w]."""
    out = np.empty((*alpha.shape, 4), np.float32)
    out[..., :3], out[..., 3] = colour, alpha
    return out


def colour_of(code: str) -> tuple[float, float, float]:
    """Coded shares of #rrggbb."""
    red, green, blue = (int(code[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return red, green, blue


def off(angle: float, distance: float) -> tuple[float, float]:
    """(x, y) of a distance under an angle: 0° to the right, 90° down."""
    return distance * math.cos(math.radians(angle)), distance * math.sin(math.radians(angle))


def linear(coded: Floats) -> Floats:
    """Linear light of coded sRGB shares (IEC 61966-2-1)."""
    return np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4)


def coded(light: Floats) -> Floats:
    """Coded sRGB shares of linear light (IEC 61966-2-1)."""
    held = np.clip(light, 0, 1)
    return np.where(held <= 0.0031308, held * 12.92, 1.055 * held ** (1 / 2.4) - 0.055)


def ramp() -> Floats:
    """The even places that tables are told at."""
    return np.linspace(0, 1, ENTRIES)
