"""What a step's work gets to know besides the pixels."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadEdit, ClinamenError

Mask = NDArray[np.float32]


class Cancelled(ClinamenError):
    """The work was told to stop."""


def _no_art(layer: str) -> Pixels:
    raise BadEdit(f"{layer}: its art is not at hand for this step; choose another layer")


@dataclass(frozen=True)
class Around:
    """`scale`: pixels here per pixel of the recipe's numbers; `art` gives another layer's art at this scale; `tick` is told
    the share that is done and may raise Cancelled; `draft`: somebody waits for a preview, which may be rougher."""

    scale: float = 1.0
    art: Callable[[str], Pixels] = _no_art
    tick: Callable[[float], None] = field(default=lambda share: None)
    draft: bool = False


def with_alpha(pixels: Pixels, mask: Mask) -> Pixels:
    """The pixels [h, w, 4] with their alpha multiplied by a mask [h, w] of 0…1."""
    out = pixels.copy()
    np.multiply(out[..., 3], mask, out=mask)
    out[..., 3] = np.rint(np.clip(mask, 0, 255))
    return out
