"""Edits of recipes: steps added, set, moved, switched, taken out, copied to other layers; and a layer cut apart."""

import json
import math
from typing import Any, Literal, get_args, get_origin

from clinamen.core.bounds.fill_reach import reach_between
from clinamen.core.bounds.needs import Needs, shortage
from clinamen.core.document import MAX_LAYERS, Layer, Scene
from clinamen.core.edits.depth import moved_in_depth
from clinamen.core.edits.registry import Edited, Values, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.names import id_from_name
from clinamen.core.optics import depth_of, rate_of
from clinamen.core.parts import Part
from clinamen.core.prep.steps import STEPS, AnyStep, AssistedCut, Cut, Extend, Fill, Tidy
from clinamen.core.quantities import UNITS, counted, number, whole
from clinamen.core.recipes import made_step, recipe_of, with_steps

BEHIND = 0.75  # of the piece's rate: where what remains of a layer stands that was cut apart
SPARE_REACH = 4  # px filled beyond what the move uncovers
LEAST_REACH = 8
MOST_SHORT = 20_000  # px


def fields_of(kind: type[Part], values: Values) -> dict[str, Any]:
    """A step's fields from what was typed, each read as its kind wants it; `data` holds the rest as JSON."""
    fields: dict[str, Any] = {}
    if values.get("data"):
        try:
            loaded = json.loads(values["data"])
        except (ValueError, RecursionError):
            raise BadEdit("data: is not JSON; draw it again") from None
        if not isinstance(loaded, dict):
            raise BadEdit("data: is not an object; draw it again")
        fields |= loaded
    for name, field in kind.model_fields.items():
        if name in values and name not in ("step", "layer"):
            fields[name] = _read(field.annotation, values[name], name)
    if "other" in values and "layer" in kind.model_fields:  # `layer` names the layer that the step is on
        fields["layer"] = values["other"]
    return fields


def _read(kind: Any, text: str, name: str) -> Any:
    """What was typed, as its field wants it: text stays text, whatever it looks like."""
    if kind is bool:
        return text in ("1", "true", "on")
    if kind in (int, float):
        typed = number(text, name, units=" ".join(UNITS))
        return round(typed) if kind is int else typed
    if get_origin(kind) is Literal:
        return next((allowed for allowed in get_args(kind) if str(allowed) == text), text)
    return text


def _index(layer: Layer, values: Values) -> int:
    steps = recipe_of(layer).steps
    index = whole(values.get("index", ""))
    if index is None or index >= len(steps):
        raise BadEdit(f"{layer.label}: that step is no longer in its recipe; choose another")
    return index


@edit("step-add")
def add_step(scene: Scene, values: Values) -> Edited:
    """Add a step of kind `step` at the end of a layer's recipe, or `before` an index."""
    layer = layer_of(scene, values)
    kind = STEPS.get(values.get("step", ""))
    if kind is None:
        raise BadEdit(f"step: {values.get('step', '')!r} is not one of {', '.join(STEPS)}")
    step = made_step({"step": values["step"], **fields_of(kind, values)})
    steps = list(recipe_of(layer).steps)
    at = whole(values.get("before", ""))
    steps.insert(len(steps) if at is None else at, step)
    return with_layer(scene, with_steps(layer, steps)), f"{layer.label}: {step.lower}"


@edit("step-set")
def set_step(scene: Scene, values: Values) -> Edited:
    """Set fields of the step at `index`."""
    layer = layer_of(scene, values)
    index = _index(layer, values)
    steps = list(recipe_of(layer).steps)
    old = steps[index]
    given = fields_of(type(old), values)
    set_now = made_step({**old.model_dump(), **given}).revised(given.keys(), list(recipe_of(layer).frames())[index])
    steps[index] = made_step(set_now.model_dump())
    return with_layer(scene, with_steps(layer, steps)), f"{layer.label}: {old.lower} changed"


@edit("step-move")
def move_step(scene: Scene, values: Values) -> Edited:
    """Move the step at `index` `by` places, or `to` an index."""
    layer = layer_of(scene, values)
    index = _index(layer, values)
    steps = list(recipe_of(layer).steps)
    target = (
        int(number(values["to"], "to", 0, 200))
        if "to" in values
        else index + int(number(values["by"], "by", -200, 200))
    )
    step = steps.pop(index)
    steps.insert(max(0, min(len(steps), target)), step)
    return with_layer(scene, with_steps(layer, steps)), f"{layer.label}: {step.lower} moved"


