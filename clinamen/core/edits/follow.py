"""What follows from an edit elsewhere: a ground shadow goes along with its layer, is hidden and taken out with it, and one that
the key light lays is laid anew when that moves; a layer that stands on the ground keeps to it.

A shadow that an edit changed itself is left as it was made.
"""

import contextlib
from typing import Any

from clinamen.core.document import Layer, Scene
from clinamen.core.edits.laying import laid, light_on
from clinamen.core.errors import BadEdit
from clinamen.core.ground import standing
from clinamen.core.made.kinds import Shadow
from clinamen.core.made.shadows import cast_size
from clinamen.core.stage.formula import art_under, framed_at


def followed(before: Scene, after: Scene) -> Scene:
    """The edited scene with its shadows as the edit leaves them."""
    old, new = ({layer.id: layer for layer in scene.layers} for scene in (before, after))
    after = _afoot(before, after, old)
    new = {layer.id: layer for layer in after.layers}
    layers, gone = [], set[str]()
    for layer in after.layers:
        shadow = layer.art.made
        if not isinstance(shadow, Shadow) or layer.id not in old or shadow.of not in old:
            layers.append(layer)
        elif shadow.of not in new:
            gone.add(layer.id)
        elif old[layer.id] is not layer and old[layer.id] != layer:
            layers.append(layer)
        else:
            layers.append(_gone_along(before, after, layer, old[shadow.of], new[shadow.of]))
    if not gone and all(one is other for one, other in zip(layers, after.layers, strict=False)):
        return after
    tracks = tuple(track for track in after.tracks if track.target not in gone)
    return after.model_copy(update={"layers": tuple(layers), "tracks": tracks})


def _afoot(before: Scene, after: Scene, old: dict[str, Layer]) -> Scene:
    """The edited scene with every layer that was moved on the ground at the depth its foot says there."""
    moved = {
        layer.id: layer for layer in after.layers
        if layer.foot and layer.id in old and old[layer.id].foot == layer.foot and old[layer.id].framing != layer.framing
    }  # fmt: skip
    if not moved:
        return after
    layers = tuple(standing(after, layer) if layer.id in moved else layer for layer in after.layers)
    return after.model_copy(update={"layers": layers})


def _gone_along(before: Scene, after: Scene, shadow: Layer, old: Layer, new: Layer) -> Layer:
    made, changes = shadow.art.made, dict[str, Any]()
    assert isinstance(made, Shadow)
    moved = (old.framing, old.depth) != (new.framing, new.depth) or old.art != new.art
    if moved:
        x, y = shadow.framing.x, shadow.framing.y
        if (old.art, old.recipe) == (new.art, new.recipe):  # else what the art shows stays where it is
            x, y = (round(side, 3) for side in framed_at(new, *art_under(old, x, y)))
        scale = shadow.framing.scale * new.framing.scale / old.framing.scale
        changes["framing"] = shadow.framing.model_copy(update={"x": x, "y": y, "scale": scale})
        changes["depth"] = new.depth if shadow.depth == old.depth and new.depth != "infinite" else shadow.depth
    if old.art != new.art or old.frames != new.frames:
        width, height = cast_size(new.art.width, new.art.height)
        changes |= {"art": shadow.art.model_copy(update={"width": width, "height": height}), "frames": new.frames}
    if old.visible != new.visible:
        changes["visible"] = new.visible
    if made.lit and after.light.key is not None and (moved or before.light.key != after.light.key):
        framing, depth = changes.get("framing", shadow.framing), changes.get("depth", shadow.depth)
        with contextlib.suppress(BadEdit):  # a light below the feet throws none: it lies as it lay
            changes |= laid(framing, *light_on(after, (framing.x, framing.y), depth))
    return shadow.model_copy(update=changes) if changes else shadow
