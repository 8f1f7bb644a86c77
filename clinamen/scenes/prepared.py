"""Prepared art of a scene by its key: found in the head, or in what the head was a moment ago."""

from collections.abc import Mapping

from django.http import Http404

from clinamen.core import document
from clinamen.core.arrays import Pixels
from clinamen.core.document import Layer
from clinamen.core.errors import BadArt, ClinamenError
from clinamen.core.pictures.limits import check_size
from clinamen.core.pictures.shelf import PREVIEW, ArtShelf
from clinamen.scenes.models import Scene
from clinamen.scenes.shelf import pictures_of, shelf_of

LOOKED_BACK = 40  # revisions: a page may still ask for what an edit has just replaced


def layer_with_key(scene: Scene, layer_id: str, key: str) -> tuple[Layer, ArtShelf]:
    """The layer whose art has this key, and a shelf for it; Http404 if no late revision has it."""
    pictures = pictures_of(scene)
    assert scene.head is not None
    late = [scene.head, *scene.revisions.exclude(pk=scene.head.pk).order_by("-pk")[:LOOKED_BACK]]
    for revision in late:
        made = document.parse(revision.document)
        shelf = shelf_of(pictures, made, draft=True)
        layer = next((layer for layer in made.layers if layer.id == layer_id), None)
        try:
            if layer is not None and shelf.key_of(layer) == key:
                return layer, shelf
        except ClinamenError:
            continue
    raise Http404


def layer_of_address(values: Mapping[str, str]) -> Layer:
    """The layer whose made art an address says: `art` as JSON, `grid` the columns and rows of an actor's; BadArt where it says
    none."""
    try:
        art = document.Art.model_validate_json(values.get("art", ""))
        if art.made is None:
            raise ValueError
        columns, rows = (int(part) for part in values.get("grid", "1x1").split("x"))
        check_size(art.width * columns, art.height * rows, "made art")
        count = {"columns": columns, "rows": rows, "count": columns * rows}
        return Layer.model_validate({"id": "made", "art": art, "frames": count if values.get("grid") else None})
    except ValueError:
        raise BadArt("made art: is not said as the page says it; ask for it as the page does") from None


def picture_of_layer(layer: Layer, shelf: ArtShelf, longest: int, ready: bool) -> Pixels:
    """A layer's art for the screen: from full size when it is ready, else its preview, worked out once for the light table
    and the thumbnail beside it."""
    return shelf.pixels(layer) if ready and shelf.is_ready(layer) else shelf.preview(layer, max(longest, PREVIEW))[0]
