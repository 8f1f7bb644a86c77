"""Standing on level ground: what meets it y px below the horizon moves at the rate y / eye height; floors, walls and ceilings.

A plane in space is a plane in view place and rate too, so that one which ends at the horizon runs through it at rate 0. Two
places of it therefore say how it is framed, leant or turned, and how deep its middle stands. Source: single view metrology,
Criminisi, Reid and Zisserman 2000, section 2 (the vanishing line of a plane, heights from one view); the rest follows from
the placement formula.
"""

import math
from dataclasses import dataclass

from clinamen.core.document import Framing, Layer, Scene, Tilt, carried_depth
from clinamen.core.errors import BadEdit
from clinamen.core.optics import Depth, depth_of
from clinamen.core.stage.formula import framed_at

SPREAD = 1.5  # of the view: as wide as a floor is made at its near edge, so that a move finds some beside it
SHORT = 0.01  # of the view: as near as a sheet of finite size comes to the horizon


def rate_on_ground(scene: Scene, y: float) -> float:
    """The rate of what meets the ground `y` view pixels below the view's centre; BadEdit where there is no ground."""
    below = y - scene.ground.horizon
    if below <= 0:
        raise BadEdit("foot: is not below the horizon, where there is no ground; move it, or the horizon, first")
    return below / scene.ground.eye


def foot_at(layer: Layer) -> tuple[float, float] | None:
    """Where a layer's foot is seen at rest: view pixels from the view's centre; None without one."""
    return None if layer.foot is None else framed_at(layer, layer.foot.x, layer.foot.y)


def rounded(depth: Depth) -> Depth:
    """A depth as it is kept: to a tenth of a pixel, finer near the picture plane."""
    return depth if depth == "infinite" else round(depth, 1 if abs(depth) >= 10 else 3) + 0.0


def standing(scene: Scene, layer: Layer) -> Layer:
    """A layer at the depth that its foot says, what its carriers add taken off; as it is without one."""
    at = foot_at(layer)
    if at is None:
        return layer
    depth = depth_of(rate_on_ground(scene, at[1]), scene.lens_distance)
    assert depth != "infinite"  # the ground is never at the horizon itself
    return layer.model_copy(update={"depth": rounded(depth - carried_depth(scene, layer))})


@dataclass(frozen=True)
class Plane:
    """A kind of plane: along which axis of the view it recedes, on which side of the eye it lies, its word."""

    axis: str
    side: int
    word: str


PLANES = {
    "floor": Plane("y", 1, "a floor"),
    "ceiling": Plane("y", -1, "a ceiling"),
    "left-wall": Plane("x", -1, "a wall on the left"),
    "right-wall": Plane("x", 1, "a wall on the right"),
}


def laid_out(scene: Scene, layer: Layer, kind: str, away: float, within: float) -> Layer:
    """The layer as a floor, wall or ceiling `away` scene pixels from the eye, from the view's edge to `within` view pixels
    of where such a plane vanishes. What lies at its near edge is a little wider than the view."""
    plane, distance, view = PLANES[kind], scene.lens_distance, scene.view
    down = plane.axis == "y"
    size, across = (view.height, view.width) if down else (view.width, view.height)
    own, other = (layer.art.height, layer.art.width) if down else (layer.art.width, layer.art.height)
    vanishes = scene.ground.horizon if down else 0.0
    edge, far = plane.side * size / 2, vanishes + plane.side * within
    if (edge - far) * plane.side <= 0:
        raise BadEdit(
            f"{layer.label}: there is no room between the horizon and the view's edge; move the horizon first"
        )
    slope = math.atan2(distance, -vanishes)  # how far the plane leans back
    cos, sin = math.cos(slope), math.sin(slope)
    reach = (edge - far) * distance / (2 * distance * cos + (edge + far) * sin)  # from its middle to an edge
    middle = (edge * (distance - reach * sin) - distance * reach * cos) / distance
    nearer = (distance - reach * sin) / distance
    rate = (edge - vanishes) * plane.side / away * nearer
    wide = SPREAD * across * nearer / other  # scale across the plane
    long = 2 * abs(reach) / own
    angle = math.degrees(slope)
    if down:
        framing = Framing(y=middle, scale=wide, stretch=long / wide)
        tilt = Tilt(lean=angle if plane.side > 0 else angle - 180)
    else:
        framing = Framing(x=middle, scale=long, stretch=wide / long)
        tilt = Tilt(turn=angle if plane.side > 0 else angle - 180)
    depth = depth_of(rate, distance)
    return layer.model_copy(update={"framing": framing, "tilt": tilt, "depth": depth, "foot": None})
