"""Extend art: apply a computed extension. The longer picture is new art under a new file name; the original stays."""

from pathlib import PurePosixPath

from clinamen.art import store
from clinamen.core.artwork import MAX_PIXELS, encode_png
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadEdit
from clinamen.core.prep.extend import extend
from clinamen.core.proof import changes
from clinamen.scenes.models import Scene, SceneArt
from clinamen.scenes.shelf import pictures_of, shelf_of

SIDES = ("left", "right", "top", "bottom")


def extend_art(scene: Scene, current: Document, layer_id: str, side: str, count: int) -> tuple[Document, str]:
    """The document with a layer's art extended by `count` pixels on `side`, and a sentence."""
    try:
        layer = current.layer(layer_id)
    except KeyError:
        raise BadEdit("That layer is no longer in the scene; choose another") from None
    if side not in SIDES or count < 1:
        raise BadEdit("Extend: needs a side and at least one pixel")
    wider = side in ("left", "right")
    width = layer.art.width + (count if wider else 0)
    height = layer.art.height + (0 if wider else count)
    if width * height > MAX_PIXELS:
        raise BadEdit(f"{layer.label}: would be {width} × {height} px; at most 64 megapixels are possible")
    pixels = extend(shelf_of(pictures_of(scene)).pixels(layer), side, count)
    picture = store.keep(encode_png(pixels, level=2), layer.art.file)
    file = _new_file(scene, layer.art.file)
    SceneArt.objects.create(scene=scene, file=file, picture=picture)
    edited = changes.with_extension(current, layer_id, side, count)
    art = edited.layer(layer_id).art.model_copy(update={"file": file})
    says = f"{layer.label} extended by {count} px on the {side}"
    return changes.replace_layer(edited, layer_id, art=art), says


def _new_file(scene: Scene, file: str) -> str:
    path = PurePosixPath(file)
    taken = set(SceneArt.objects.filter(scene=scene).values_list("file", flat=True))
    number = 2
    while f"{path.parent}/{path.stem}-{number}.png" in taken:
        number += 1
    return f"{path.parent}/{path.stem}-{number}.png"
