"""What the proof asks of pixels: joints of repeats, edges of cuts, what an actor's cells do to the light, strides, bytes.

Each answer depends on the art alone and is kept by its content, so an edit that leaves the art as it is asks nothing anew.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar, cast

import cv2
import numpy as np

from clinamen.core.arrays import Floats, Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.document import Layer
from clinamen.core.pictures.doubles import is_double, may_be_double, some_of
from clinamen.core.pictures.rims import Rim, rim_of
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.prep.colour import delta_e, lab
from clinamen.core.prep.extend import OWN_REACH, Seam
from clinamen.core.prep.steps import Cut
from clinamen.core.prep.tracing import traced
from clinamen.core.stride import measured

KEPT = 20_000  # answers
FAINT, GREY = 26, 128  # of 255: what shows less has no joint; what it is laid over to be compared
LINES = 2000  # lines along a joint that are looked at
SMALL = 96  # px: longer side of a cell whose light is looked at
GLANCED = 640  # px: longer side of art that is looked at at a glance
SMALL_BYTES = 100_000_000  # of such art that are kept
REDUCED = 256  # px: longer side of art that is compared with itself
WEIGHTS = np.array(
    [0.2126, 0.7152, 0.0722]
)  # of linear red, green and blue in relative luminance (IEC 61966-2-1, WCAG 2.2)

T = TypeVar("T")
_small: Bounded[Pixels] = Bounded(SMALL_BYTES, lambda pixels: pixels.nbytes)
_told: Bounded[object] = Bounded(KEPT, lambda answer: 1)


@dataclass(frozen=True)
class Telling:
    """A shelf that is asked."""

    shelf: ArtShelf

    def _kept(self, what: tuple[object, ...], layer: Layer, work: Callable[[], T]) -> T:
        key = self.shelf.key_of(layer), self.shelf.is_ready(layer), layer.frames  # a preview tells of itself alone
        return cast(T, _told.get((*what, *key), work))

    def joint(self, layer: Layer, axis: str) -> Seam:
        """The joint of art that is tiled along an axis."""
        return self._kept(("joint", axis), layer, lambda: _joint(self.shelf.pixels(layer), axis))

    def variety(self, layer: Layer) -> float:
        """How much art differs from itself half a period on (mean CIE76 where both show): what hardly differs repeats unseen."""
        return self._kept(("variety",), layer, lambda: _variety(self.shelf.pixels(layer)))

    def rim(self, layer: Layer, reach: float = 0.0) -> Rim | None:
        """The edge of a layer's art before what it was cut from, where that is known; None of art without an edge. `reach`:
        as it would be with the fringe taken off so far."""
        return self._kept(("rim", reach), layer, lambda: rim_of(self.shelf.pixels(layer), self._cut_from(layer), reach))

    def _cut_from(self, layer: Layer) -> Pixels | None:
        """The picture that a recipe cut a layer out of, as long as its steps leave size and place alone."""
        recipe = layer.recipe
        if not cut_steps(layer) or recipe is None or len({frame[:2] for frame in recipe.frames()}) > 1:
            return None
        return self.shelf.original(layer.art.file)

    def double(self, piece: Layer, behind: Layer, matrix: Floats, reach: float | None = None) -> bool:
        """Whether a sheet behind still shows a piece within `reach` px of its edge, see `doubles`; without a reach at a
        glance, on small pictures. The matrix [3, 3] takes the piece's pixels to the sheet's."""
        if reach is not None:
            return is_double(self.shelf.pixels(piece), self.shelf.pixels(behind), matrix, reach)
        front, back = self._small(piece), self._small(behind)
        sizes = [np.array([x.shape[1], x.shape[0]]) / x_of.strip for x, x_of in ((front, piece), (back, behind))]
        to_small, from_small = np.diag([*sizes[1], 1.0]), np.diag([*(1 / sizes[0]), 1.0])
        small = to_small @ matrix @ from_small
        some = self._kept(("some",), piece, lambda: some_of(front))
        return may_be_double(some, back, small) and is_double(front, back, small, 0.0)

    def _small(self, layer: Layer) -> Pixels:
        key = self.shelf.key_of(layer), self.shelf.is_ready(layer), layer.strip
        return _small.get(key, lambda: _reduced(self.shelf.pixels(layer), GLANCED))

    def outline(self, layer: Layer) -> Floats:
        """The outline [N, 2] of what a layer shows, in px of its art."""
        return self._kept(("outline",), layer, lambda: traced(self.shelf.alpha(layer)))

    def flicker(self, layer: Layer) -> list[tuple[float, float]]:
        """Between each of an actor's cells and the next, the first after the last: shares of the cell that become brighter
        and darker by as much as WCAG 2.2 counts as a flash."""
        return self._kept(("flicker",), layer, lambda: flicker_of(self.shelf.cells(layer)))

    def light(self, layer: Layer) -> float:
        """Mean relative luminance of what a layer shows."""
        return self._kept(("light",), layer, lambda: _light(self.shelf.pixels(layer)))

    def stride(self, layer: Layer) -> float:
        """The stride that an actor's cells tell, in art pixels a cycle; 0 where they tell none."""
        return self._kept(("stride",), layer, lambda: measured(self.shelf.cells(layer)))

    def weight(self, layer: Layer) -> int:
        """Bytes of the file behind a layer; 0 of what is made."""
        return self._kept(("bytes",), layer, lambda: len(self.shelf.read(layer.art.file)) if layer.art.file else 0)


