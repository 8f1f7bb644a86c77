"""Entrances: a layer comes in from outside the view, or crosses it; or rides with the camera while the world goes by."""

import numpy as np

from clinamen.core.document import Key, Layer, Scene, Track
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit, layer_of, places_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State
from clinamen.core.optics import rate_of
from clinamen.core.pictures.showing import Box, box_in
from clinamen.core.quantities import shown as written
from clinamen.core.stage import project, stage_at

SIDES = ("left", "right", "top", "bottom")
OPPOSITE = dict(zip(SIDES, ("right", "left", "bottom", "top"), strict=True))
STEPS, JUST_OUTSIDE = 12, 1.0  # px beyond the view's edge


@edit("enter", by_what_shows=True)
def enter(scene: Scene, values: Values) -> Edited:
    """Let a layer come in from a `side` between the places `from` and `to` of a `driver`, to rest exactly where it was
    composed."""
    layer, side, driver, first, last = _read(scene, values)
    away = outside(scene, layer, side, driver, first, box_in(values, layer))
    axis = "x" if side in ("left", "right") else "y"
    keys = (Key(at=first, value=away, ease="ease-out"), Key(at=last, value=0.0))
    return _with(
        scene, layer, axis, driver, keys
    ), f"{layer.label} comes in from the {side}, {written(abs(away), 1)} px"


@edit("cross", by_what_shows=True)
def cross(scene: Scene, values: Values) -> Edited:
    """Let a layer come in on a `side` at the place `from` of a `driver`, cross the view and be gone on the other side at `to`."""
    layer, side, driver, first, last = _read(scene, values)
    box = box_in(values, layer)
    start = outside(scene, layer, side, driver, first, box)
    end = outside(scene, layer, OPPOSITE[side], driver, last, box)
    axis = "x" if side in ("left", "right") else "y"
    keys = (Key(at=first, value=start), Key(at=last, value=end))
    return _with(scene, layer, axis, driver, keys), f"{layer.label} crosses the view from the {side}"


@edit("ride")
def ride(scene: Scene, values: Values) -> Edited:
    """Keep a layer in place in the view: it goes as the camera trucks and rises, so that the world goes by."""
    layer = layer_of(scene, values)
    rate = rate_of(layer.depth, scene.lens_distance)
    moved = [t for t in scene.tracks if t.target == "camera" and t.channel in ("x", "y")]
    if rate == 0:
        raise BadEdit(f"{layer.label}: is infinitely far, so it keeps its place already")
    if not moved:
        raise BadEdit("The camera neither trucks nor rises; let it move first")
    own = [_riding(track, layer, rate) for track in moved]
    names = {track.name for track in own}
    tracks = (*(t for t in scene.tracks if t.name not in names), *own)
    return scene.model_copy(update={"tracks": tracks}), f"{layer.label} keeps its place while the world goes by"


def _riding(track: Track, layer: Layer, rate: float) -> Track:
    if track.drift is not None:
        drift = track.drift.model_copy(update={"reach": track.drift.reach * rate})
        return track.model_copy(update={"target": layer.id, "drift": drift})
    keys = tuple(key.model_copy(update={"value": key.value * rate}) for key in track.keys)
    return track.model_copy(update={"target": layer.id, "keys": keys})


def _read(scene: Scene, values: Values) -> tuple[Layer, str, str, float, float]:
    layer, side, driver = layer_of(scene, values), choice(values, "side", SIDES), driver_of(scene, values)
    first, last = places_of(scene, values, driver)
    if layer.repeats:
        raise BadEdit(f"{layer.label}: repeats without end, so it is never outside the view; take its repeat out first")
    return layer, side, driver, first, last


def _with(scene: Scene, layer: Layer, axis: str, driver: str, keys: tuple[Key, ...]) -> Scene:
    track = Track.model_validate(
        {"target": layer.id, "channel": axis, "driver": driver, "keys": [k.model_dump() for k in keys]}
    )
    others = tuple(t for t in scene.tracks if t.name != track.name)
    return scene.model_copy(update={"tracks": (*others, track)})


def outside(scene: Scene, layer: Layer, side: str, driver: str, at: float, box: Box) -> float:
    """How far along its axis a layer has to be from where it is composed, so that the `box` of its art that shows anything is
    just outside the view there and then; what it did on that axis over that driver before does not count."""
    axis = "x" if side in ("left", "right") else "y"
    bare = tuple(t for t in scene.tracks if t.drift or (t.target, t.channel, t.driver) != (layer.id, axis, driver))
    state = State(scroll=at) if driver == "scroll" else State(time=at)
    size = scene.view.width if axis == "x" else scene.view.height
    low = side in ("left", "top")
    left, top, right, bottom = box
    shown = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])

    def edge(by: float) -> float:
        """How far the sheet reaches into the view over that side."""
        framing = layer.framing.model_copy(update={axis: getattr(layer.framing, axis) + by})
        tried = scene.model_copy(update={"tracks": bare})
        moved = layer.model_copy(update={"framing": framing})
        points, ahead = project(stage_at(tried, state, layers=(moved,)).sheets[0].matrix[0], shown)
        if np.any(ahead <= 0):
            raise BadEdit(f"{layer.label}: reaches behind the camera at that moment; choose another one")
        along = points[:, 0 if axis == "x" else 1]
        return float(along.max() + JUST_OUTSIDE) if low else float(size - along.min() + JUST_OUTSIDE)

    by = 0.0
    for _ in range(STEPS):
        reach = edge(by)
        slope = (edge(by + 1) - reach) or (-1.0 if not low else 1.0)
        by -= reach / slope
        if abs(reach) < 1e-7:
            break
    return round(by, 4)
