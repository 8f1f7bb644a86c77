"""The art of a scene at hand: a layer's pixels after its recipe, and its opaque set, made when asked for, kept by content.

A recipe's result is a pure function of its original and its steps, so it is named by their hash: `keeper` may hold it
beyond this process, and what is lost is made again. A shelf with `draft_over` answers at once: art whose recipe takes
more seconds than that and is not ready yet is stood in for by its preview.
"""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.document import Layer, Scene, steps_of
from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.look.fading import faded
from clinamen.core.look.steps import Fade
from clinamen.core.made.sources import Sources
from clinamen.core.pictures.cells import cut
from clinamen.core.pictures.lettering import has_text
from clinamen.core.pictures.limits import MAX_PIXELS, is_vector
from clinamen.core.pictures.reading import decode, inspect
from clinamen.core.prep.base import Around
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.shape import scaled_size

MADE_VERSION = 1  # of how made art is painted: kept pictures of another are made anew
PIXEL_BYTES = 1_500_000_000  # decoded art kept in memory
SET_BYTES = 700_000_000  # opaque sets kept in memory
PREVIEW = 900  # px: longest side of a preview
WORKED = 0.85  # of preparing is the steps' work; the rest is keeping what came of it
ENLARGED = 2  # times as long: no step makes more of a preview
ROUGH = 512  # px: the same where a heavy step is in it


def set_name(key: object) -> str:
    """Names an opaque set: of art as it came by the SHA-256 of its file, of other art by what else it depends on."""
    return repr(key)


_pixels: Bounded[Pixels] = Bounded(PIXEL_BYTES, lambda pixels: pixels.nbytes)
_worded: Bounded[bool] = Bounded(20_000, lambda worded: 1)
_sets: Bounded[OpaqueSet] = Bounded(SET_BYTES, lambda opaque: opaque.nbytes + 1000)


class Keeper(Protocol):
    """Where prepared pictures are kept beyond this process, by key."""

    def load(self, key: str) -> Pixels | None: ...

    def has(self, key: str) -> bool: ...

    def keep(self, key: str, pixels: Pixels) -> None: ...


class SetKeeper(Protocol):
    """Where opaque sets are kept beyond this process, by what names them."""

    def get(self, name: str, make: Callable[[], OpaqueSet]) -> OpaqueSet: ...


