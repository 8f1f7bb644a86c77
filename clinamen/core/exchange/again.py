"""Bring in again: art that was changed outside takes the place of the old by name; depths, tracks and recipes stay.

A picture is known by its name as typed, then by its file's name, then by an id that its file's name spells. At the same size
nothing else changes. Another size is either the same picture in more or fewer pixels (`scale`: it is seen as large as before,
its steps grow along) or a larger or smaller canvas (`canvas`: what was drawn stays in place, its steps move along).
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Literal

from clinamen.core.document import Layer, Scene
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.names import id_from_name, known_as, name_from_file
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.shapes import same_shape
from clinamen.core.prep.steps import AnyStep
from clinamen.core.recipes import moved_steps, recipe_of, scaled_steps, shifted

How = Literal["auto", "scale", "canvas"]
HOWS: tuple[How, ...] = ("auto", "scale", "canvas")


@dataclass(frozen=True)
class Arriving:
    """A picture that comes again: the name that its layer would get, and its file's name."""

    name: str
    file: str


@dataclass(frozen=True)
class Found:
    """What a batch means for a scene: (index of the picture, layer id) pairs, indices of pictures without a layer, ids of
    layers without a picture."""

    matches: tuple[tuple[int, str], ...]
    new: tuple[int, ...]
    gone: tuple[str, ...]


def match(scene: Scene, pictures: Sequence[Arriving]) -> Found:
    """Match pictures to layers, each at most once: all by name first, what is left by file, then by id."""
    found: dict[int, str] = {}
    ways: tuple[tuple[Callable[[Arriving], str], Callable[[Layer], str]], ...] = (
        (lambda picture: known_as(picture.name), lambda layer: known_as(layer.label)),
        (lambda picture: _stem(picture.file), lambda layer: _stem(layer.art.file)),
        (lambda picture: _spelt_id(picture.file), lambda layer: layer.id),
    )
    for of_picture, of_layer in ways:
        for index, picture in enumerate(pictures):
            wanted = of_picture(picture) if index not in found else ""
            free = (layer for layer in scene.layers if layer.art.file and layer.id not in found.values())
            layer_id = next((layer.id for layer in free if wanted and of_layer(layer) == wanted), None)
            if layer_id is not None:
                found[index] = layer_id
    return _sorted_out(scene, found, len(pictures))


def assigned(scene: Scene, found: Found, by_hand: dict[int, str], count: int) -> Found:
    """`found` with pictures assigned by hand: a layer's id, "new" for a layer of its own, "" to leave it out."""
    taken = {index: layer_id for index, layer_id in found.matches if index not in by_hand}
    left_out = {index for index, layer_id in by_hand.items() if not layer_id}
    for index, layer_id in by_hand.items():
        if layer_id and layer_id != "new":
            if layer_id in taken.values():
                label = scene.layer(layer_id).label
                raise BadEdit(
                    f"{label}: two pictures are to take its place; choose one of them and another layer for the other"
                )
            taken[index] = layer_id
    return _sorted_out(scene, taken, count, left_out)


def _sorted_out(scene: Scene, taken: dict[int, str], count: int, left_out: Iterable[int] = ()) -> Found:
    new = tuple(index for index in range(count) if index not in taken and index not in left_out)
    gone = tuple(layer.id for layer in scene.layers if layer.id not in taken.values())
    return Found(tuple(sorted(taken.items())), new, gone)


def _stem(file: str) -> str:
    return known_as(name_from_file(PurePosixPath(file.replace("\\", "/")).name))


def _spelt_id(file: str) -> str:
    """The id that a file's name spells letter by letter; "" where letters would be lost, so that none is matched by chance."""
    stem = PurePosixPath(file.replace("\\", "/")).stem
    return id_from_name(stem, ()) if stem.isascii() else ""


def likely(old: tuple[int, int], new: tuple[int, int]) -> How:
    """What another size most likely means: more or fewer pixels at one shape, another canvas otherwise."""
    return "scale" if same_shape(*old, *new) else "canvas"


def replaced(
    layer: Layer, file: str, width: int, height: int, how: How = "auto", at: tuple[int, int] | None = None
) -> tuple[Layer, str]:
    """The layer with another file of `width` × `height` px as its original, and a sentence where its size changed. `at`:
    where the old picture's top left corner lies in the new one, for another canvas; in the middle if it is not given."""
    old = recipe_of(layer)
    if (width, height) == (old.width, old.height):
        return layer.model_copy(update={"art": layer.art.model_copy(update={"file": file})}), ""
    sizes = f"{layer.label}: was {old.width} × {old.height} px and is {width} × {height} px"
    meant = likely((old.width, old.height), (width, height)) if how == "auto" else how
    if meant == "scale":
        factor = width / old.width
        recipe = _recipe(layer, width, height, scaled_steps(old.steps, factor))
        art = layer.art.model_copy(update={"file": file, "width": recipe.final.width, "height": recipe.final.height})
        framing = layer.framing.model_copy(update={"scale": layer.framing.scale / factor})
        changed = layer.model_copy(update={"art": art, "framing": framing, "recipe": recipe if recipe.steps else None})
        return changed, f"{sizes}; it is seen as large as before"
    x, y = at if at is not None else ((width - old.width) // 2, (height - old.height) // 2)
    steps, whole = moved_steps(old, x, y)
    recipe = _recipe(layer, width, height, steps)
    centre = (width / 2 - x - old.width / 2, height / 2 - y - old.height / 2)
    placed = shifted(layer, recipe, centre)
    look = "" if whole else ", look at its recipe"
    changed = placed.model_copy(update={"art": placed.art.model_copy(update={"file": file})})
    kind = "larger" if width * height > old.width * old.height else "smaller"
    return changed, f"{sizes}, a {kind} canvas; what was there stays in place{look}"


def _recipe(layer: Layer, width: int, height: int, steps: Sequence[AnyStep]) -> Recipe:
    try:
        return Recipe(width=width, height=height, steps=tuple(steps))
    except ValueError:
        says = "its recipe would make too large a picture of the new art; shorten it first"
        raise BadEdit(f"{layer.label}: {says}") from None
