"""Noise without a joint, shaped by its spectrum: cloud and grain."""

import math

import cv2
import numpy as np

from clinamen.core.arrays import Floats, Pixels
from clinamen.core.made.painting import Shares, size

MOST_SOLVED = 1024  # px a side: cloud is made no finer than this, and drawn large


def _noise(wide: int, high: int, seed: int, power: "Floats") -> Floats:
    """Noise without a joint, mean 0 and standard deviation 1, whose spectrum is shaped by `power` [h, w // 2 + 1]."""
    white = np.fft.rfft2(np.random.default_rng(seed).standard_normal((high, wide)))
    made = np.fft.irfft2(white * power, s=(high, wide))
    return (made - made.mean()) / max(float(made.std()), 1e-9)


def billows(width: int, height: int, scale: float, billow: float, cover: float, softness: float, seed: int) -> Shares:
    """Cloud: noise whose power falls with frequency from billows of so many pixels on, cut at `cover` with a soft edge."""
    shrunk = min(1.0, MOST_SOLVED / max(width, height))
    wide, high = max(8, round(width * shrunk)), max(8, round(height * shrunk))
    fx, fy = np.fft.rfftfreq(wide, 1 / wide) / width, np.fft.fftfreq(high, 1 / high) / height  # cycles an art pixel
    frequency = np.hypot(fx[None, :], 0.6 * fy[:, None])  # clouds are wider than they are high
    made = _noise(wide, high, seed, 1 / (1 + (frequency * billow) ** 2) ** 1.7 * (frequency > 0))
    level = float(np.quantile(made, 1 - min(max(cover, 0.0), 1.0)))
    edge = 0.05 + 3 * softness
    share = np.clip((made - level) / edge + 0.5, 0, 1).astype(np.float32)
    share = (share * share * (3 - 2 * share)).astype(np.float32)
    return _resized(share, *size(width, height, scale))


def _resized(share: Shares, wide: int, high: int) -> Shares:
    """A tile at another size; what lies past an edge is what lies at the other."""
    if share.shape == (high, wide):
        return share
    pad = 4
    around = np.pad(share, pad, mode="wrap")
    by_x, by_y = wide / share.shape[1], high / share.shape[0]
    matrix = np.array([[by_x, 0, by_x * (0.5 - pad) - 0.5], [0, by_y, by_y * (0.5 - pad) - 0.5]])
    how = cv2.INTER_CUBIC if by_x > 1 else cv2.INTER_AREA
    if by_x > 1:
        return np.clip(cv2.warpAffine(around, matrix, (wide, high), flags=how), 0, 1).astype(np.float32)
    return cv2.resize(share, (wide, high), interpolation=how).astype(np.float32)


def grains(width: int, height: int, scale: float, grain: float, strength: float, seed: int) -> Pixels:
    """Grey grains about the middle: opaque, since an overlay leaves the middle alone."""
    wide, high = size(width, height, 1.0)
    fx, fy = np.fft.rfftfreq(wide), np.fft.fftfreq(high)
    sigma = grain / 2
    power = np.exp(-2 * (math.pi * sigma) ** 2 * (fx[None, :] ** 2 + fy[:, None] ** 2))
    made = np.clip(0.5 + _noise(wide, high, seed, power) * 0.5 * strength, 0, 1).astype(np.float32)
    made = _resized(made, *size(width, height, scale))
    grey = np.rint(255 * made).astype(np.uint8)
    return np.dstack([grey, grey, grey, np.full_like(grey, 255)])
