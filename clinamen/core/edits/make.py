"""Edits of made art: layers of it added, with the motion they have by themselves; their numbers set; shadows on the ground."""

import math
from typing import Any

import numpy as np

from clinamen.core.document import MAX_LAYERS, Art, Framing, Key, Layer, Repeat, Scene, Takes, Tilt, TimeDriver, Track
from clinamen.core.edits.changes import replace_layer
from clinamen.core.edits.laying import LEAST_HEIGHT, MOST_HEIGHT, laid, light_on
from clinamen.core.edits.recipes import fields_of
from clinamen.core.edits.registry import Edited, Values, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.names import id_from_name
from clinamen.core.made.kinds import KINDS, AnyMade, Shadow, Words
from clinamen.core.made.shadows import cast_size
from clinamen.core.optics import depth_of, rate_of
from clinamen.core.quantities import counted, number
from clinamen.core.recipes import checked, kind_among
from clinamen.core.stage.formula import framed_at

SHEETS = (0.6, 1.0, 1.6)  # rates of weather in several sheets, farthest first
BEFORE_LENS = ("Film",)  # groups whose layers lie before the lens: they take nothing and stay where they are
GRAINS_A_SECOND, MOST_GRAINS = 12, 200  # how often grain changes; keys of a track of it


def made_of(fields: dict[str, object]) -> AnyMade:
    """Made art from plain data with its kind under "kind"; BadEdit says what is wrong with it."""
    kind = kind_among(KINDS, "kind", fields)
    return checked(kind, kind.title, fields)


@edit("made-add")
def add_made(scene: Scene, values: Values) -> Edited:
    """Add a layer of made art of a `kind` in front; weather in as many `sheets` as are asked for, each at a depth of its own.
    What moves by itself gets tracks over time that close with its loop."""
    kind = KINDS.get(values.get("kind", ""))
    if kind is None or kind is Shadow:
        offered = ", ".join(word for word, each in KINDS.items() if each is not Shadow)
        raise BadEdit(f"kind: {values.get('kind', '')!r} is not one of {offered}")
    made = made_of({"kind": values["kind"], **kind.starts_with, **fields_of(kind, values)})
    falls = made.falls() is not None
    count = int(number(values.get("sheets") or "1", "sheets", 1, len(SHEETS))) if falls else 1
    if len(scene.layers) + count > MAX_LAYERS:
        raise BadEdit(f"A scene holds at most {MAX_LAYERS} layers; take one out first")
    if (falls or kind.group == "Film") and scene.drivers.time is None:
        scene = scene.model_copy(update={"drivers": scene.drivers.model_copy(update={"time": TimeDriver()})})
    rates = SHEETS[-count:] if count > 1 else (1.0,)
    for turn, rate in enumerate(rates):
        scene = _with_sheet(scene, made, rate, f" {turn + 1}" if count > 1 else "", turn)
    return scene, f"{kind.title} made" if count == 1 else f"{kind.title} made in {counted(count, 'sheet')}"


def _with_sheet(scene: Scene, made: AnyMade, rate: float, suffix: str, turn: int) -> Scene:
    width, height = made.usual_size((scene.view.width, scene.view.height))
    before = made.group in BEFORE_LENS
    if turn and hasattr(made, "seed"):
        made = made.model_copy(update={"seed": (made.seed + turn) % 2**31})
    name = f"{made.title}{suffix}"
    depth: Any = "infinite" if before else round(float(depth_of(rate, scene.lens_distance)), 1) + 0.0
    layer = Layer(
        id=id_from_name(name, [x.id for x in scene.layers]), name=name, art=Art(made=made, width=width, height=height),
        depth=depth, framing=Framing(scale=rate), blend=made.blend, repeat=Repeat(**_repeats(made)),
        takes=Takes(air=False, focus=False, light=False) if before else Takes(),
    )  # fmt: skip
    tracks = (*scene.tracks, *_own_motion(scene, layer, made, rate))
    return scene.model_copy(update={"layers": (*scene.layers, layer), "tracks": tracks})


def _repeats(made: AnyMade) -> dict[str, Any]:
    return {axis: "tile" if on else "none" for axis, on in zip("xy", made.tiles, strict=True)}


def _own_motion(scene: Scene, layer: Layer, made: AnyMade, rate: float) -> list[Track]:
    """Tracks over time by which it moves whole tiles, as near to its speed as a loop allows; grain jumps."""
    time = scene.drivers.time
    if time is None:
        return []
    if made.word == "grain":
        return _jumps(layer, time)
    speed = made.falls()
    if speed is None:
        return []
    tracks = []
    sizes = (layer.art.width * layer.framing.scale, layer.art.height * layer.framing.scale)
    for axis, wanted, tile, goes_on in zip("xy", speed, sizes, made.tiles, strict=True):
        if not wanted or not goes_on:
            continue
        far = wanted * rate * time.duration
        whole = max(1, round(abs(far) / tile)) * tile if time.loop else abs(far)
        keys = (Key(at=0.0, value=0.0), Key(at=time.duration, value=round(math.copysign(whole, far), 3)))
        tracks.append(Track(target=layer.id, channel=axis, driver="time", keys=keys))
    return tracks