def cut_steps(layer: Layer) -> bool:
    """True of a layer whose recipe cuts something out."""
    return layer.recipe is not None and any(step.on and isinstance(step, Cut) for step in layer.recipe.steps)


def _joint(pixels: Pixels, axis: str) -> Seam:
    along = pixels if axis == "x" else np.swapaxes(pixels, 0, 1)
    reach = min(OWN_REACH, along.shape[1] // 2)
    around = np.concatenate([along[:, -reach:], along[:, :reach]], axis=1)
    shows = around[..., 3].max(axis=1) >= FAINT
    if reach < 2 or not shows.any():
        return Seam(0.0, 0.0)
    around = around[shows][:: max(1, int(shows.sum()) // LINES)]
    alpha = around[..., 3:] / 255.0  # over grey, so that art which ends at the joint differs from what does not go on
    laid = np.rint(around[..., :3] * alpha + GREY * (1 - alpha)).astype(np.uint8)
    steps = delta_e(lab(laid[:, 1:]), lab(laid[:, :-1])).mean(axis=0)
    return Seam(float(steps[reach - 1]), float(np.delete(steps, reach - 1).mean()))


def _variety(pixels: Pixels) -> float:
    small = _reduced(pixels, REDUCED)
    half = np.roll(small, small.shape[1] // 2, axis=1)
    both = (small[..., 3] > 127) & (half[..., 3] > 127)
    shape = float(np.mean(np.abs(small[..., 3].astype(float) - half[..., 3]))) / 255 * 100
    if not both.any():
        return shape
    return max(shape, float(delta_e(lab(small[..., :3]), lab(half[..., :3]))[both].mean()))


def _reduced(pixels: Pixels, longest: int) -> Pixels:
    scale = min(1.0, longest / max(pixels.shape[:2]))
    size = max(2, round(pixels.shape[1] * scale)), max(2, round(pixels.shape[0] * scale))
    return cv2.resize(np.ascontiguousarray(pixels), size, interpolation=cv2.INTER_AREA).astype(np.uint8)


def luminance(pixels: Pixels) -> Floats:
    """Relative luminance [h, w] of sRGB pixels over black (IEC 61966-2-1)."""
    coded = pixels[..., :3].astype(float) / 255
    linear = np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4)
    return np.asarray((linear @ WEIGHTS) * (pixels[..., 3] / 255.0), float)


CHANGE, DARK = 0.1, 0.8  # of relative luminance: WCAG 2.2, general flash


def flicker_of(cells: Pixels) -> list[tuple[float, float]]:
    """As `Telling.flicker`, of cells [n, h, w, 4]."""
    lights = [luminance(_reduced(cell, SMALL)) for cell in cells]
    found = []
    for one, two in zip(lights, [*lights[1:], lights[0]], strict=True):
        counts = np.minimum(one, two) < DARK
        found.append((float(((two - one >= CHANGE) & counts).mean()), float(((one - two >= CHANGE) & counts).mean())))
    return found


def _light(pixels: Pixels) -> float:
    small = _reduced(pixels, SMALL)
    area = float(small[..., 3].mean()) / 255
    return float(luminance(small).mean()) / area if area > 1e-6 else 0.0
