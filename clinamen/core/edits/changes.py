"""The changes a fix makes to a document, one function each; used to compute a fix and again to apply it."""

import math
from typing import Any

import numpy as np

from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.document import Anchor, Key, Layer, Scene, Track, channels_of
from clinamen.core.prep.tidy import tidied


def replace_layer(scene: Scene, layer_id: str, **changes: object) -> Scene:
    """The scene with some fields of one layer replaced."""
    layers = tuple(layer.model_copy(update=changes) if layer.id == layer_id else layer for layer in scene.layers)
    return scene.model_copy(update={"layers": layers})


def with_scale(scene: Scene, layer_id: str, scale: float) -> Scene:
    """The scene with a layer's framing scale set."""
    framing = scene.layer(layer_id).framing.model_copy(update={"scale": scale})
    return replace_layer(scene, layer_id, framing=framing)


def extended_layer(layer: Layer, side: str, pixels: int) -> Layer:
    """A layer whose art has `pixels` more on `side`, its old part staying where it was."""
    wider = side in ("left", "right")
    art = layer.art.model_copy(
        update={"width": layer.art.width + pixels} if wider else {"height": layer.art.height + pixels}
    )
    shift = layer.framing.scale * pixels / 2 * (-1 if side in ("left", "top") else 1)
    angle = math.radians(layer.framing.rotation)
    along = (math.cos(angle), math.sin(angle)) if wider else (-math.sin(angle), math.cos(angle))
    framing = layer.framing.model_copy(
        update={"x": layer.framing.x + shift * along[0], "y": layer.framing.y + shift * along[1]}
    )
    back = pixels / 2 * (-1 if side in ("left", "top") else 1)
    anchor = layer.anchor
    if anchor != Anchor():
        anchor = Anchor(x=anchor.x - (back if wider else 0), y=anchor.y - (0 if wider else back))
    return layer.model_copy(update={"art": art, "framing": framing, "anchor": anchor})


def with_extension(scene: Scene, layer_id: str, side: str, pixels: int) -> Scene:
    """The scene with one layer extended."""
    layer = extended_layer(scene.layer(layer_id), side, pixels)
    return replace_layer(scene, layer_id, art=layer.art, framing=layer.framing, anchor=layer.anchor)


def extended_set(opaque: OpaqueSet, side: str, pixels: int) -> OpaqueSet:
    """The opaque set of a picture extended by repeating its edge."""
    before, after = (pixels, 0) if side in ("left", "top") else (0, pixels)
    pad = ((0, 0), (before, after)) if side in ("left", "right") else ((before, after), (0, 0))
    width = opaque.width + (pixels if side in ("left", "right") else 0)
    height = opaque.height + (pixels if side in ("top", "bottom") else 0)
    if opaque.mask is None:
        return opaque_set(None, width, height)
    return opaque_set((np.pad(opaque.mask, pad, mode="edge") * 255).astype(np.uint8), width, height)


def solid_set(opaque: OpaqueSet, beyond: float) -> OpaqueSet:
    """The opaque set of a picture that is made solid deeper than `beyond` px inside its edge."""
    if opaque.mask is None:
        return opaque
    return opaque_set(tidied((opaque.mask * 255).astype(np.uint8), 0, 0, beyond), opaque.width, opaque.height)


def with_pointer_reach(scene: Scene, axis: str, reach: float) -> Scene:
    """The scene with the pointer's reach along `axis` ("x" or "y") set, its sign kept."""
    pointer = scene.drivers.pointer
    assert pointer is not None
    old = getattr(pointer, f"reach_{axis}")
    pointer = pointer.model_copy(update={f"reach_{axis}": math.copysign(reach, old)})
    return scene.model_copy(update={"drivers": scene.drivers.model_copy(update={"pointer": pointer})})


def from_to(
    scene: Scene,
    target: str,
    channel: str,
    driver: str,
    first: float,
    last: float,
    ease: Any = "linear",
    places: tuple[float, float] | None = None,
) -> Track:
    """A track from the one end of a driver to the other, or between two of its places."""
    start, end = places or (0.0, scene.drivers.end(driver))
    keys = (Key(at=start, value=first, ease=ease), Key(at=end, value=last))
    return Track(target=target, channel=channel, driver=driver, keys=keys)


def with_travel(scene: Scene, driver: str, share: float) -> Scene:
    """The scene with every camera track of a driver brought to `share` of its values (factors: of their distance
    from 1)."""
    tracks = tuple(
        _shorter(track, share) if track.target == "camera" and track.driver == driver else track
        for track in scene.tracks
    )
    return scene.model_copy(update={"tracks": tracks})


def _shorter(track: Track, share: float) -> Track:
    if track.drift is not None:
        return track.model_copy(update={"drift": track.drift.model_copy(update={"reach": track.drift.reach * share})})
    rest = channels_of(track.target)[track.channel].rest
    keys = tuple(key.model_copy(update={"value": rest + (key.value - rest) * share}) for key in track.keys)
    return track.model_copy(update={"keys": keys})