@edit("step-remove")
def remove_step(scene: Scene, values: Values) -> Edited:
    """Take the step at `index` out."""
    layer = layer_of(scene, values)
    index = _index(layer, values)
    steps = list(recipe_of(layer).steps)
    step = steps.pop(index)
    return with_layer(scene, with_steps(layer, steps)), f"{layer.label}: {step.lower} taken out"


@edit("recipe-copy")
def copy_recipe(scene: Scene, values: Values) -> Edited:
    """Put a layer's steps at the end of those of the layers named in `to`, ids with spaces between; `replace`: in place of
    them."""
    layer = layer_of(scene, values)
    steps = recipe_of(layer).steps
    targets = [other for other in values.get("to", "").split() if other != layer.id]
    if not steps or not targets:
        raise BadEdit(f"{layer.label}: has no steps, or no other layer was chosen; choose layers to copy them to")
    for target in targets:
        other = layer_of(scene, {"layer": target})
        own = () if values.get("replace") == "1" else recipe_of(other).steps
        scene = with_layer(scene, with_steps(other, [*own, *steps]))
    how = "in place of their steps" if values.get("replace") == "1" else "after their steps"
    return scene, f"Recipe of {layer.label} copied to {counted(len(targets), 'layer')}, {how}"


@edit("cut-apart")
def cut_apart(scene: Scene, values: Values) -> Edited:
    """Make two layers of one at its cut at `index`: the piece in front, what remains behind it, the hole filled as far
    as the move uncovers it. At rest the picture stays what it was."""
    layer = layer_of(scene, values)
    index = _index(layer, values)
    steps = list(recipe_of(layer).steps)
    cut = steps[index]
    if not isinstance(cut, Cut):
        raise BadEdit(f"{layer.label}: {cut.lower} is no cut; choose a cut to take the layer apart at")
    if len(scene.layers) >= MAX_LAYERS:
        raise BadEdit(f"A scene holds at most {MAX_LAYERS} layers; take one out first")
    layer_id = id_from_name(f"{layer.id}-behind", [other.id for other in scene.layers])
    fill = Fill(behind=layer.id)
    rest_steps: list[AnyStep] = [*steps[:index], cut.model_copy(update={"invert": not cut.invert}), fill]
    rest = layer.model_copy(update={"id": layer_id, "name": f"{layer.label}, behind"[:200]})
    rest = with_steps(rest, rest_steps)
    rate = rate_of(rest.depth, scene.lens_distance)
    depth = depth_of(round(rate * BEHIND, 4), scene.lens_distance)
    rest = moved_in_depth(rest, depth if depth == "infinite" else round(depth, 1), scene.lens_distance, "framing")
    tracks = [track.model_copy(update={"target": layer_id}) for track in scene.tracks if track.target == layer.id]
    layers = list(scene.layers)
    layers.insert(layers.index(layer), rest)
    scene = scene.model_copy(update={"layers": tuple(layers), "tracks": (*scene.tracks, *tracks)})
    scene = with_layer(scene, with_fill_reach(scene, rest, len(rest_steps) - 1))
    return scene, f"{layer.label} cut apart: the piece, and what remains behind it"


def with_fill_reach(scene: Scene, layer: Layer, index: int) -> Layer:
    """The layer, its fill at `index` reaching as far as the move uncovers behind the layer it names."""
    steps = list(recipe_of(layer).steps)
    fill = steps[index]
    assert isinstance(fill, Fill)
    need = reach_between(scene, fill.behind, layer.id).pixels
    reach = float(max(LEAST_REACH, round(need + SPARE_REACH)))
    steps[index] = fill.model_copy(update={"reach": reach})
    return with_steps(layer, steps)


@edit("open-behind")
def open_behind(scene: Scene, values: Values) -> Edited:
    """Take the outline `nodes` (JSON, art px) of the layer `behind` out of a sheet, and fill the hole `reach` px in."""
    layer, piece = layer_of(scene, values), layer_of(scene, {"layer": values.get("behind", "")})
    try:
        nodes = json.loads(values.get("nodes", ""))
    except (ValueError, RecursionError):
        raise BadEdit("nodes: is not JSON; ask the proof again") from None
    reach = number(values.get("reach", ""), "reach", 0)
    steps = [
        made_step({"step": "outline", "nodes": nodes, "invert": True}),
        made_step({"step": "fill", "behind": piece.id, "reach": reach}),
    ]
    made = with_steps(layer, [*recipe_of(layer).steps, *steps])
    return with_layer(scene, made), f"{piece.label} taken out of {layer.label}, {reach:.0f} px filled behind it"


