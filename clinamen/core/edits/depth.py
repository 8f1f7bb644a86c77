"""Edits of how far layers are: one by one, several together, on the ground, at another's rate."""

from typing import Any

from clinamen.core.document import Foot, Layer, Scene, carried_depth, resting_depth
from clinamen.core.edits.locks import locked
from clinamen.core.edits.registry import Edited, Values, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.ground import rate_on_ground, rounded, standing
from clinamen.core.optics import Depth, depth_of, rate_of
from clinamen.core.pictures.showing import foot_in
from clinamen.core.quantities import number, shown
from clinamen.core.stage.formula import art_under

MOST_RATE = 1000.0  # typed; what is so near passes by in a moment
INFINITE_BELOW = 0.004  # dragged to a rate below this, a layer is infinitely far


def moved_in_depth(layer: Layer, depth: Depth, distance: float, hold: str, beyond: float = 0.0) -> Layer:
    """The layer at another depth. `hold` "framing" keeps how it looks at rest; "size" keeps its true size, so x, y and
    scale change by k(new) / k(old). It stands where it was put then, not where its foot was. `beyond`: what carriers add."""
    changes_: dict[str, Any] = {"depth": depth, "foot": None}
    if hold == "size":
        old, new = (rate_of(each if each == "infinite" else each + beyond, distance) for each in (layer.depth, depth))
        if old == 0 or new == 0:
            raise BadEdit(f"{layer.label}: an infinitely far layer has no true size to keep; keep how it looks instead")
        factor = new / old
        framing = layer.framing
        changes_["framing"] = framing.model_copy(
            update={"x": framing.x * factor, "y": framing.y * factor, "scale": framing.scale * factor}
        )
    return layer.model_copy(update=changes_)


def resting_rate(scene: Scene, layer: Layer) -> float:
    """The rate of a layer at rest, what its carriers add to its depth included."""
    return rate_of(resting_depth(scene, layer), scene.lens_distance)


def by_rate(scene: Scene, layers: tuple[Layer, ...] | None = None) -> list[Layer]:
    """Layers from the farthest to the nearest; those at one rate in drawing order."""
    return sorted(scene.layers if layers is None else layers, key=lambda layer: resting_rate(scene, layer))


def put(scene: Scene, layer: Layer, depth: Depth, hold: str) -> Scene:
    """The scene with a layer resting at a depth: what its carriers add is taken off its own."""
    beyond = carried_depth(scene, layer)
    depth = depth if depth == "infinite" else depth - beyond
    return with_layer(scene, moved_in_depth(layer, rounded(depth), scene.lens_distance, hold, beyond))


@edit("depth")
def set_depth(scene: Scene, values: Values) -> Edited:
    """Depth by `depth`, by `front` (how far before the picture plane), by `rate`, by a layer whose rate is matched (`as`),
    or by a place on a drawing (`at` 0…1 from rate `near` to 0). `stops`: a hand does not push it past its neighbours.
    Where it is one of the `many`, all of them are moved by as much."""
    layer, distance = layer_of(scene, values), scene.lens_distance
    depth, by_hand = _wanted(scene, values)
    hold, many = values.get("hold", "framing"), _together(scene, layer, values)
    stop = None
    if by_hand and values.get("stops") == "1":
        depth, stop = _between_neighbours(scene, layer, depth, many)
    was = resting_depth(scene, layer)
    if len(many) > 1 and was != "infinite" and depth != "infinite":
        away = depth - was
        limit = -distance * 0.999
        for each in many:
            if (rests := resting_depth(scene, each)) != "infinite":
                scene = put(scene, each, max(rests + away, limit), hold)
        return scene, f"{len(many)} layers moved {shown(abs(away), 0)} px {'farther' if away > 0 else 'nearer'}"
    place = "infinitely far" if depth == "infinite" else f"at depth {shown(rounded(depth), 1)}"  # type: ignore[arg-type]
    says = f"{layer.label} stops at {stop.label}, {place}" if stop else f"{layer.label} {place}"
    return put(scene, layer, depth, hold), says


