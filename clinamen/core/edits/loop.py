"""The loop plan made an edit: a passing camera and layers that each repeat a whole number of times, as plain tracks."""

import json
from collections.abc import Mapping
from fractions import Fraction

from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits.changes import from_to
from clinamen.core.edits.registry import Edited, Values, edit, time_of
from clinamen.core.edits.scene import stretched, track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.cells import period
from clinamen.core.motion.loops import Loop, Row, plans
from clinamen.core.optics import rate_of
from clinamen.core.quantities import number, whole

MOST_REPEATS = 10_000


def looping_layers(scene: Scene) -> list[Layer]:
    """The layers that can close: those that repeat across and move with the camera."""
    return [layer for layer in seen_layers(scene) if layer.repeat.x != "none" and layer.depth != "infinite"]


def period_of(layer: Layer) -> float:
    """After how many view pixels a layer looks the same again."""
    return layer.art.width * layer.framing.scale * (2 if layer.repeat.x == "mirror" else 1)


def cycles_of(scene: Scene) -> dict[str, int]:
    """After how many of the scene's frames each actor that goes on and on is where it was, on a frame, by layer."""
    fps = time_of(scene, "loop").fps
    actors = [layer for layer in seen_layers(scene) if layer.frames and layer.frames.play != "once"]
    return {
        layer.id: Fraction(period(layer.frames) * fps).limit_denominator(1000).numerator
        for layer in actors
        if layer.frames
    }


def loop_plans(scene: Scene, speed: float, most: int, locked: Mapping[str, int]) -> list[Loop]:
    """The loops that a camera passing at `speed` scene pixels a second can make; `locked`: repeats by layer that are given."""
    layers, fps = looping_layers(scene), time_of(scene, "loop").fps
    if not layers:
        raise BadEdit("loop: no layer repeats across; let one repeat, in the room Art")
    rows = [
        Row(
            layer.label, period_of(layer), rate_of(layer.depth, scene.lens_distance) * speed / fps, locked.get(layer.id)
        )
        for layer in layers
    ]
    return plans(rows, tuple(cycles_of(scene).values()), most)


@edit("loop")
def close_loop(scene: Scene, values: Values) -> Edited:
    """Close the scene: `frames` long, the camera passing at `speed` pixels a second, each layer making its `repeats` (JSON, by
    layer). What the camera's own rate does not give, a layer's track across adds."""
    time = time_of(scene, "loop")
    speed, frames = number(values.get("speed", ""), "speed", -1e6, 1e6, "px"), whole(values.get("frames", ""))
    if not frames or speed == 0:
        raise BadEdit("loop: needs a speed other than 0 and how many frames it has")
    repeats = _repeats(values.get("repeats", ""))
    duration = frames / time.fps
    scene = stretched(scene, time.duration, duration)
    looped = time.model_copy(update={"duration": duration, "loop": True})
    scene = scene.model_copy(update={"drivers": scene.drivers.model_copy(update={"time": looped})})
    travel = speed * duration
    layers = [layer for layer in looping_layers(scene) if layer.id in repeats]
    gone = {("camera", "x"), *((layer.id, "x") for layer in layers)}
    others = [t for t in scene.tracks if t.driver != "time" or t.drift or (t.target, t.channel) not in gone]
    moved = [from_to(scene, "camera", "x", "time", 0, travel)]
    for layer in layers:
        wanted = repeats[layer.id] * period_of(layer) * (1 if speed > 0 else -1)
        own = rate_of(layer.depth, scene.lens_distance) * travel - wanted
        if abs(own) > 1e-6:
            moved.append(from_to(scene, layer.id, "x", "time", 0, own))
    return scene.model_copy(update={"tracks": (*others, *moved)}), f"Closes in {frames} frames, {duration:g} s"


def _repeats(text: str) -> dict[str, int]:
    try:
        given = json.loads(text)
        repeats = {str(layer): int(count) for layer, count in given.items()}
    except (ValueError, AttributeError, TypeError):
        raise BadEdit("loop: its repeats cannot be read; plan it anew") from None
    if not all(1 <= count <= MOST_REPEATS for count in repeats.values()):
        raise BadEdit(f"loop: a layer repeats from 1 to {MOST_REPEATS} times")
    return repeats


def passing_speed(scene: Scene) -> float:
    """How fast the camera passes by over time now, scene pixels a second; a walking pace where it does not."""
    track, time = track_of(scene, "camera", "time", "x"), scene.drivers.time
    if track is None or time is None or track.keys[-1].value == track.keys[0].value:
        return 120.0
    return round((track.keys[-1].value - track.keys[0].value) / time.duration, 1)
