"""The moves that a camera operator knows: what each does to the camera's channels for a size. A new move is one row here."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from clinamen.core.document import Scene, seen_layers
from clinamen.core.optics import rate_of

Travel = dict[str, float]  # by channel: how far it goes from where it rests


@dataclass(frozen=True)
class Move:
    """`unit` is "px" or "°", `size` what is usual for a view of 1920 px (0: the scene says it), `travel` what a size makes of the
    channels."""

    name: str
    unit: str
    size: float
    travel: Callable[[float, Scene], Travel]

    def usual(self, scene: Scene) -> float:
        """The size where none is given."""
        return self.size or abs(_hidden_behind(scene)[1])


def _rise(size: float, scene: Scene) -> Travel:
    """Up, looking down at what stands on the picture plane in the view's middle."""
    return {"y": -size, "pitch": -math.degrees(math.atan2(size, scene.lens_distance))}


def _through_lens(size: float, scene: Scene) -> Travel:
    """Forward while the lens opens: the picture plane keeps its size, all else does not."""
    return {"z": size, "zoom": max(0.05, 1 - size / scene.lens_distance)}


def _hidden_behind(scene: Scene) -> tuple[str, float]:
    """The way along which the camera is soonest right behind the nearest layer, its middle in the view's: axis and px."""
    near = [x for x in seen_layers(scene) if x.depth != "infinite" and not x.repeats]
    if not near:
        return "x", scene.view.width / 2
    layer = min(near, key=lambda x: x.depth)
    rate = rate_of(layer.depth, scene.lens_distance)
    ways = {"x": layer.framing.x / rate, "y": layer.framing.y / rate}
    spans = {"x": layer.art.width * layer.framing.scale, "y": layer.art.height * layer.framing.scale}
    # a layer across the whole view hides it only when the camera goes the other way
    beside = [axis for axis in ways if abs(ways[axis]) * rate > spans[axis] / 2] or [
        axis for axis in ways if ways[axis]
    ]
    axis = min(beside, key=lambda each: abs(ways[each]), default="x")
    return axis, ways[axis] or scene.view.width / 2


def _reveal(size: float, scene: Scene) -> Travel:
    """Away from behind the nearest layer, which hides the picture at first."""
    axis, way = _hidden_behind(scene)
    return {axis: -math.copysign(size, way) if size > 0 else math.copysign(size, way)}


MOVES: dict[str, Move] = {
    "push-in": Move("push in", "px", 300, lambda size, scene: {"z": size}),
    "pull-back": Move("pull back", "px", 300, lambda size, scene: {"z": -size}),
    "truck": Move("truck", "px", 200, lambda size, scene: {"x": size}),
    "pedestal": Move("pedestal", "px", 200, lambda size, scene: {"y": size}),
    "arc": Move("arc round the target", "°", 10, lambda size, scene: {"arc": size}),
    "rise": Move("rise and look down", "px", 200, _rise),
    "lean-in": Move("drift in with a roll", "px", 250, lambda size, scene: {"z": size, "roll": size / 100}),
    "reveal": Move("reveal from behind the near layer", "px", 0, _reveal),
    "stretch": Move("push in while the lens opens", "px", 400, _through_lens),
}
