"""Match: a picture takes on the tone and colour of another, by mean and spread of each channel in CIE L*a*b*.

Source: Reinhard, Ashikhmin, Gooch and Shirley, Color Transfer between Images, IEEE CG&A 21 (2001), in L*a*b* instead
of their lαβ. Pixels count by their alpha.
"""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.prep.base import Around
from clinamen.core.prep.colour import STRIP, lab, rgb

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Match

SAMPLES = 250_000  # pixels that statistics are taken from at the most
MOST_STRETCH = 4.0  # a flat picture is not stretched into noise


def statistics(pixels: Pixels) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mean and standard deviation [3] of a picture's L*a*b*, counted by alpha."""
    step = max(1, int(np.sqrt(pixels.shape[0] * pixels.shape[1] / SAMPLES)))
    some = np.ascontiguousarray(pixels[::step, ::step])
    weight = some[..., 3].astype(np.float64)
    total = max(weight.sum(), 1e-9)
    values = lab(some[..., :3]).astype(np.float64)
    mean = (values * weight[..., None]).sum(axis=(0, 1)) / total
    spread = np.sqrt((((values - mean) ** 2) * weight[..., None]).sum(axis=(0, 1)) / total)
    return mean, spread


def match(pixels: Pixels, step: "Match", around: Around) -> Pixels:
    """Move and stretch each channel to the other's statistics."""
    own_mean, own_spread = statistics(pixels)
    mean, spread = statistics(around.art(step.layer))
    stretch = np.clip(spread / np.maximum(own_spread, 1e-3), 1 / MOST_STRETCH, MOST_STRETCH)
    gain = (1 + step.strength * (stretch - 1)).astype(np.float32)
    shift = (own_mean + step.strength * (mean - own_mean)).astype(np.float32)
    out = pixels.copy()
    rows = max(1, STRIP // pixels.shape[1])
    for start in range(0, len(pixels), rows):
        part = slice(start, start + rows)
        out[part][..., :3] = rgb((lab(pixels[part][..., :3]) - own_mean.astype(np.float32)) * gain + shift)
    return out
