"""The moves that a camera operator knows: what each does to the camera's channels for a size. A new move is one row here."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from clinamen.core.document import Scene

Travel = dict[str, float]  # by channel: how far it goes from where it rests


@dataclass(frozen=True)
class Move:
    """`unit` is "px" or "°", `size` what is usual for a view of 1920 px, `travel` what a size makes of the channels."""

    name: str
    unit: str
    size: float
    travel: Callable[[float, Scene], Travel]


def _rise(size: float, scene: Scene) -> Travel:
    """Up, looking down at what stands on the picture plane in the view's middle."""
    return {"y": -size, "pitch": -math.degrees(math.atan2(size, scene.lens_distance))}


def _through_lens(size: float, scene: Scene) -> Travel:
    """Forward while the lens opens: the picture plane keeps its size, all else does not."""
    return {"z": size, "zoom": max(0.05, 1 - size / scene.lens_distance)}


MOVES: dict[str, Move] = {
    "push-in": Move("push in", "px", 300, lambda size, scene: {"z": size}),
    "pull-back": Move("pull back", "px", 300, lambda size, scene: {"z": -size}),
    "truck": Move("truck", "px", 200, lambda size, scene: {"x": size}),
    "pedestal": Move("pedestal", "px", 200, lambda size, scene: {"y": size}),
    "arc": Move("arc round the target", "°", 10, lambda size, scene: {"arc": size}),
    "rise": Move("rise and look down", "px", 200, _rise),
    "lean-in": Move("drift in with a roll", "px", 250, lambda size, scene: {"z": size, "roll": size / 100}),
    "stretch": Move("push in while the lens opens", "px", 400, _through_lens),
}
