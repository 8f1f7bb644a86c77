"""Edits of looks, a layer's or a group's: steps added, set, moved, taken out, copied; the scene's light; bringing together."""

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import ValidationError

from clinamen.core.document import KeyLight, Layer, Light, Scene, group_names, group_of, with_group
from clinamen.core.edits.changes import replace_layer
from clinamen.core.edits.recipes import fields_of
from clinamen.core.edits.registry import Edited, Values, edit, layer_of
from clinamen.core.errors import BadEdit
from clinamen.core.look.steps import LOOKS, AnyLook, Fade, Together, kind_of
from clinamen.core.look.steps.together import Lab
from clinamen.core.motion.states import State
from clinamen.core.optics import depth_of
from clinamen.core.quantities import counted, number, whole
from clinamen.core.recipes import checked, kind_among, said
from clinamen.core.stage import stage_at

MOST_LIGHT = 20.0
LEAST_RATE = 0.02  # of a key light that is dragged on the plan


@dataclass(frozen=True)
class Wearer:
    """Whose look is meant: a layer's, or a group's by its name."""

    scene: Scene
    layer: Layer | None
    group: str
    label: str

    @property
    def look(self) -> tuple[AnyLook, ...]:
        if self.layer is not None:
            return self.layer.look
        return group_of(self.scene, self.group).look

    def wearing(self, look: Sequence[AnyLook]) -> Scene:
        """The scene with this look on the wearer."""
        if self.layer is not None:
            return replace_layer(self.scene, self.layer.id, look=tuple(look))
        group = group_of(self.scene, self.group).model_copy(update={"look": tuple(look)})
        return with_group(self.scene, group)


def wearer_of(scene: Scene, values: Values) -> Wearer:
    """The group that `group` names, else the layer that `layer` names."""
    group = values.get("group", "")
    if not group:
        layer = layer_of(scene, values)
        return Wearer(scene, layer, "", layer.label)
    if not any(group in group_names(layer.group) for layer in scene.layers):
        raise BadEdit(f"{group}: no layer is in that group any more; choose another")
    return Wearer(scene, None, group, group)


def made_look(fields: dict[str, object]) -> AnyLook:
    """A step from plain data with its kind under "step"; BadEdit says what is wrong with it."""
    kind = kind_among(LOOKS, "step", fields)
    return checked(kind, kind.title, fields)


def _index(wearer: Wearer, values: Values) -> int:
    index = whole(values.get("index", ""))
    if index is None or index >= len(wearer.look):
        raise BadEdit(f"{wearer.label}: that step is no longer in its look; choose another")
    return index


@edit("look-add")
def add_look(scene: Scene, values: Values) -> Edited:
    """Add a step of kind `step` at the end of a look."""
    wearer = wearer_of(scene, values)
    kind = LOOKS.get(values.get("step", ""))
    if kind is None:
        raise BadEdit(f"step: {values.get('step', '')!r} is not one of {', '.join(LOOKS)}")
    step = made_look({"step": kind_of(kind), **fields_of(kind, values)})
    return wearer.wearing([*wearer.look, step]), f"{wearer.label}: {step.lower}"


@edit("look-set")
def set_look(scene: Scene, values: Values) -> Edited:
    """Set fields of the step at `index`."""
    wearer = wearer_of(scene, values)
    index, look = _index(wearer, values), list(wearer.look)
    look[index] = made_look({**look[index].model_dump(), **fields_of(type(look[index]), values)})
    return wearer.wearing(look), f"{wearer.label}: {look[index].lower} changed"


@edit("look-move")
def move_look(scene: Scene, values: Values) -> Edited:
    """Move the step at `index` `by` places."""
    wearer = wearer_of(scene, values)
    index, look = _index(wearer, values), list(wearer.look)
    step = look.pop(index)
    look.insert(max(0, min(len(look), index + int(number(values.get("by", ""), "by", -100, 100)))), step)
    return wearer.wearing(look), f"{wearer.label}: {step.lower} moved"


@edit("look-remove")
def remove_look(scene: Scene, values: Values) -> Edited:
    """Take the step at `index` out."""
    wearer = wearer_of(scene, values)
    index, look = _index(wearer, values), list(wearer.look)
    step = look.pop(index)
    return wearer.wearing(look), f"{wearer.label}: {step.lower} taken out"


@edit("look-copy")
def copy_look(scene: Scene, values: Values) -> Edited:
    """Put a look at the end of those of the layers named in `to`, ids with spaces between; `replace`: in place of them."""
    wearer = wearer_of(scene, values)
    targets = [layer_of(scene, {"layer": name}) for name in values.get("to", "").split()]
    targets = [layer for layer in targets if wearer.layer is None or layer.id != wearer.layer.id]
    if not wearer.look or not targets:
        raise BadEdit(f"{wearer.label}: has no look, or no other layer was chosen; choose layers to copy it to")
    for layer in targets:
        own = () if values.get("replace") == "1" else layer.look
        scene = replace_layer(scene, layer.id, look=(*own, *wearer.look))
    return scene, f"Look of {wearer.label} copied to {counted(len(targets), 'layer')}"


