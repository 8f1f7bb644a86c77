"""What fades leave of a picture's alpha: where the proof may still count on it."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from clinamen.core.look.steps.fade import Fade


def faded(alpha: NDArray[np.uint8], fades: Sequence[Fade], scale: float) -> NDArray[np.uint8]:
    """Alpha [h, w] of the art at full size after fades; `scale`: art pixels a scene pixel."""
    height, width = alpha.shape
    x = ((np.arange(width, dtype=np.float32) + 0.5 - width / 2) / scale)[None, :]
    y = ((np.arange(height, dtype=np.float32) + 0.5 - height / 2) / scale)[:, None]
    left = alpha.astype(np.float32)
    for fade in fades:
        left *= fade.shares(x, y)
    return np.rint(left).astype(np.uint8)
