"""Blending and softness as the engine kit's documentation says them: Compositing and Blending Level 1, section 10."""

import math
from collections.abc import Callable

import numpy as np

Planes = np.ndarray
BLUR_REACH = 3  # standard deviations


def _soft_light(back: Planes, front: Planes) -> Planes:
    curve = np.where(back <= 0.25, ((16 * back - 12) * back + 4) * back, np.sqrt(back))
    lit = back + (2 * front - 1) * (curve - back)
    return np.where(front <= 0.5, back - (1 - 2 * front) * back * (1 - back), lit)


def _hard_light(back: Planes, front: Planes) -> Planes:
    return np.where(front <= 0.5, 2 * back * front, 1 - 2 * (1 - back) * (1 - front))


def _dodge(back: Planes, front: Planes) -> Planes:
    lit = np.minimum(1, back / np.maximum(1 - front, 1e-7))
    return np.where(back <= 0, 0, np.where(front >= 1, 1, lit))


def _burn(back: Planes, front: Planes) -> Planes:
    burnt = 1 - np.minimum(1, (1 - back) / np.maximum(front, 1e-7))
    return np.where(back >= 1, 1, np.where(front <= 0, 0, burnt))


BLENDS: dict[str, Callable[[Planes, Planes], Planes]] = {
    "normal": lambda back, front: front,
    "multiply": lambda back, front: back * front,
    "screen": lambda back, front: 1 - (1 - back) * (1 - front),
    "overlay": lambda back, front: _hard_light(front, back),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda back, front: np.abs(back - front),
    "exclusion": lambda back, front: back + front - 2 * back * front,
}


def blurred(picture: Planes, sigma: float) -> Planes:
    """A Gaussian of standard deviation `sigma` pixels over premultiplied pixels, nothing beyond the picture."""
    reach = max(1, math.ceil(BLUR_REACH * sigma))
    kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    kernel /= kernel.sum()
    for axis in (0, 1):
        padded = np.pad(picture, [(reach, reach) if a == axis else (0, 0) for a in range(3)])
        length = picture.shape[axis]
        picture = sum(weight * np.take(padded, np.arange(i, i + length), axis) for i, weight in enumerate(kernel))
    return picture


def laid(canvas: Planes, sheet: Planes, mode: str) -> Planes:
    """A premultiplied sheet over an opaque canvas: (1 − α)·back + α·B(back, own)."""
    if mode == "add":
        return np.minimum(canvas + sheet[..., :3], 1)
    alpha = sheet[..., 3:]
    own = sheet[..., :3] / np.maximum(alpha, 1e-6)
    return canvas * (1 - alpha) + alpha * BLENDS[mode](canvas, own)


def frosted(canvas: Planes, alpha: Planes, backdrop: dict[str, float], larger: float, opacity: float) -> Planes:
    """An opaque canvas softened and tinted where a sheet of this alpha [h, w, 1] lies."""
    rows, columns = (np.flatnonzero((alpha[..., 0] > 0).any(axis=axis)) for axis in (1, 0))
    if not len(rows):
        return canvas
    box = slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1)
    sigma, behind = backdrop["blur"] * larger, canvas[box]
    reach = min(math.ceil(BLUR_REACH * sigma), behind.shape[0] - 1, behind.shape[1] - 1)
    mirrored = np.pad(behind, ((reach, reach), (reach, reach), (0, 0)), "symmetric")
    soft = (
        blurred(mirrored, sigma)[reach : reach + behind.shape[0], reach : reach + behind.shape[1]] if sigma else behind
    )
    s = backdrop["saturation"]
    grey = np.array([0.213, 0.715, 0.072])
    soft = np.clip(soft @ (np.eye(3) * s + (1 - s) * grey[None, :]).T, 0, 1)
    share = np.clip(alpha[box] / 0.1, 0, 1) * opacity
    out = canvas.copy()
    out[box] = behind + share * (soft - behind)
    return out