@edit("fade-at")
def fade_at(scene: Scene, values: Values) -> Edited:
    """Put an end of the fade at `index` of a layer's look, `end` "whole" or "gone", to a point `x`, `y` of the view, seen from
    the resting camera."""
    layer = layer_of(scene, values)
    wearer = Wearer(scene, layer, "", layer.label)
    index, look = _index(wearer, values), list(layer.look)
    step = look[index]
    if not isinstance(step, Fade):
        raise BadEdit(f"{layer.label}: {step.lower} has no ends to drag; choose a fade")
    matrix = stage_at(scene, State())[layer.id].matrix[0]
    point = np.array([number(values.get(axis, ""), axis, -1e6, 1e6) for axis in "xy"] + [1.0])
    a, b, w = np.linalg.solve(matrix, point)
    x, y = (round(float(value / w * layer.framing.scale), 1) for value in (a, b))
    whole_end = values.get("end") == "whole"
    look[index] = step.model_copy(update={"x": x, "y": y} if whole_end else {"to_x": x, "to_y": y})
    return wearer.wearing(look), f"{layer.label}: fade changed"


@edit("bring-together")
def bring_together(scene: Scene, values: Values) -> Edited:
    """Bring layers together in colour: `data` holds the statistics of each as JSON ({id: {mean, spread}}), `other` the layer that
    is the reference, nothing for the mean of all; `strength`. What brought them together before is taken out."""
    try:
        told = {name: Lab.model_validate(lab) for name, lab in json.loads(values.get("data", "")).items()}
    except (ValueError, AttributeError, ValidationError):
        raise BadEdit("data: holds no statistics of layers; choose the layers again") from None
    reference = values.get("other", "")
    chosen = [layer_of(scene, {"layer": name}) for name in told if name != reference]
    if not chosen or len(told) < 2:
        raise BadEdit("Bring together: one layer alone has nothing to come near to; choose two or more")
    goal = told[reference] if reference in told else _mean(list(told.values()))
    strength = number(values.get("strength", "0.6"), "strength", 0, 1, "%")
    for layer in chosen:
        kept = [step for step in layer.look if not isinstance(step, Together)]
        step = Together(strength=strength, own=told[layer.id], other=goal)
        scene = replace_layer(scene, layer.id, look=(step, *kept) if strength else tuple(kept))
    return scene, f"{counted(len(chosen), 'layer')} brought together by {100 * strength:.0f} %"


def _mean(labs: list[Lab]) -> Lab:
    """Their own mean, and the mean of how far they spread (root of the mean square)."""
    mean = np.mean([lab.mean for lab in labs], axis=0)
    spread = np.sqrt(np.mean(np.square([lab.spread for lab in labs]), axis=0))
    return Lab(mean=tuple(float(v) for v in mean), spread=tuple(float(v) for v in spread))


@edit("light")
def set_light(scene: Scene, values: Values) -> Edited:
    """The scene's light: `ambient` and `colour`; a key light by `on` "1" or "0", its `x`, `y`, `depth`, `reach`, `level`,
    `key_colour`; `to_x`, `to_y`: a point of the view that it is dragged to."""
    light = scene.light
    made, key = light.model_dump(), light.key
    if "ambient" in values:
        made["ambient"] = number(values["ambient"], "ambient", 0, MOST_LIGHT, "%")
    if "colour" in values:
        made["colour"] = values["colour"].lower()
    if "on" in values:
        key = _usual_key(scene) if values["on"] == "1" else None
        if key is not None and light == Light():
            made["ambient"] = 0.5  # beside a key light all would be as bright as before, and brighter where it is
    given = _given(scene, values)
    if given and key is None:
        raise BadEdit("Key light: is switched off; switch it on first")
    try:
        changed = Light.model_validate({**made, "key": {**key.model_dump(), **given} if key else None})
    except ValidationError as error:
        raise BadEdit(f"Light: {said(error)}") from None
    return scene.model_copy(update={"light": changed}), "Light changed"


def _given(scene: Scene, values: Values) -> dict[str, object]:
    """What is said of the key light."""
    nearest = -scene.lens_distance * 0.999
    lows = {"x": -1e9, "y": -1e9, "depth": nearest, "reach": 1e-3, "level": 0.0}
    given: dict[str, object] = {
        name: number(values[name], name, low, 1e9, "px %") for name, low in lows.items() if name in values
    }
    if "at" in values:  # on the plan: across in view px from the middle, along by rate
        near = number(values.get("near", "1"), "near", 0.01, 1e6)
        rate = max(near * (1 - number(values["at"], "at", 0, 1)), LEAST_RATE)
        given["depth"] = round(float(depth_of(rate, scene.lens_distance)), 1)
        given["x"] = round(number(values.get("across", ""), "across", -1e6, 1e6), 1)
    if "to_x" in values:
        given["x"] = round(number(values["to_x"], "x", -1e6, 1e6) - scene.view.width / 2, 1)
        given["y"] = round(number(values.get("to_y", ""), "y", -1e6, 1e6) - scene.view.height / 2, 1)
    if "key_colour" in values:
        given["colour"] = values["key_colour"].lower()
    return given


def _usual_key(scene: Scene) -> KeyLight:
    view = scene.view
    return KeyLight(
        x=round(-view.width / 6), y=round(-view.height / 5), depth=0, reach=round(math.hypot(view.width, view.height) / 3),
        level=1.0, colour="#ffd9a0",
    )  # fmt: skip
