"""Pixels: straight and premultiplied, trimmed and made smaller."""

import cv2
import numpy as np

from clinamen.core.arrays import Pixels, Planes


def trim_box(pixels: Pixels) -> tuple[int, int, int, int]:
    """Box (left, top, right, bottom) that holds every pixel with alpha; (0, 0, 1, 1) of an empty picture."""
    rows, columns = np.flatnonzero(pixels[..., 3].any(axis=1)), np.flatnonzero(pixels[..., 3].any(axis=0))
    if not len(rows):
        return 0, 0, 1, 1
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def premultiply(pixels: Pixels) -> Planes:
    """Premultiplied RGBA [h, w, 4] float32 within 0…1."""
    out = pixels.astype(np.float32) * np.float32(1 / 255)
    out[..., :3] *= out[..., 3:]
    return out


def straighten(premultiplied: Planes) -> Pixels:
    """Straight-alpha RGBA uint8 of premultiplied float pixels."""
    alpha = premultiplied[..., 3:]
    colour = np.divide(premultiplied[..., :3], alpha, out=np.zeros_like(premultiplied[..., :3]), where=alpha > 0)
    return np.round(np.clip(np.concatenate([colour, alpha], axis=2), 0, 1) * 255).astype(np.uint8)


def shrink(pixels: Pixels, width: int, height: int) -> Pixels:
    """Area-averaged smaller picture, averaged premultiplied so that clear pixels lend no colour."""
    if (width, height) == (pixels.shape[1], pixels.shape[0]):
        return pixels
    return straighten(cv2.resize(premultiply(pixels), (width, height), interpolation=cv2.INTER_AREA))
