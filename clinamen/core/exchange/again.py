"""Bring in again: art that was changed outside takes the place of the old by name; depths, tracks and recipes stay.

A picture matches the layer whose name, id or art file is called like it. At the same size nothing else changes. At the
same shape but another size the layer is seen as large as before and its steps are scaled along; at another shape it
keeps its scale and stays centred, its steps as they are, and that is said.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

from clinamen.core.document import Layer, Scene
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.names import id_from_name, name_from_file
from clinamen.core.prep.recipe import Recipe
from clinamen.core.recipes import recipe_of, scaled_steps

SAME_SHAPE = 0.005  # relative difference of two aspect ratios that still count as one


@dataclass(frozen=True)
class Found:
    """What a batch of names means for a scene: (index of the picture, layer id) pairs, indices of pictures without a
    layer, ids of layers without a picture."""

    matches: tuple[tuple[int, str], ...]
    new: tuple[int, ...]
    gone: tuple[str, ...]


def _plain(name: str) -> str:
    return id_from_name(name_from_file(name), ())


def match(scene: Scene, names: Sequence[str]) -> Found:
    """Match pictures to layers by name, each at most once."""
    matches: list[tuple[int, str]] = []
    taken: set[str] = set()
    for index, name in enumerate(names):
        wanted = _plain(name)
        layer_id = next((x.id for x in scene.layers if x.id not in taken and wanted in _called(x)), None)
        if layer_id is not None:
            matches.append((index, layer_id))
            taken.add(layer_id)
    matched = {index for index, _ in matches}
    new = tuple(index for index in range(len(names)) if index not in matched)
    return Found(tuple(matches), new, tuple(layer.id for layer in scene.layers if layer.id not in taken))


def _called(layer: Layer) -> set[str]:
    return {id_from_name(layer.label, ()), id_from_name(layer.id, ()), _plain(PurePosixPath(layer.art.file).name)}


def replaced(layer: Layer, file: str, width: int, height: int) -> tuple[Layer, str]:
    """The layer with another file of `width` × `height` px as its original, and a sentence where its size changed."""
    old = recipe_of(layer)
    if (width, height) == (old.width, old.height):
        return layer.model_copy(update={"art": layer.art.model_copy(update={"file": file})}), ""
    same_shape = abs(width / height / (old.width / old.height) - 1) <= SAME_SHAPE
    factor = width / old.width if same_shape else 1.0
    steps = scaled_steps(old.steps, factor) if factor != 1 else old.steps
    try:
        recipe = Recipe(width=width, height=height, steps=tuple(steps))
    except ValueError:
        raise BadEdit(
            f"{layer.label}: its recipe would make too large a picture of the new art; shorten it first"
        ) from None
    made = recipe.final
    framing = layer.framing.model_copy(update={"scale": layer.framing.scale / factor})
    art = layer.art.model_copy(update={"file": file, "width": made.width, "height": made.height})
    changed = layer.model_copy(update={"art": art, "framing": framing, "recipe": recipe if recipe.steps else None})
    sizes = f"was {old.width} × {old.height} px and is {width} × {height} px"
    if same_shape:
        return changed, f"{layer.label}: {sizes}; it is seen as large as before"
    look = ", look at its recipe" if recipe.steps else ""
    return changed, f"{layer.label}: {sizes}, another shape; it keeps its scale and stays centred{look}"
