"""A stack of transparent pictures becomes layers: name order is drawing order, and same-size canvases line up.

Every picture is centred on the view at its own size, so pictures that share one canvas line up by themselves, and cut
pieces are never stretched. Where the canvas is larger than the view, nothing is scaled: the view is a window on it.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from clinamen.core.document import Art, Framing, Layer
from clinamen.core.exchange.names import id_from_name, name_from_file, natural_key
from clinamen.core.optics import depth_of

FARTHEST_RATE, NEAREST_RATE = 0.25, 1.0  # imported layers are spread evenly between these, so depth shows at once


@dataclass(frozen=True)
class Sheet:
    """A picture to become a layer: `name` as the user gave it, `file` in the scene, size, and an optional framing."""

    name: str
    file: str
    width: int
    height: int
    framing: Framing = Framing()
    opacity: float = 1.0
    blend: str = "normal"
    visible: bool = True


def in_order(names: Sequence[str]) -> list[int]:
    """Indices of file names in natural name order: the first is drawn first, farthest."""
    return sorted(range(len(names)), key=lambda index: natural_key(names[index]))


def layers_from(sheets: Sequence[Sheet], distance: float, taken: Sequence[str] = ()) -> list[Layer]:
    """Layers in drawing order, spread evenly in rate over a lens `distance`; the last stands on the picture plane."""
    layers: list[Layer] = []
    ids = list(taken)
    for index, sheet in enumerate(sheets):
        share = index / (len(sheets) - 1) if len(sheets) > 1 else 1.0
        rate = FARTHEST_RATE + (NEAREST_RATE - FARTHEST_RATE) * share
        depth = depth_of(rate, distance)
        layer_id = id_from_name(name_from_file(sheet.name), ids)
        ids.append(layer_id)
        layers.append(
            Layer.model_validate(
                {
                    "id": layer_id,
                    "name": name_from_file(sheet.name),
                    "art": Art(file=sheet.file, width=sheet.width, height=sheet.height).model_dump(),
                    "depth": depth if depth == "infinite" else round(depth, 2) + 0.0,
                    "framing": sheet.framing.model_dump(),
                    "opacity": sheet.opacity,
                    "blend": sheet.blend,
                    "visible": sheet.visible,
                }
            )
        )
    return layers
