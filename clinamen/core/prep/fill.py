"""Fill behind: the hole a cut left is grown, then filled from its outline inwards, no farther than `reach`; and as far around
every spot within where the piece that was cut out is not solid.

"smooth" runs colours on by diffusion (OpenCV's Navier-Stokes inpainting, Bertalmio, Bertozzi and Sapiro 2001);
"texture" copies patches that fit (see `texture`). What lies deeper than the reach stays clear: the move never shows it.
"""

from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.prep.base import Around
from clinamen.core.prep.colour import box_of, nearest
from clinamen.core.prep.edges import signed_distance
from clinamen.core.prep.texture import fill_texture

if TYPE_CHECKING:
    from clinamen.core.prep.steps import Fill

Bools = NDArray[np.bool_]

OPEN = 250  # of 255: alpha below this belongs to the hole
LOOK, LOOK_PREVIEW = 5, 2  # px around a pixel that diffusion looks at
CONTEXT = 96  # px of surroundings a fill looks at
MOST_DIFFUSED = 900_000  # pixels diffused at full size; a larger region is diffused smaller and enlarged


def fill_region(alpha: NDArray[np.uint8], grow: float, reach: float) -> tuple[Bools, Bools]:
    """The grown hole [h, w], and what of it is filled: all within `reach` px of where the place can be seen at rest, through the
    piece that was cut out: beyond its outline, and through every spot within it that is not solid."""
    grown = signed_distance(alpha < OPEN) < grow
    seen = alpha > 255 - OPEN  # what is left of the art here is what the piece lacks
    return grown, grown & (signed_distance(seen) < reach)


def fill(pixels: Pixels, step: "Fill", around: Around) -> Pixels:
    """Fill the band; its alpha becomes 1, deeper pixels become clear."""
    grown, band = fill_region(pixels[..., 3], step.grow * around.scale, step.reach * around.scale)
    out = pixels.copy()
    out[grown, 3] = 0
    place = box_of(band, CONTEXT)
    if place is None or not (~grown[place]).any():
        return out
    if step.method == "texture":
        colour = fill_texture(pixels[place][..., :3], ~grown[place], band[place], around.tick, around.draft)
    else:
        colour = diffused(pixels[place][..., :3], ~grown[place], band[place], LOOK_PREVIEW if around.draft else LOOK)
    around.tick(0.95)
    chosen = band[place]
    mixed = _run_in(pixels[place], colour, step.grow * around.scale)
    out[place][chosen, :3] = mixed[chosen]
    out[place][chosen, 3] = 255
    return out


def _run_in(pixels: Pixels, colour: NDArray[np.uint8], grow: float) -> NDArray[np.uint8]:
    """The fill run into the old art over the ring by which the hole was grown, so that no line shows where it ends."""
    if grow < 1:
        return colour
    away = np.clip(signed_distance(pixels[..., 3] < OPEN) / np.float32(grow), 0, 1)[..., None]
    share = away * away * (3 - 2 * away)
    return np.rint(colour * (1 - share) + pixels[..., :3] * share).astype(np.uint8)


def diffused(colour: NDArray[np.uint8], known: Bools, band: Bools, look: int = LOOK) -> NDArray[np.uint8]:
    """Colours [h, w, 3] with the band filled by diffusion from what is known."""
    wanted = int(band.sum())
    if wanted > MOST_DIFFUSED:
        return _diffused_smaller(colour, known, band, (MOST_DIFFUSED / wanted) ** 0.5)
    start = nearest(colour, known)  # what lies deeper than the band is taken for known, so it must be near the truth
    start = np.where(known[..., None], colour, cv2.GaussianBlur(start, (0, 0), 6))
    return cv2.inpaint(np.ascontiguousarray(start), band.astype(np.uint8), look, cv2.INPAINT_NS)


def _diffused_smaller(colour: NDArray[np.uint8], known: Bools, band: Bools, share: float) -> NDArray[np.uint8]:
    height, width = known.shape
    size = (max(1, round(width * share)), max(1, round(height * share)))
    held = np.where(known[..., None], colour, nearest(colour, known))
    small = cv2.resize(held, size, interpolation=cv2.INTER_AREA)
    small_known = cv2.resize(known.astype(np.uint8), size, interpolation=cv2.INTER_AREA) > 0
    small_band = cv2.resize(band.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    filled = diffused(small, small_known, small_band & ~small_known)
    large = cv2.resize(filled, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.where(known[..., None], colour, large)
