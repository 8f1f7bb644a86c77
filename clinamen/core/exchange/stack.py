"""A stack of pictures becomes layers: name order is drawing order, and same-size canvases line up.

Every picture is centred on the view, so pictures that share one canvas line up by themselves. Placed pixel for pixel
nothing is scaled: the view is a window on the art. "fit" and "fill" scale the canvas that most pictures share to the
view, and cut-out pieces by the same factor, so that they stay in place and in proportion.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from clinamen.core.document import Art, Framing, Layer
from clinamen.core.exchange.names import id_from_name, natural_key
from clinamen.core.optics import depth_of
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.steps import Crop

FARTHEST_RATE, NEAREST_RATE = 0.25, 1.0  # imported layers are spread evenly between these, so depth shows at once
Fitting = Literal["auto", "pixels", "fit", "fill"]
FITTINGS: tuple[Fitting, ...] = ("auto", "pixels", "fit", "fill")
LONGEST_VIEW = 1920  # px: longest side of a view that takes its shape from the pictures


@dataclass(frozen=True)
class Arrival:
    """A picture to become a layer: `name` and `group` for the layer, `file` in the scene, size, an optional framing, and
    the box (left, top, right, bottom) that holds all that shows, if the rest is to be trimmed away."""

    name: str
    file: str
    width: int
    height: int
    framing: Framing = Framing()
    opacity: float = 1.0
    blend: str = "normal"
    visible: bool = True
    group: str = ""
    box: tuple[int, int, int, int] | None = None


def in_order(names: Sequence[str]) -> list[int]:
    """Indices of file names in natural name order: the first is drawn first, farthest."""
    return sorted(range(len(names)), key=lambda index: natural_key(names[index]))


def canvas_of(sizes: Sequence[tuple[int, int]]) -> tuple[int, int]:
    """The canvas most pictures share; of several as common, the largest."""
    counts = Counter(sizes)
    return max(counts, key=lambda size: (counts[size], size[0] * size[1]))


def view_for(canvas: tuple[int, int], width: int | None = None, height: int | None = None) -> tuple[int, int]:
    """The view of new pictures: what was asked for, and where nothing was, the canvas's own shape."""
    if width and height:
        return width, height
    if width:
        return width, max(1, round(width * canvas[1] / canvas[0]))
    if height:
        return max(1, round(height * canvas[0] / canvas[1])), height
    share = min(1.0, LONGEST_VIEW / max(canvas))
    return max(1, round(canvas[0] * share)), max(1, round(canvas[1] * share))


def fitting_scale(
    canvas: tuple[int, int], view: tuple[int, int], fitting: Fitting, beside: Sequence[Layer] = ()
) -> float:
    """The framing scale that puts a canvas on a view. "auto": as large as a layer that is there already and whose picture
    has the same size, so that both line up; pixel for pixel where there is none."""
    if fitting == "auto":
        alike = [layer for layer in beside if original_size(layer) == canvas]
        return alike[-1].framing.scale if alike else 1.0
    shares = (view[0] / canvas[0], view[1] / canvas[1])
    return 1.0 if fitting == "pixels" else min(shares) if fitting == "fit" else max(shares)


def trimmed(layer: Layer, box: tuple[int, int, int, int]) -> Layer:
    """The layer with its empty border cut away by a recipe, everything that shows where it was."""
    left, top, right, bottom = box
    width, height = layer.art.width, layer.art.height
    if box == (0, 0, width, height) or layer.recipe is not None:
        return layer
    crop = Crop(x=left, y=top, width=right - left, height=bottom - top)
    recipe = Recipe(width=width, height=height, steps=(crop,))
    made = recipe.final
    scale = layer.framing.scale
    framing = layer.framing.model_copy(
        update={"x": layer.framing.x + scale * made.dx, "y": layer.framing.y + scale * made.dy}
    )
    art = layer.art.model_copy(update={"width": made.width, "height": made.height})
    return layer.model_copy(update={"art": art, "recipe": recipe, "framing": framing})


def original_size(layer: Layer) -> tuple[int, int]:
    """Size of a layer's picture as it came."""
    return (layer.recipe.width, layer.recipe.height) if layer.recipe else (layer.art.width, layer.art.height)


def layers_from(
    sheets: Sequence[Arrival], distance: float, taken: Sequence[str] = (), scale: float = 1.0
) -> list[Layer]:
    """Layers in drawing order, spread evenly in rate over a lens `distance`; the last stands on the picture plane."""
    layers: list[Layer] = []
    ids = list(taken)
    for index, sheet in enumerate(sheets):
        share = index / (len(sheets) - 1) if len(sheets) > 1 else 1.0
        rate = FARTHEST_RATE + (NEAREST_RATE - FARTHEST_RATE) * share
        depth = depth_of(rate, distance)
        layer_id = id_from_name(sheet.name, ids)
        ids.append(layer_id)
        made = Layer.model_validate(
            {
                "id": layer_id,
                "name": sheet.name[:200],
                "group": sheet.group,
                "art": Art(file=sheet.file, width=sheet.width, height=sheet.height).model_dump(),
                "depth": depth if depth == "infinite" else round(depth, 2) + 0.0,
                "framing": sheet.framing.model_copy(update={"scale": sheet.framing.scale * scale}).model_dump(),
                "opacity": sheet.opacity,
                "blend": sheet.blend,
                "visible": sheet.visible,
            }
        )
        layers.append(trimmed(made, sheet.box) if sheet.box else made)
    return layers


def too_small(layer: Layer) -> str:
    """A sentence where a layer is shown larger than its own pixels at rest; empty where it is not."""
    drawn_anew = layer.art.file.lower().endswith(".svg") or (layer.art.made is not None and layer.art.made.sharp)
    if layer.framing.scale <= 1.001 or drawn_anew:
        return ""
    need = round(layer.art.width * layer.framing.scale), round(layer.art.height * layer.framing.scale)
    return (
        f"{layer.label}: is {layer.art.width} × {layer.art.height} px and shown at {layer.framing.scale:.0%}, so it is "
        f"soft; bring it in at {need[0]} × {need[1]} px or place it pixel for pixel"
    )