def _jumps(layer: Layer, time: TimeDriver) -> list[Track]:
    count = min(MOST_GRAINS, max(2, round(time.duration * GRAINS_A_SECOND)))
    random, found = np.random.default_rng(1), []
    for axis, size in (("x", layer.art.width), ("y", layer.art.height)):
        at = [round(float(value), 1) for value in random.uniform(-size / 2, size / 2, count)]
        keys = tuple(
            Key(at=round(i * time.duration / count, 4), value=value, ease="hold") for i, value in enumerate(at)
        )
        found.append(Track(target=layer.id, channel=axis, driver="time", keys=keys))
    return found


@edit("made-set")
def set_made(scene: Scene, values: Values) -> Edited:
    """Set fields of a layer's made art. Words take the room that they need, their middle staying where it is; what falls keeps
    to its speed."""
    layer = layer_of(scene, values)
    old = layer.art.made
    if old is None:
        raise BadEdit(f"{layer.label}: is no made art; choose a layer that is")
    fields = fields_of(type(old), values)
    if isinstance(old, Words) and {"text", "family", "font", "weight", "size"} & fields.keys():
        if "family" in fields:
            fields.setdefault("font", None)
        fields.setdefault("apart", ())  # letters were moved apart for the words as they were
    made = made_of({**old.model_dump(), **fields})
    size = {"width": layer.art.width, "height": layer.art.height}
    if isinstance(made, Words):
        size["width"], size["height"] = made.fitted()
    for side in ("width", "height"):
        if f"art_{side}" in values:
            size[side] = int(number(values[f"art_{side}"], side, 1, 16384, "px"))
    changed = layer.model_copy(update={"art": Art(made=made, **size)})
    scene = with_layer(scene, changed)
    if made.falls() != old.falls() or (made.falls() and size["width"] != layer.art.width):
        kept = tuple(t for t in scene.tracks if not (t.target == layer.id and t.driver == "time" and t.channel in "xy"))
        rate = rate_of(layer.depth, scene.lens_distance)
        scene = scene.model_copy(update={"tracks": (*kept, *_own_motion(scene, changed, made, rate))})
    return scene, f"{layer.label} made anew"


@edit("cast-shadow")
def cast_shadow(scene: Scene, values: Values) -> Edited:
    """Let a `layer` throw a shadow on level ground: its feet are `foot` art pixels below its art's top. From the key light, or
    from `towards` (degrees: 0 away from the viewer, 90 to the right) and the light's `height` above the ground in degrees.
    A shadow that it throws already is laid anew."""
    layer = layer_of(scene, values)
    if layer.art.made is not None and layer.art.made.looks_at():
        raise BadEdit(f"{layer.label}: is a shadow itself; choose the layer that throws it")
    if layer.depth == "infinite" or layer.tilt != Tilt():
        raise BadEdit(f"{layer.label}: does not stand on the ground; give it a depth and no tilt first")
    foot = number(values.get("foot", ""), "foot", 0, layer.art.height + 1)
    x, y = framed_at(layer, 0.0, foot - layer.art.height / 2)
    at = round(x, 3), round(y, 3)
    towards, height, lit = _direction(scene, values, at, layer.depth)
    lying = laid(Framing(x=at[0], y=at[1], scale=layer.framing.scale), towards, height)
    known = [x for x in scene.layers if isinstance(x.art.made, Shadow) and x.art.made.of == layer.id]
    if known:
        told = known[0].art.made
        art = known[0].art.model_copy(update={"made": told.model_copy(update={"lit": lit}) if told else None})
        return replace_layer(scene, known[0].id, art=art, **lying), f"{known[0].label} laid anew"
    width, high = cast_size(layer.art.width, layer.art.height)
    made = Shadow(of=layer.id, softness=4.0, grows=10.0, lit=lit)
    name = f"{layer.label}, shadow"[:200]
    shadow = Layer(
        id=id_from_name(f"{layer.id}-shadow", [x.id for x in scene.layers]), name=name, group=layer.group,
        art=Art(made=made, width=width, height=high), depth=layer.depth, frames=layer.frames, visible=layer.visible, **lying,
        blend="multiply", carrier=layer.id, takes=layer.takes.model_copy(update={"light": False}),
    )  # fmt: skip
    layers = list(scene.layers)
    layers.insert(layers.index(layer), shadow)
    return scene.model_copy(update={"layers": tuple(layers)}), f"{layer.label} throws a shadow"


def _direction(scene: Scene, values: Values, at: tuple[float, float], layer_depth: float) -> tuple[float, float, bool]:
    """Towards where, the light's height, and whether both come from the key light."""
    if values.get("towards", "").strip() or scene.light.key is None:
        towards = number(values.get("towards") or "40", "towards", -360, 360, "° deg")
        return towards, number(values.get("height") or "40", "height", LEAST_HEIGHT, MOST_HEIGHT, "° deg"), False
    return *light_on(scene, at, layer_depth), True
