"""Extend: more art on one side, its edge pixels repeated outward. The old art keeps its place."""

import numpy as np

from clinamen.core.artwork import Pixels


def extend(pixels: Pixels, side: str, count: int) -> Pixels:
    """Art [h, w, 4] with `count` more pixels on `side` ("left", "right", "top", "bottom")."""
    before, after = (count, 0) if side in ("left", "top") else (0, count)
    rows, columns = ((0, 0), (before, after)) if side in ("left", "right") else ((before, after), (0, 0))
    return np.pad(pixels, (rows, columns, (0, 0)), mode="edge")
