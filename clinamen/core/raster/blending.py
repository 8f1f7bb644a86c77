"""Blend modes on premultiplied pixels, as Compositing and Blending Level 1 writes them.

Result = (1 − αb)·Cs·αs + (1 − αs)·Cb·αb + αs·αb·B(Cb, Cs), section 5; B of the separable modes, section 10. "add" is
plus-lighter, colours and alphas summed (Compositing and Blending Level 2).
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Planes = NDArray[np.float32]


def _hard_light(back: Planes, front: Planes) -> Planes:
    return np.where(front <= 0.5, 2 * back * front, _screen(back, 2 * front - 1))


def _screen(back: Planes, front: Planes) -> Planes:
    return back + front - back * front


def _dodge(back: Planes, front: Planes) -> Planes:
    lit = np.minimum(1, back / np.maximum(1 - front, 1e-7))
    return np.where(back == 0, 0, np.where(front >= 1, 1, lit))


def _burn(back: Planes, front: Planes) -> Planes:
    burnt = 1 - np.minimum(1, (1 - back) / np.maximum(front, 1e-7))
    return np.where(back >= 1, 1, np.where(front <= 0, 0, burnt))


def _soft_light(back: Planes, front: Planes) -> Planes:
    curve = np.where(back <= 0.25, ((16 * back - 12) * back + 4) * back, np.sqrt(back))
    darker = back - (1 - 2 * front) * back * (1 - back)
    return np.where(front <= 0.5, darker, back + (2 * front - 1) * (curve - back))


BLENDS: dict[str, Callable[[Planes, Planes], Planes]] = {
    "multiply": lambda back, front: back * front,
    "screen": _screen,
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


def blend_over(back: Planes, front: Planes, mode: str) -> Planes:
    """`front` over `back`, both premultiplied RGBA [h, w, 4] float32, in a blend mode."""
    alpha_front, alpha_back = front[..., 3:], back[..., 3:]
    if mode == "add":
        return np.minimum(front + back, 1)
    out = front + back * (1 - alpha_front)
    if mode != "normal":
        own_back = back[..., :3] / np.maximum(alpha_back, 1e-6)
        own_front = front[..., :3] / np.maximum(alpha_front, 1e-6)
        both = alpha_front * alpha_back
        mixed = BLENDS[mode](own_back.astype(np.float32), own_front.astype(np.float32)).astype(np.float32)
        out[..., :3] = (1 - alpha_back) * front[..., :3] + (1 - alpha_front) * back[..., :3] + both * mixed
    return out
