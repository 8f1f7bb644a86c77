"""Frost: a sheet that softens and tints all that is behind it, where it lies.

What is behind is taken within the sheet's box and mirrored at its edges, as browsers take it (Filter Effects Level 2,
backdrop-filter).
"""

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from clinamen.core.arrays import Planes
from clinamen.core.look.steps.saturation import saturated
from clinamen.core.raster.laid import Laid

SOLID = 0.1  # of alpha: art that is as solid as this frosts wholly, so that a faint pane does
Over = Callable[[list[Laid], Planes], Planes]


def frosted(sheets: list[Laid], ground: Planes, over: Over) -> Planes:
    """Sheets over a ground [H, W, 4] of premultiplied floats; `over` lays some that do not frost."""
    waiting: list[Laid] = []
    for sheet in sheets:
        if sheet.frost is not None:
            ground = _under(sheet, over(waiting, ground), over)
            waiting = []
        waiting.append(replace(sheet, frost=None))
    return over(waiting, ground)


def _under(sheet: Laid, seen: Planes, over: Over) -> Planes:
    assert sheet.frost is not None
    sigma, saturation = sheet.frost
    window = sheet.window(seen.shape[1], seen.shape[0])
    if window is None or sheet.edge_on:
        return seen
    left, top, right, bottom = window
    alone = over([replace(sheet, frost=None, blend="normal")], np.zeros_like(seen))
    share = np.clip(alone[top:bottom, left:right, 3:] / (SOLID * max(sheet.opacity, 1e-6)), 0, 1) * np.float32(
        sheet.opacity
    )
    behind = seen[top:bottom, left:right]
    soft = cv2.GaussianBlur(behind, (0, 0), sigma, borderType=cv2.BORDER_REFLECT) if sigma > 1e-3 else behind.copy()
    if saturation != 1:
        alpha = np.maximum(soft[..., 3:], 1e-6)
        matrix = saturated(saturation)[:, :3].astype(np.float32)
        soft = np.concatenate([np.clip(soft[..., :3] / alpha @ matrix.T, 0, 1) * alpha, soft[..., 3:]], axis=2)
    out = seen.copy()
    out[top:bottom, left:right] = behind + share * (soft - behind)
    return out
