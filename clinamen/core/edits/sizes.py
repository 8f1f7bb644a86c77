"""The edit that takes over the size that files have, where a document says another."""

from clinamen.core.document import Layer, Scene
from clinamen.core.edits.registry import Edited, Values, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.again import replaced
from clinamen.core.quantities import counted, whole
from clinamen.core.recipes import recipe_of


def said_size(layer: Layer) -> tuple[int, int]:
    """Width and height in px that a document says a layer's file has: before its recipe, of an actor all cells."""
    return layer.strip if layer.frames else (recipe_of(layer).width, recipe_of(layer).height)


def as_its_file(layer: Layer, width: int, height: int) -> Layer:
    """The layer with the size of its file, seen as large as before; BadEdit where an actor's cells do not divide it."""
    if layer.frames is None:
        return replaced(layer, layer.art.file, width, height)[0]
    columns, rows = layer.frames.columns, layer.frames.rows
    if width % columns or height % rows:
        cells = f"{columns} × {rows} cells"
        raise BadEdit(
            f"{layer.label}: its file is {width} × {height} px, which {cells} do not divide; bring it in again"
        )
    return replaced(layer, layer.art.file, width // columns, height // rows, "scale")[0]


@edit("take-sizes")
def take_sizes(scene: Scene, values: Values) -> Edited:
    """Give layers the size of their files: `sizes` names them, each as ``id=640x480``, with spaces between."""
    taken = []
    for each in values["sizes"].split():
        layer_id, _, size = each.rpartition("=")
        width, height = (whole(side) for side in size.partition("x")[::2])
        if not width or not height:
            raise BadEdit(f"sizes: {each[:40]!r} is no layer with its size; press the button again")
        layer = as_its_file(layer_of(scene, {"layer": layer_id}), width, height)
        scene = with_layer(scene, layer)
        taken.append(layer.label)
    if not taken:
        raise BadEdit("sizes: no layer is named; press the button again")
    return scene, f"{taken[0] if len(taken) == 1 else counted(len(taken), 'layer')}: size taken from the file"
