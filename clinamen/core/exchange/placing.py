"""Where an old picture lies on a new canvas: of the nine places that programs offer, the one where it looks most like itself."""

import cv2
import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.pixels import premultiply

LOOKED_AT = 256  # px: longest side of the pictures that are compared


def place_of(old: Pixels, new: Pixels) -> tuple[int, int]:
    """Top left corner of `old` [h, w, 4] in `new` [H, W, 4], in pixels; negative where the new canvas is smaller. Of places
    that look alike the one nearest the middle."""
    spare_x, spare_y = new.shape[1] - old.shape[1], new.shape[0] - old.shape[0]
    places = [
        (spare_x * i // 2, spare_y * j // 2) for i, j in sorted(_NINE, key=lambda at: abs(at[0] - 1) + abs(at[1] - 1))
    ]
    return min(dict.fromkeys(places), key=lambda at: _unlike(old, new, at))


_NINE = [(i, j) for i in range(3) for j in range(3)]


def _unlike(old: Pixels, new: Pixels, at: tuple[int, int]) -> float:
    """Mean difference of what both pictures show there, rounded so that noise decides nothing."""
    x, y = at
    width = min(old.shape[1], new.shape[1])
    height = min(old.shape[0], new.shape[0])
    a = old[max(0, -y) : max(0, -y) + height, max(0, -x) : max(0, -x) + width]
    b = new[max(0, y) : max(0, y) + height, max(0, x) : max(0, x) + width]
    scale = min(1.0, LOOKED_AT / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = [cv2.resize(premultiply(part), size, interpolation=cv2.INTER_AREA).astype(np.float32) for part in (a, b)]
    return round(float(np.abs(small[0] - small[1]).mean()), 2)
