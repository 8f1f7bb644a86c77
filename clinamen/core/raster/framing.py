"""The frame: bars and a mask over the finished picture, smooth at their edges."""

import numpy as np

from clinamen.core.arrays import Pixels, Planes
from clinamen.core.document import Frame, Scene


def framed(scene: Scene, picture: Pixels, transparent: bool) -> Pixels:
    """A picture [h, w, 4] of the view with what lies outside the frame in its colour, or clear."""
    if scene.frame == Frame():
        return picture
    share = open_share(scene, picture.shape[1], picture.shape[0])[..., None]
    out = picture.astype(np.float32)
    if transparent:
        out[..., 3:] *= share
    else:
        code = scene.frame.colour
        colour = np.array([int(code[i : i + 2], 16) for i in (1, 3, 5)], np.float32)
        out[..., :3] += (1 - share) * (colour - out[..., :3])
    return np.rint(out).astype(np.uint8)


def open_share(scene: Scene, width: int, height: int) -> Planes:
    """How much of each pixel [height, width] is open."""
    frame, view = scene.frame, scene.view
    left, top, wide, high = frame.opening(view.width, view.height)
    x = np.abs((np.arange(width) + 0.5) * view.width / width - left - wide / 2)[None, :]
    y = np.abs((np.arange(height) + 0.5) * view.height / height - top - high / 2)[:, None]
    finer = width / view.width
    if frame.shape == "ellipse":
        away = np.hypot(2 * x / wide, 2 * y / high)
        slope = 2 * np.hypot(2 * x / wide**2, 2 * y / high**2) / np.maximum(away, 1e-9)
        return np.clip(0.5 - (away - 1) / np.maximum(slope, 1e-9) * finer, 0, 1).astype(np.float32)
    rounded = min(frame.corners, wide / 2, high / 2)
    out_x, out_y = x - wide / 2 + rounded, y - high / 2 + rounded
    beyond = np.hypot(np.maximum(out_x, 0), np.maximum(out_y, 0)) + np.minimum(np.maximum(out_x, out_y), 0) - rounded
    return np.clip(0.5 - beyond * finer, 0, 1).astype(np.float32)