def _wanted(scene: Scene, values: Values) -> tuple[Depth, bool]:
    """The depth that values say, and whether a hand says it by moving something."""
    distance = scene.lens_distance
    if "at" in values:
        near = number(values.get("near", "1"), "near", 0.01, 1e6)
        rate = near * (1 - number(values["at"], "at", 0, 1))
        return ("infinite" if rate < INFINITE_BELOW else depth_of(rate, distance)), True
    if values.get("as"):
        other = layer_of(scene, {"layer": values["as"]})
        return resting_depth(scene, other), False
    if "rate" in values:
        return depth_of(number(values["rate"], "rate", 0, MOST_RATE, "× x %"), distance), bool(values.get("nudge"))
    if "front" in values:
        return -number(values["front"], "distance in front", -1e9, 1e9, "px"), False
    text = values.get("depth", "").strip().casefold()
    far = text in ("infinite", "infinity", "∞")
    return ("infinite" if far else number(text, "depth", -1e9, 1e9, "px")), False


def _together(scene: Scene, layer: Layer, values: Values) -> list[Layer]:
    """The layers that are moved with this one: all that are chosen and not locked, where it is among them."""
    ids = values.get("many", "").split()
    if layer.id not in ids:
        return [layer]
    return [each for each in scene.layers if each is layer or (each.id in ids and not locked(scene, each))]


def _between_neighbours(scene: Scene, layer: Layer, depth: Depth, moved: list[Layer]) -> tuple[Depth, Layer | None]:
    """The depth, no farther than the next layer behind and no nearer than the next before it, and the one that stops it."""
    distance = scene.lens_distance
    ids = {each.id for each in moved}
    order = by_rate(scene)
    at = [each.id for each in order].index(layer.id)
    behind = [each for each in order[:at] if each.id not in ids]
    before = [each for each in order[at + 1 :] if each.id not in ids]
    rate = rate_of(depth, distance)
    if behind and rate < (least := resting_rate(scene, behind[-1])):
        return (depth_of(least, distance) if least else "infinite"), behind[-1]
    if before and rate > (most := resting_rate(scene, before[0])):
        return (depth_of(most, distance) if most else "infinite"), before[0]
    return depth, None


@edit("foot", by_what_shows=True)
def set_foot(scene: Scene, values: Values) -> Edited:
    """Where a layer meets the ground: the place `x`, `y` of the view (px from its top left corner at rest), from which its depth
    follows from now on; `off` takes the foot away and leaves it where it stands. Without a place: the
    lowest place of the view where its art is opaque, and where that is not known the middle of its lower edge."""
    layer = layer_of(scene, values)
    if values.get("off"):
        return with_layer(scene, layer.model_copy(update={"foot": None})), f"{layer.label} stands by itself"
    if layer.tilt.lean or layer.tilt.turn:
        raise BadEdit(f"{layer.label}: leans or is turned; let it stand upright first")
    if "x" in values:
        x = number(values["x"], "foot across", -1e6, 1e6, "px") - scene.view.width / 2
        y = number(values["y"], "foot down", -1e6, 1e6, "px") - scene.view.height / 2
        rate_on_ground(scene, y)
        a, b = art_under(layer, x, y)
    else:
        a, b = foot_in(values, layer)
    grounded = layer.model_copy(update={"foot": Foot(x=round(a, 2), y=round(b, 2))})
    return with_layer(scene, standing(scene, grounded)), f"{layer.label} stands on the ground"


@edit("ground")
def set_ground(scene: Scene, values: Values) -> Edited:
    """The ground: its `horizon` in px below the view's centre or `horizon_at` below the view's top, the height of the `eye`,
    or the place `meets_at` below the view's top where it meets the picture plane. All layers with a foot stand on it anew."""
    ground, middle = scene.ground, scene.view.height / 2
    horizon, eye = ground.horizon, ground.eye
    if "horizon_at" in values:
        horizon = number(values["horizon_at"], "horizon", -1e6, 1e6, "px") - middle
    elif "horizon" in values:
        horizon = number(values["horizon"], "horizon", -1e6, 1e6, "px")
    if "meets_at" in values:
        eye = number(values["meets_at"], "where the ground meets the picture plane", -1e6, 1e6, "px") - middle - horizon
        if eye < 1:
            raise BadEdit("eye: the ground must meet the picture plane below the horizon; drag its line farther down")
    elif "eye" in values:
        eye = number(values["eye"], "eye height", 1, 1e6, "px")
    ground = ground.model_copy(update={"horizon": round(horizon, 2), "eye": round(eye, 2)})
    scene = scene.model_copy(update={"ground": ground})
    scene = scene.model_copy(update={"layers": tuple(standing(scene, layer) for layer in scene.layers)})
    return scene, f"Horizon {shown(middle + horizon, 0)} px down, the eye {shown(eye, 0)} px above the ground"