@edit("fill-reach")
def set_fill_reach(scene: Scene, values: Values) -> Edited:
    """Let the fill at `index` (the first fill where none is named) reach as far as the move uncovers."""
    layer = layer_of(scene, values)
    fills = [i for i, step in enumerate(recipe_of(layer).steps) if isinstance(step, Fill)]
    if not fills:
        raise BadEdit(f"{layer.label}: has no fill; add the step “{Fill.title}” first")
    index = _index(layer, values) if values.get("index") else fills[0]
    if index not in fills:
        raise BadEdit(f"{layer.label}: that step is no fill; choose another")
    made = with_fill_reach(scene, layer, index)
    step = recipe_of(made).steps[index]
    assert isinstance(step, Fill)
    return with_layer(scene, made), f"{layer.label}: filled {step.reach:.0f} px behind"


@edit("extend-needed")
def extend_as_needed(scene: Scene, values: Values) -> Edited:
    """Extend a layer by what the move needs on every side: in the extension at `index`, or a new one."""
    layer = layer_of(scene, values)
    steps = list(recipe_of(layer).steps)
    if not values.get("index"):
        steps.append(Extend())
    index = _index(layer, values) if values.get("index") else len(steps) - 1
    step = steps[index]
    if not isinstance(step, Extend):
        raise BadEdit(f"{layer.label}: that step does not extend; choose one that does")
    short = shortage(layer, Needs(scene).of(layer))
    if not all(value < MOST_SHORT for value in short.values()):
        raise BadEdit(f"{layer.label}: the move turns past its horizon; no extension is wide enough")
    needed = {side: max(0, getattr(step, side) + math.ceil(value)) for side, value in short.items()}
    steps[index] = step.model_copy(update=needed)
    if not any(needed.values()):
        raise BadEdit(f"{layer.label}: has all the art that the move needs")
    sides = ", ".join(f"{value} px {side}" for side, value in needed.items() if value)
    return with_layer(scene, with_steps(layer, steps)), f"{layer.label} extended: {sides}"


@edit("mark")
def add_mark(scene: Scene, values: Values) -> Edited:
    """Add a mark to the assisted cut at `index`: `data` holds it as JSON."""
    layer = layer_of(scene, values)
    index = _index(layer, values)
    step = recipe_of(layer).steps[index]
    if not isinstance(step, AssistedCut):
        raise BadEdit(f"{layer.label}: {step.lower} takes no marks; choose an assisted cut")
    mark = fields_of(AssistedCut, {"data": values.get("data", "")})
    return set_step(scene, {**values, "data": json.dumps({"marks": [*step.model_dump()["marks"], mark]})})


@edit("tidy")
def tidy_cut(scene: Scene, values: Values) -> Edited:
    """Tidy what a cut left, by the step that tidies after it: `islands` dropped and `holes` closed below so many px, solid
    beyond `solid` px. `index` names the cut; the last one where it is not named."""
    layer = layer_of(scene, values)
    steps = list(recipe_of(layer).steps)
    cuts = [i for i, step in enumerate(steps) if isinstance(step, Cut)]
    if not cuts:
        raise BadEdit(f"{layer.label}: has no cut to tidy; cut something out first")
    at = _index(layer, values) if values.get("index") else cuts[-1]
    wanted = {
        name: number(values[name], name, 0, 60000, "px") for name in ("islands", "holes", "solid") if name in values
    }
    after = at + 1
    if after < len(steps) and isinstance(steps[after], Tidy):
        steps[after] = made_step({**steps[after].model_dump(), **wanted})
    else:
        steps.insert(after, made_step({"step": "tidy", **wanted}))
    says = " · ".join(_TIDIED[name].format(value) for name, value in wanted.items())
    return with_layer(scene, with_steps(layer, steps)), f"{layer.label}: {says or 'tidied'}"


_TIDIED = {
    "islands": "islands below {:g} px dropped", "holes": "holes below {:g} px closed", "solid": "solid beyond {:g} px",
}  # fmt: skip
