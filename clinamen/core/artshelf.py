"""The art of a scene at hand: a layer's bytes, pixels and opaque set, read when asked for and kept by content."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field

from clinamen.core.artwork import Pixels, decode
from clinamen.core.bounded import Bounded
from clinamen.core.document import Layer, Scene
from clinamen.core.errors import BadArt
from clinamen.core.proof.opaque import OpaqueSet, opaque_set

PIXEL_BYTES = 1_500_000_000  # decoded art kept in memory
SET_BYTES = 700_000_000  # opaque sets kept in memory


def _set_bytes(opaque: OpaqueSet) -> int:
    return sum(array.nbytes for array in (opaque.mask, opaque.field) if array is not None) + 1000


_pixels: Bounded[Pixels] = Bounded(PIXEL_BYTES, lambda pixels: pixels.nbytes)
_sets: Bounded[OpaqueSet] = Bounded(SET_BYTES, _set_bytes)


@dataclass
class ArtShelf:
    """Art by file name. `read` gives a file's bytes; `key`, if given, its content hash without reading it."""

    read: Callable[[str], bytes]
    key: Callable[[str], str] | None = None
    _keys: dict[str, str] = field(default_factory=dict)

    def content(self, file: str) -> str:
        """SHA-256 of a file's bytes."""
        if self.key is not None:
            return self.key(file)
        if file not in self._keys:
            self._keys[file] = hashlib.sha256(self.read(file)).hexdigest()
        return self._keys[file]

    def pixels(self, layer: Layer) -> Pixels:
        """A layer's art [h, w, 4] uint8; BadArt when it cannot be read or has another size than the scene says."""
        file = layer.art.file
        pixels = _pixels.get(self.content(file), lambda: decode(self.read(file), file))
        self._same_size(layer, pixels.shape[1], pixels.shape[0])
        return pixels

    def opaque(self, layer: Layer) -> OpaqueSet:
        """A layer's opaque set."""
        opaque = _sets.get(self.content(layer.art.file), lambda: self._opaque_set(layer))
        self._same_size(layer, opaque.width, opaque.height)
        return opaque

    def opaque_sets(self, scene: Scene) -> dict[str, OpaqueSet]:
        """The opaque set of every layer, by layer id."""
        return {layer.id: self.opaque(layer) for layer in scene.layers}

    def _opaque_set(self, layer: Layer) -> OpaqueSet:
        pixels = self.pixels(layer)
        return opaque_set(pixels[..., 3], pixels.shape[1], pixels.shape[0])

    def _same_size(self, layer: Layer, width: int, height: int) -> None:
        if (width, height) != (layer.art.width, layer.art.height):
            says = f"the scene says {layer.art.width} × {layer.art.height} px"
            raise BadArt(f"{layer.art.file}: is {width} × {height} px, {says}; correct art.width and art.height")
