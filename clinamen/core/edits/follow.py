"""What follows from an edit elsewhere: a ground shadow goes along with its layer, is hidden and taken out with it, and one that
the key light lays is laid anew when that moves.

A shadow that an edit changed itself is left as it was made.
"""

import contextlib
from typing import Any

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Framing, Layer, Scene
from clinamen.core.edits.laying import laid, light_on
from clinamen.core.errors import BadEdit
from clinamen.core.made.kinds import Shadow
from clinamen.core.made.shadows import cast_size


def followed(before: Scene, after: Scene) -> Scene:
    """The edited scene with its shadows as the edit leaves them."""
    old, new = ({layer.id: layer for layer in scene.layers} for scene in (before, after))
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


def _gone_along(before: Scene, after: Scene, shadow: Layer, old: Layer, new: Layer) -> Layer:
    made, changes = shadow.art.made, dict[str, Any]()
    assert isinstance(made, Shadow)
    moved = (old.framing, old.depth) != (new.framing, new.depth) or old.art != new.art
    if moved:
        at = np.array([shadow.framing.x, shadow.framing.y])
        if (old.art, old.recipe) == (new.art, new.recipe):  # else what the art shows stays where it is
            at = _to_view(new.framing) @ np.linalg.solve(_to_view(old.framing), [*at, 1.0])
        scale = shadow.framing.scale * new.framing.scale / old.framing.scale
        x, y = (round(float(side), 3) for side in at[:2])
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


def _to_view(framing: Framing) -> Floats:
    """Art pixels from the middle of the art to view pixels from the middle of the view, [3, 3]."""
    turn = np.radians(framing.rotation)
    turned = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    shaped = np.array([[1.0, np.tan(np.radians(framing.skew))], [0.0, 1.0]]) @ np.diag([1.0, framing.stretch])
    whole = np.eye(3)
    whole[:2, :2] = framing.scale * turned @ shaped
    whole[:2, 2] = framing.x, framing.y
    return whole
