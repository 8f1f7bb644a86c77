"""The view drawn by the core for browsers that draw slowly: small while a hand sets something, whole when it rests."""

import base64
from collections.abc import Hashable, Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from PIL import Image

from clinamen.art.models import Picture
from clinamen.art.store import SIZES, fitted, is_lost, reduced
from clinamen.core.arrays import Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.states import State
from clinamen.core.pictures.limits import VECTOR
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.quantities import number
from clinamen.core.raster import render

WIDE, NARROW = 320, 200  # px of the picture where one layer is another, and where all are
WIDEST = 1280  # px of the whole view
QUALITY, FINE = 82, 93  # of JPEG, small and whole
HELD_BYTES = 300_000_000  # of art made small

_small: "Bounded[Pixels]" = Bounded(HELD_BYTES, lambda pixels: pixels.nbytes)


@dataclass(frozen=True)
class SmallArt:
    """Art as large as a small picture shows it at rest."""

    shelf: ArtShelf
    pictures: Mapping[str, Picture]
    scale: float

    def key(self, layer: Layer) -> Hashable:
        return self.shelf.key_of(layer), self.shelf.is_ready(layer), self._longest(layer)

    def __call__(self, layer: Layer) -> Pixels:
        return _small.get(self.key(layer), lambda: self._made(layer))

    def _longest(self, layer: Layer) -> int:
        """Of its sides, in px: in eight steps an octave, so that few sizes are made."""
        whole = max(layer.strip)
        wanted = whole * min(1.0, self.scale * layer.framing.scale)
        return max(16, int(whole / 2.0 ** (np.floor(8 * np.log2(whole / max(wanted, 1.0))) / 8)))

    def _made(self, layer: Layer) -> Pixels:
        longest = self._longest(layer)
        if layer.art.made is not None:
            return self.shelf.preview(layer, longest)[0]
        picture = self.pictures.get(layer.art.file)
        size = next((size for size in SIZES if size >= longest), None)
        plain = picture is not None and layer.recipe is None and picture.format != VECTOR
        if picture is None or size is None or not plain or is_lost(picture):
            return fitted(self.shelf.passing(layer), longest)
        with Image.open(reduced(picture, size), formats=["WEBP"]) as image:  # as the view shows it
            return fitted(np.asarray(image.convert("RGBA")), longest)


def state_of(values: Mapping[str, str]) -> State:
    """Where a page's drivers stand."""
    scroll, u, v, time = (number(values.get(name) or "0", name, -1e6, 1e6) for name in ("scroll", "u", "v", "time"))
    return State(scroll, (u, v), time)


def glance(
    before: Scene, scene: Scene, art: "tuple[ArtShelf, Mapping[str, Picture]]", values: Mapping[str, str]
) -> str:
    """The view where a page's drivers stand, as an edit leaves it, as small as is quick, or as `wide` as is asked for; `art`: a
    shelf and the pictures on it."""
    if values.get("wide"):
        return whole_view(scene, art, values)
    width = NARROW if (before.light, before.air, before.lens) != (scene.light, scene.air, scene.lens) else WIDE
    return _element(scene, art, state_of(values), width, QUALITY)


def whole_view(scene: Scene, art: "tuple[ArtShelf, Mapping[str, Picture]]", values: Mapping[str, str]) -> str:
    """The view where a page's drivers stand, as wide as the page shows it (`wide`, px)."""
    return _element(
        scene, art, state_of(values), min(number(values.get("wide", ""), "wide", 1, 1e5, "px"), WIDEST), FINE
    )


def _element(
    scene: Scene, art: "tuple[ArtShelf, Mapping[str, Picture]]", state: State, width: float, quality: int
) -> str:
    """The picture that stands in for the view, JPEG, as an answer's part."""
    scale = min(1.0, width / scene.view.width)
    picture = render(scene, state, SmallArt(*art, scale), scale, sampling="draft")
    _, data = cv2.imencode(".jpg", picture[..., 2::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
    seen = "data:image/jpeg;base64," + base64.b64encode(data.tobytes()).decode()
    return f'<img id="glance" src="{seen}" alt="" decoding="sync" hx-swap-oob="true">'
