"""Edits of the lens: by focal length, by one of its angles, by its sensor; and what a change does to every rate."""

import math
from dataclasses import dataclass

from clinamen.core.document import Layer, Lens, Scene, Track, nearest_depths
from clinamen.core.document.scene import NEAREST
from clinamen.core.edits.depth import resting_rate
from clinamen.core.edits.registry import Edited, Values, edit
from clinamen.core.optics import angle_of_view, focal_length_for
from clinamen.core.quantities import number

ANGLES = {
    "angle": "angle of view across",
    "angle_down": "angle of view up and down",
    "angle_aslant": "angle of view from corner to corner",
}


def sensor_sides(scene: Scene) -> dict[str, float]:
    """How long the sensor is, in millimetres, along what each angle of view is measured: its height follows the view's."""
    width = scene.lens.sensor_width
    height = width * scene.view.height / scene.view.width
    return {"angle": width, "angle_down": height, "angle_aslant": math.hypot(width, height)}


def angles_of(scene: Scene) -> dict[str, float]:
    """The lens's angles of view in degrees: across, up and down, from corner to corner."""
    return {name: angle_of_view(scene.lens.focal_length, side) for name, side in sensor_sides(scene).items()}


def asked_lens(scene: Scene, values: Values) -> Lens:
    """The lens that values say: by `focal_length` or one of the ANGLES, and `sensor_width`."""
    lens = scene.lens
    width = (
        number(values["sensor_width"], "sensor width", 0.1, 1000, "mm cm")
        if values.get("sensor_width")
        else lens.sensor_width
    )
    sides = sensor_sides(scene.model_copy(update={"lens": lens.model_copy(update={"sensor_width": width})}))
    focal = lens.focal_length
    if values.get("focal_length"):
        focal = number(values["focal_length"], "focal length", 0.1, 10000, "mm cm m")
    for name, what in ANGLES.items():
        if values.get(name):
            focal = focal_length_for(number(values[name], what, 0, 180, "° deg"), sides[name])
    return lens.model_copy(update={"focal_length": round(focal, 4), "sensor_width": width})


@edit("lens")
def set_lens(scene: Scene, values: Values) -> Edited:
    """Another lens. What is kept `lens_keeps`: the "rates", so that the move looks the same and depths change; or the "depths",
    so that every rate changes."""
    lens = asked_lens(scene, values)
    changed = scene.model_copy(update={"lens": lens})
    says = f"Lens of {lens.focal_length:g} mm"
    if values.get("lens_keeps") == "depths":
        return changed, f"{says}, every depth kept"
    return with_rates_kept(scene, changed), says


def with_rates_kept(before: Scene, after: Scene) -> Scene:
    """A scene seen over another lens distance, with every rate as it was before: depths of layers, carriers and the camera's
    target, and tracks of depth, are as many times as large."""
    ratio = after.lens_distance / before.lens_distance

    def scaled(depth: float) -> float:
        return round(depth * ratio, 2) + 0.0

    def keyed(track: Track) -> Track:
        if track.channel != "depth":
            return track
        if track.drift is not None:
            return track.model_copy(
                update={"drift": track.drift.model_copy(update={"reach": scaled(track.drift.reach)})}
            )
        keys = tuple(key.model_copy(update={"value": scaled(key.value)}) for key in track.keys)
        return track.model_copy(update={"keys": keys})

    layers = tuple(
        layer if layer.depth == "infinite" else layer.model_copy(update={"depth": scaled(layer.depth)})
        for layer in after.layers
    )
    carriers = tuple(each.model_copy(update={"depth": scaled(each.depth)}) for each in after.carriers)
    target = after.camera.target.model_copy(update={"depth": scaled(after.camera.target.depth)})
    return after.model_copy(
        update={
            "layers": layers, "carriers": carriers, "camera": after.camera.model_copy(update={"target": target}),
            "tracks": tuple(keyed(track) for track in after.tracks),
        }
    )  # fmt: skip


@dataclass(frozen=True)
class RateChange:
    """Effect of another lens on one layer whose depth stays; no rate `after` where it would be behind the eye at some moment."""

    layer: Layer
    before: float
    after: float | None


def rate_changes(scene: Scene, lens: Lens) -> list[RateChange]:
    """Return the effect of another lens on every rate while depths stay, the farthest layer first."""
    changed = scene.model_copy(update={"lens": lens})
    limit = -changed.lens_distance * (1 - NEAREST)
    behind = {layer.id for _, layer, lowest in nearest_depths(scene) if lowest <= limit}
    told = [
        RateChange(layer, resting_rate(scene, layer), None if layer.id in behind else resting_rate(changed, layer))
        for layer in scene.layers
    ]
    return sorted(told, key=lambda each: each.before)


def shortest_lens(scene: Scene) -> float:
    """The shortest focal length, in tenths of a millimetre, with which every layer stays before the eye while depths stay; 0
    where any does."""
    nearest = min((lowest for *_, lowest in nearest_depths(scene)), default=0.0)
    distance = -nearest / (1 - NEAREST)  # that the lens distance must be greater than
    if distance <= 0:
        return 0.0
    return math.floor(10 * distance * scene.lens.focal_length / scene.lens_distance) / 10 + 0.1
