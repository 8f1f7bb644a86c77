"""Edits of how sheets stand: lean and turn by number or by a hand in plan and section, floors, walls and ceilings."""

import math

from clinamen.core.document import Scene, Tilt
from clinamen.core.edits.depth import resting_rate
from clinamen.core.edits.registry import Edited, Values, choice, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.ground import PLANES, SHORT, laid_out
from clinamen.core.quantities import number, shown

SNAP = 1.5  # degrees: so near to straight a hand's angle is straight
STRAIGHT = (-180.0, -90.0, 0.0, 90.0, 180.0)


@edit("tilt")
def set_tilt(scene: Scene, values: Values) -> Edited:
    """How a layer leans and turns: by `lean`, `turn` in degrees; or by a hand at a place of plan (`hand` "turn") or section
    ("lean"): `at` 0…1 from rate `near` to 0, `across` view px from the centre, which the sheet then goes through on the
    `end` "high" (right, bottom) or "low"."""
    layer = layer_of(scene, values)
    tilt = {name: getattr(layer.tilt, name) for name in ("lean", "turn")}
    if "hand" in values:
        name = choice(values, "hand", ("lean", "turn"))
        tilt[name] = _through(scene, values)
    for name in tilt:
        if name in values:
            tilt[name] = number(values[name], name, -360, 360, "° deg")
    foot = None if any(tilt.values()) else layer.foot
    says = f"{layer.label} leans {shown(tilt['lean'], 1)}° and is turned {shown(tilt['turn'], 1)}°"
    return with_layer(scene, layer.model_copy(update={"tilt": Tilt(**tilt), "foot": foot})), says


def _through(scene: Scene, values: Values) -> float:
    """The angle at which a sheet, turned about its middle, runs through a place of the drawing."""
    layer, distance = layer_of(scene, values), scene.lens_distance
    rate = resting_rate(scene, layer)
    if rate == 0:
        raise BadEdit(f"{layer.label}: is infinitely far, where no angle is seen; give it a depth first")
    near = number(values.get("near", "1"), "near", 0.01, 1e6)
    there = max(near * (1 - number(values.get("at", ""), "at", 0, 1)), 1e-6)
    across = number(values.get("across", ""), "across", -1e7, 1e7)
    middle = layer.framing.x if values["hand"] == "turn" else layer.framing.y
    sign = -1 if values.get("end") == "low" else 1
    nearer, aside = distance * (1 - rate / there), across * rate / there - middle
    angle = math.degrees(math.atan2(sign * nearer, sign * aside))
    straight = min(STRAIGHT, key=lambda each: abs(each - angle))
    return round(straight if abs(straight - angle) < SNAP else angle, 2) + 0.0


@edit("lay-out")
def lay_out(scene: Scene, values: Values) -> Edited:
    """Make a layer a `plane`: a floor, a ceiling or a wall from the view's edge to near where such planes vanish, `away` px
    from the eye (the eye height where none is given; for walls half the view's width), or let it stand upright again."""
    layer = layer_of(scene, values)
    kind = choice(values, "plane", ("upright", *PLANES))
    if kind == "upright":
        framing = layer.framing.model_copy(update={"stretch": 1.0, "skew": 0.0})
        upright = layer.model_copy(update={"tilt": Tilt(), "framing": framing})
        return with_layer(scene, upright), f"{layer.label} stands upright"
    upward = PLANES[kind].axis == "y"
    usual = scene.ground.eye if upward else scene.view.width / 2
    typed = values.get("away", "").strip()
    away = number(typed, "distance from the eye", 1, 1e6, "px") if typed else usual
    within = SHORT * (scene.view.height if upward else scene.view.width)
    return with_layer(scene, laid_out(scene, layer, kind, away, within)), f"{layer.label} is {PLANES[kind].word}"