@dataclass
class ArtShelf:
    """Art by file name. `read` gives a file's bytes; `key`, if given, its content hash without reading it; `scene` is
    needed where a recipe looks at other layers; `set_keeper` has opaque sets that were worked out before."""

    read: Callable[[str], bytes]
    key: Callable[[str], str] | None = None
    scene: Scene | None = None
    keeper: Keeper | None = None
    draft_over: float | None = None
    set_keeper: SetKeeper | None = None
    _keys: dict[str, str] = field(default_factory=dict)

    def content(self, file: str) -> str:
        """SHA-256 of a file's bytes."""
        if self.key is not None:
            return self.key(file)
        if file not in self._keys:
            self._keys[file] = hashlib.sha256(self.read(file)).hexdigest()
        return self._keys[file]

    def key_of(self, layer: Layer) -> str:
        """Names a layer's art: its file's content and what the recipe makes of it, or what it is made from."""
        if layer.art.made is not None:
            return self._made_key(layer)
        if layer.recipe is None:
            return self.content(layer.art.file)
        from clinamen.core.prep.run import recipe_key

        return recipe_key(self.content(layer.art.file), layer.recipe, self.looked_keys(layer.recipe))

    def looked_keys(self, recipe: Recipe) -> dict[str, str]:
        """Keys of the layers' art that a recipe looks at."""
        return {layer_id: self.key_of(self._other(layer_id)) for layer_id in recipe.looks_at}

    def _other(self, layer_id: str) -> Layer:
        try:
            return self.scene.layer(layer_id)  # type: ignore[union-attr]
        except (KeyError, AttributeError):
            raise BadEdit(f"{layer_id}: there is no such layer to look at; name another in the recipe") from None

    # --- pixels ------------------------------------------------------------------------------------------------------

    def pixels(self, layer: Layer) -> Pixels:
        """A layer's art [h, w, 4] uint8, of an actor all cells; BadArt when it cannot be read or has another size than the scene
        says."""
        key = self.key_of(layer)
        if layer.art.made is not None:
            return _pixels.get((key, 1.0), lambda: self._painted(layer, 1.0))
        if layer.recipe is None:
            pixels = self.original(layer.art.file)
        elif self.is_ready(layer):
            pixels = _pixels.get(key, lambda: self._prepared(layer, key))
        else:
            pixels = _pixels.get(("draft", key), lambda: self._draft(layer))
        return self._of_size(layer, pixels)

    def _of_size(self, layer: Layer, pixels: Pixels) -> Pixels:
        """The pixels in the size that the scene says: where previews stand in they are brought to it, else BadArt."""
        if (pixels.shape[1], pixels.shape[0]) == layer.strip:
            return pixels
        if self.draft_over is None:
            self._same_size(layer, pixels.shape[1], pixels.shape[0])
        return _as_large(pixels, layer.strip)

    def _made_key(self, layer: Layer) -> str:
        made = layer.art.made
        assert made is not None
        told: list[object] = [made.model_dump(mode="json"), layer.strip, MADE_VERSION]
        if (other := made.looks_at()) is not None:
            told.append(self.key_of(self._other(other)))
        return hashlib.sha256(json.dumps(told).encode()).hexdigest()

    def _painted(self, layer: Layer, zoom: float) -> Pixels:
        """Made art at a scale, of an actor all cells."""
        assert layer.art.made is not None

        def art(name: str) -> tuple[list[Pixels], int, int]:
            other = self._other(name)
            if other.frames is None:
                return [self.pixels(other)], 1, 1
            return list(self.cells(other)), other.frames.columns, other.frames.rows

        return layer.art.made.paint(*layer.strip, zoom, Sources(art))

    def original(self, file: str) -> Pixels:
        """A file's own pixels, before any recipe."""
        return _pixels.get(self.content(file), lambda: decode(self.read(file), self._named(file)))

    def _named(self, file: str) -> str:
        """What a file is called where something is wrong with it: with the layer that shows it."""
        layers = self.scene.layers if self.scene is not None else ()
        label = next((layer.label for layer in layers if layer.art.file == file), "")
        return f"{label} ({file})" if label else file

    def is_ready(self, layer: Layer) -> bool:
        """False where `pixels` would stand a preview in for a recipe that has still to be run."""
        recipe = layer.recipe
        if recipe is None or self.draft_over is None or not any(step.on for step in recipe.steps):
            return True
        if recipe.seconds <= self.draft_over:
            return True
        key = self.key_of(layer)
        return key in _pixels or (self.keeper is not None and self.keeper.has(key))

    def _prepared(self, layer: Layer, key: str) -> Pixels:
        found = self.keeper.load(key) if self.keeper else None
        return found if found is not None else self.prepare(layer)

    def prepare(self, layer: Layer, tick: Callable[[float], None] = lambda share: None) -> Pixels:
        """Run a layer's recipe at full size and keep what comes of it, with its opaque set; `tick` is told the share done."""
        from clinamen.core.prep.run import run

        assert layer.recipe is not None
        original = self._fitting(layer, self.original(layer.art.file))
        around = Around(1.0, lambda other: self.pixels(self._other(other)), lambda share: tick(WORKED * share))
        made = run(layer.recipe, original, around, self.content(layer.art.file), self.looked_keys(layer.recipe))
        if self.keeper is not None:
            self.keeper.keep(self.key_of(layer), made)
        if self.set_keeper is not None:
            self.set_keeper.get(self.set_name(layer), lambda: self._opaque_set(layer, made))
        return made

    def preview(self, layer: Layer, longest: int = PREVIEW, steps: int | None = None) -> tuple[Pixels, float]:
        """A layer's art at a reduced size, and the scale; `steps`: only so many of its steps are run."""
        from clinamen.core.pictures.previewing import Reduced, previewed
        from clinamen.core.prep.run import reduced

        if layer.art.made is not None:
            zoom = min(1.0, longest / max(layer.strip)) if layer.art.made.sharp else 1.0
            return self.drawn(layer, zoom), zoom
        recipe = layer.recipe or Recipe(width=layer.art.width, height=layer.art.height)
        if steps is not None:
            recipe = recipe.model_copy(update={"steps": recipe.steps[:steps]})
        if any(step.heavy and step.on for step in recipe.steps):
            longest = min(longest, ROUGH)
        largest = max(side for frame in recipe.frames() for side in frame[:2])
        scale = min(1.0, longest / max(recipe.width, recipe.height), ENLARGED * longest / largest)
        file = layer.art.file
        small = _pixels.get(
            ("reduced", self.content(file), recipe.width, recipe.height, scale),
            lambda: reduced(self._fitting(layer, self.original(file)), scale),
        )
        if not any(step.on for step in recipe.steps):
            return small, scale
        others = {other: self._reduced_other(other, scale) for other in sorted(recipe.looks_at)}
        parts = Reduced(small, scale, self.content(file), others, self.looked_keys(recipe))
        return previewed(recipe, parts, layer.label), scale

    def _reduced_other(self, layer_id: str, scale: float) -> Pixels:
        layer = self._other(layer_id)
        recipe = layer.recipe or Recipe(width=layer.art.width, height=layer.art.height)
        pixels, made_at = self.preview(layer, max(1, round(scale * max(recipe.width, recipe.height))))
        if made_at >= scale * 0.99:
            return pixels
        size = scaled_size(recipe.final.width, recipe.final.height, scale)
        return cv2.resize(pixels, size, interpolation=cv2.INTER_LINEAR).astype(pixels.dtype)

    def _draft(self, layer: Layer) -> Pixels:
        return _as_large(self.preview(layer)[0], (layer.art.width, layer.art.height))

    def _fitting(self, layer: Layer, original: Pixels) -> Pixels:
        assert layer.recipe is None or layer.recipe.width > 0
        recipe = layer.recipe
        if recipe is not None and original.shape[:2] != (recipe.height, recipe.width):
            if self.draft_over is not None:
                return _as_large(original, (recipe.width, recipe.height))
            size = f"{original.shape[1]} × {original.shape[0]} px"
            raise BadArt(
                f"{layer.art.called}: is {size}, its recipe says {recipe.width} × {recipe.height} px; "
                "correct recipe.width and recipe.height"
            )
        return original

    # --- vector art --------------------------------------------------------------------------------------------------

    def vector(self, layer: Layer) -> bool:
        """True for art that is drawn anew at every size."""
        if layer.art.made is not None:
            return layer.art.made.sharp and layer.frames is None
        return layer.recipe is None and layer.art.file.lower().endswith(".svg") and is_vector(self.read(layer.art.file))

    def lettered(self, layer: Layer) -> bool:
        """True for vector art with text in it, which a browser would letter in fonts of its own."""
        if layer.art.made is not None or not self.vector(layer):
            return False
        file = layer.art.file
        return _worded.get(self.content(file), lambda: has_text(self.read(file)))

    def drawn(self, layer: Layer, zoom: float) -> Pixels:
        """Vector art at `zoom` pixels per art pixel, as far as a picture may be large; other art as it is."""
        if not self.vector(layer):
            return self.pixels(layer)
        file = layer.art.file
        most = (MAX_PIXELS / (layer.art.width * layer.art.height)) ** 0.5
        zoom = round(max(0.01, min(zoom, most * 0.999)), 3)
        if layer.art.made is not None:
            return _pixels.get((self.key_of(layer), zoom), lambda: self._painted(layer, zoom))
        picture = inspect(self.read(file), self._named(file))
        if (picture.width, picture.height) != layer.strip:
            return self._of_size(layer, self.original(file))
        return _pixels.get((self.content(file), zoom), lambda: decode(self.read(file), self._named(file), zoom))

    def passing(self, layer: Layer, zoom: float = 1.0) -> Pixels:
        """As `drawn`, for who makes something else of the pixels and keeps that: what is not held is not held for it."""
        if self.vector(layer):
            return self.drawn(layer, zoom)
        key = self.key_of(layer)
        if layer.art.made is not None or not self.is_ready(layer) or key in _pixels:
            return self.pixels(layer)
        file = layer.art.file
        pixels = decode(self.read(file), self._named(file)) if layer.recipe is None else self._prepared(layer, key)
        return self._of_size(layer, pixels)

    def loader(self, scene: Scene, scale: float = 1.0) -> "ShelfLoader":
        """Art as a render of `scene` at `scale` wants it: vector art at the size of its sharpest use."""
        return ShelfLoader(self, scene, scale)

    # --- opaque sets -------------------------------------------------------------------------------------------------

    def opaque(self, layer: Layer) -> OpaqueSet:
        """A layer's opaque set."""
        key = self._set_key(layer)

        def found() -> OpaqueSet:
            # what is named by its file alone has the file's own size, whatever the scene says
            own = key == self.content(layer.art.file) if layer.art.file else False

            def make() -> OpaqueSet:
                return self._opaque_set(layer, self.original(layer.art.file) if own else self.pixels(layer))

            return make() if self.set_keeper is None else self.set_keeper.get(set_name(key), make)

        opaque = _sets.get(key, found)
        if (opaque.width, opaque.height) == (layer.art.width, layer.art.height):
            return opaque
        if self.draft_over is None:
            self._same_size(layer, opaque.width, opaque.height)
        return _sets.get((key, layer.strip), lambda: self._opaque_set(layer, self.pixels(layer)))

    def set_name(self, layer: Layer) -> str:
        """What a layer's opaque set is kept by beyond this process."""
        return set_name(self._set_key(layer))

    def _set_key(self, layer: Layer) -> object:
        key: object = self.key_of(layer)
        if fades := self._fades(layer):
            key = (key, tuple(fades), layer.framing.scale, layer.art.width, layer.art.height)
        if layer.frames:
            key = (key, layer.frames.columns, layer.frames.rows, layer.frames.count, layer.art.width, layer.art.height)
        return key if self.is_ready(layer) else ("draft", key)

    def opaque_sets(self, scene: Scene) -> dict[str, OpaqueSet]:
        """The opaque set of every layer, by layer id."""
        return {layer.id: self.opaque(layer) for layer in scene.layers}

    def _fades(self, layer: Layer) -> list[Fade]:
        """The steps of the look that leave less of the art's alpha."""
        steps = layer.look if self.scene is None else steps_of(self.scene, layer)
        return [step for step in steps if isinstance(step, Fade) and step.on]

    def _opaque_set(self, layer: Layer, pixels: Pixels) -> OpaqueSet:
        alpha, fades = pixels[..., 3], self._fades(layer)
        if layer.frames is None:
            alpha = faded(alpha, fades, 1 / layer.framing.scale) if fades else alpha
            return opaque_set(alpha, alpha.shape[1], alpha.shape[0])
        # an actor covers where all its cells do, and is met where any of them shows
        cells = self._cells(layer, pixels)[..., 3]
        cells = np.stack([faded(cell, fades, 1 / layer.framing.scale) for cell in cells]) if fades else cells
        covering, shown = cells.min(axis=0), opaque_set(cells.max(axis=0), layer.art.width, layer.art.height)
        return replace(opaque_set(covering, layer.art.width, layer.art.height), borders=shown.borders, shown=shown)

    def alpha(self, layer: Layer) -> NDArray[np.uint8]:
        """A layer's alpha [h, w]; of an actor the most that any of its cells shows."""
        if layer.frames is None:
            return self.passing(layer)[..., 3]
        return np.asarray(self.cells(layer)[..., 3].max(axis=0))

    def cells(self, layer: Layer) -> Pixels:
        """An actor's cells [n, h, w, 4], in the order they are counted."""
        return self._cells(layer, self.pixels(layer))

    def _cells(self, layer: Layer, pixels: Pixels) -> Pixels:
        assert layer.frames is not None
        return cut(pixels, layer.frames.columns, layer.frames.rows)[: layer.frames.count]

    def _same_size(self, layer: Layer, width: int, height: int) -> None:
        if (width, height) == layer.strip:
            return
        says = f"the scene says {layer.art.width} × {layer.art.height} px"
        if layer.frames:
            grid = f"{layer.frames.columns} × {layer.frames.rows} cells of {layer.art.width} × {layer.art.height} px"
            raise BadArt(
                f"{layer.art.called}: is {width} × {height} px, which {grid} do not make; correct frames or art"
            )
        raise BadArt(
            f"{layer.art.called}: is {width} × {height} px, {says}; take the file's size, or correct art.width and art.height"
        )


def _as_large(pixels: Pixels, size: tuple[int, int]) -> Pixels:
    return cv2.resize(pixels, size, interpolation=cv2.INTER_LINEAR).astype(pixels.dtype)


@dataclass(frozen=True)
class ShelfLoader:
    """A layer's pixels for a frame, and a name for them by content, so that what is made of them can be kept."""

    shelf: ArtShelf
    scene: Scene
    scale: float
    _keys: dict[str, tuple[str, bool, float]] = field(default_factory=dict)

    def __call__(self, layer: Layer) -> Pixels:
        *_, zoom = self.key(layer)
        return self.shelf.passing(layer, zoom)

    def key(self, layer: Layer) -> tuple[str, bool, float]:
        """Names what calling gives; worked out once for all frames."""
        if layer.id not in self._keys:
            shelf = self.shelf
            named = shelf.key_of(layer), shelf.is_ready(layer), self._zoom(layer)
            self._keys[layer.id] = named
        return self._keys[layer.id]

    def _zoom(self, layer: Layer) -> float:
        from clinamen.core.bounds.sharpness import sharpest_use

        return sharpest_use(self.scene, layer) * self.scale if self.shelf.vector(layer) else 1.0
