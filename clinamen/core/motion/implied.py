"""What rate a layer's own start and end imply, beside the rate of its depth; and whether it goes level.

A layer that is moved by hand from a start to an end stands for one at some depth that the camera passes by. Where the
camera moves along the same axis, the layer's rate is what it is seen to move for each pixel of that; where it does not, the
other layers that are moved by hand say how far the camera would have gone (the one nearest to the picture plane).
"""

from dataclasses import dataclass

from clinamen.core.document import Layer, Scene
from clinamen.core.optics import Depth, depth_of, rate_of

STILL = 0.05  # px: less is no way
LEAST = 0.004  # a rate below this is that of an infinitely far layer


@dataclass(frozen=True)
class Implied:
    """Along `axis` the layer goes `travel` px by itself, measured against `against` (a layer's name; "": the camera); that is the
    rate `rate`, its depth's is `own`; `depth` has that rate, None where none has."""

    axis: str
    travel: float
    against: str
    rate: float
    own: float
    depth: Depth | None

    @property
    def fits(self) -> bool:
        return abs(self.rate - self.own) < 0.0005


def travel_of(scene: Scene, target: str, axis: str, driver: str) -> float:
    """How far a target goes by its keys from a driver's start to its end, in px."""
    found = (t for t in scene.tracks if t.keys and (t.target, t.channel, t.driver) == (target, axis, driver))
    return sum(track.keys[-1].value - track.keys[0].value for track in found)


def implied_rates(scene: Scene, layer: Layer, driver: str) -> list[Implied]:
    """For each axis along which the layer goes by itself and something says against what."""
    distance, found = scene.lens_distance, list[Implied]()
    own = rate_of(layer.depth, distance)
    for axis in ("x", "y"):
        travel = travel_of(scene, layer.id, axis, driver)
        if abs(travel) < STILL:
            continue
        camera, against = travel_of(scene, "camera", axis, driver), ""
        if abs(camera) >= STILL:
            rate = own - travel / camera
        else:
            others = [x for x in scene.layers if x.id != layer.id and x.depth != "infinite"]
            moved = [x for x in others if abs(travel_of(scene, x.id, axis, driver)) >= STILL]
            if not moved:
                continue
            other = min(moved, key=lambda x: abs(x.depth) if x.depth != "infinite" else 0.0)
            against = other.label
            rate = travel * rate_of(other.depth, distance) / travel_of(scene, other.id, axis, driver)
        depth: Depth | None = None
        if rate >= -LEAST:
            fits = depth_of(rate, distance) if rate >= LEAST else "infinite"
            depth = fits if fits == "infinite" else round(fits, 1) + 0.0
        found.append(Implied(axis, travel, against, rate, own, depth))
    return found


def off_level(scene: Scene, layer: Layer, driver: str) -> tuple[str, float] | None:
    """The axis that the layer's way is across to ("x" or "y") and how far it goes along it, where it goes along both."""
    x, y = (travel_of(scene, layer.id, axis, driver) for axis in ("x", "y"))
    if min(abs(x), abs(y)) < STILL:
        return None
    return ("y", y) if abs(x) >= abs(y) else ("x", x)
