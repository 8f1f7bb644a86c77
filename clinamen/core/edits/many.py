"""Edits of many layers at once: into a group, shown or hidden, reordered, taken out; and rules by name."""

import fnmatch
import itertools
import json
import math
from collections.abc import Sequence
from typing import Any

from clinamen.core.bounds.needs import SIDES
from clinamen.core.document import Layer, Scene, channels_of, group_names, resting_depth_px
from clinamen.core.edits import changes
from clinamen.core.edits.carry import without_bearers
from clinamen.core.edits.registry import Edited, Values, choice, edit, layer_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import counted, number
from clinamen.core.recipes import extended


def _chosen(scene: Scene, values: Values) -> list[Layer]:
    """The layers named in `layers` (ids with spaces between), or by the pattern `match` over their names."""
    pattern = values.get("match", "").strip()
    if pattern:
        wanted = pattern.casefold()
        found = [
            layer for layer in scene.layers
            if fnmatch.fnmatchcase(layer.label.casefold(), wanted) or fnmatch.fnmatchcase(layer.id.casefold(), wanted)
        ]  # fmt: skip
        if not found:
            raise BadEdit(f"match: no layer is called like {pattern!r}; use * for any letters, as in “far *”")
        return found
    ids = set(values.get("layers", "").split())
    found = [layer for layer in scene.layers if layer.id in ids]
    if not found:
        raise BadEdit("No layer is chosen; choose some first")
    return found


def _count(layers: list[Layer]) -> str:
    return layers[0].label if len(layers) == 1 else f"{len(layers)} layers"


def _changed(scene: Scene, chosen: list[Layer], **changes: object) -> Scene:
    ids = {layer.id for layer in chosen}
    layers = tuple(layer.model_copy(update=changes) if layer.id in ids else layer for layer in scene.layers)
    return scene.model_copy(update={"layers": layers})


@edit("group")
def group(scene: Scene, values: Values) -> Edited:
    """Put layers into the group called `group`; an empty name takes them out of theirs."""
    chosen, name = _chosen(scene, values), values.get("group", "").strip()[:200]
    says = f"{_count(chosen)} put into {name}" if name else f"{_count(chosen)} taken out of the group"
    return _changed(scene, chosen, group=name), says


@edit("show-many")
def show_many(scene: Scene, values: Values) -> Edited:
    """Show or hide layers."""
    chosen, shown = _chosen(scene, values), values.get("visible") in ("1", "true", "on")
    return _changed(scene, chosen, visible=shown), f"{_count(chosen)} {'shown' if shown else 'hidden'}"


@edit("order-many")
def order_many(scene: Scene, values: Values) -> Edited:
    """Move layers together in drawing order: `before` the layer of that id, or to the very front where it is empty. Between two
    layers of one group they join it; away from the rest of their own they leave it, so that no group is split."""
    chosen = _chosen(scene, values)
    ids = {layer.id for layer in chosen}
    others = [layer for layer in scene.layers if layer.id not in ids]
    before = values.get("before", "")
    places = [index for index, layer in enumerate(others) if layer.id == before]
    if before and not places:
        raise BadEdit("order: they cannot stand before themselves; choose another place")
    at = places[0] if places else len(others)
    around = [layer.group for layer in others[max(0, at - 1) : at + 1]]
    joined = around[0] if len(around) == 2 and around[0] == around[1] else ""
    elsewhere = {layer.group for layer in others} - set(around)
    moved = [
        layer.model_copy(update={"group": joined or ("" if layer.group in elsewhere else layer.group)})
        for layer in chosen
    ]
    says = f"{_count(chosen)} moved in drawing order"
    changed = [layer for layer, before_it in zip(moved, chosen, strict=True) if layer.group != before_it.group]
    if changed:
        says += f", into {joined}" if joined else ", out of the group"
    return scene.model_copy(update={"layers": (*others[:at], *moved, *others[at:])}), says


@edit("step-many")
def step_many(scene: Scene, values: Values) -> Edited:
    """Move layers together one place later (`by` 1) or earlier (−1) in drawing order."""
    chosen = _chosen(scene, values)
    ids = {layer.id for layer in chosen}
    layers = list(scene.layers)
    later = values.get("by", "1") == "1"
    order = range(len(layers) - 2, -1, -1) if later else range(1, len(layers))
    for index in order:
        neighbour = index + (1 if later else -1)
        if layers[index].id in ids and layers[neighbour].id not in ids:
            layers[index], layers[neighbour] = layers[neighbour], layers[index]
    return scene.model_copy(update={"layers": tuple(layers)}), f"{_count(chosen)} moved in drawing order"


@edit("order-by-depth")
def order_by_depth(scene: Scene, values: Values) -> Edited:
    """Draw layers by their depth at rest, the farthest first, in the places that they have together; other layers keep theirs.
    Layers of a group stay side by side, where their farthest stands."""
    chosen = _chosen(scene, values)
    ids = {layer.id for layer in chosen}
    depths = {layer.id: resting_depth_px(scene, layer) for layer in chosen}
    farthest = dict[str, float]()
    for layer in chosen:
        for name in group_names(layer.group):
            farthest[name] = max(farthest.get(name, -math.inf), depths[layer.id])

    def place(layer: Layer) -> list[tuple[float, str]]:
        return [*((-farthest[name], name) for name in reversed(group_names(layer.group))), (-depths[layer.id], "")]

    ordered = iter(sorted(chosen, key=place))
    layers = tuple(next(ordered) if layer.id in ids else layer for layer in scene.layers)
    split = _split_groups(layers) - _split_groups(scene.layers)
    if split:
        raise BadEdit(
            f"order: {min(split)} would be drawn in two parts; move its layers by hand, or take them out of the group"
        )
    return scene.model_copy(update={"layers": layers}), f"{_count(chosen)} drawn by depth"


def _split_groups(layers: Sequence[Layer]) -> set[str]:
    """Groups whose layers are not drawn side by side."""
    runs = itertools.groupby(layers, key=lambda layer: layer.group)
    outside, seen = set[str](), set[str]()
    last = set[str]()
    for group, _ in runs:
        now = set(group_names(group))
        outside |= (now - last) & seen
        seen |= now
        last = now
    return outside


@edit("remove-many")
def remove_many(scene: Scene, values: Values) -> Edited:
    """Take layers out, with their tracks."""
    chosen = _chosen(scene, values)
    ids = {layer.id for layer in chosen}
    return without_bearers(scene, ids), f"{_count(chosen)} taken out"


@edit("rename-many")
def rename_many(scene: Scene, values: Values) -> Edited:
    """Rename layers: `to` with # for a number that counts up in drawing order, as in “Pillar #”."""
    chosen, to = _chosen(scene, values), values.get("to", "").strip()[:190]
    if not to:
        raise BadEdit("to: is empty; type a name, with # for the number")
    names = {layer.id: to.replace("#", str(n)) if "#" in to else to for n, layer in enumerate(chosen, 1)}
    layers = tuple(
        layer.model_copy(update={"name": names[layer.id]}) if layer.id in names else layer for layer in scene.layers
    )
    return scene.model_copy(update={"layers": layers}), f"{_count(chosen)} renamed"


def _told_of(values: Values, name: str) -> dict[str, Any]:
    """Read what is told of several layers by id, as JSON."""
    try:
        told = json.loads(values.get(name, ""))
    except (ValueError, RecursionError):
        told = None
    if not isinstance(told, dict) or not told:
        raise BadEdit(f"{name}: is not told of layers by their ids; ask the proof again")
    return told


@edit("scale-many")
def scale_many(scene: Scene, values: Values) -> Edited:
    """Set framing scales, told in `scales` by layer id."""
    scales, row = _told_of(values, "scales"), channels_of("layer")["scale"]
    for name, scale in scales.items():
        layer = layer_of(scene, {"layer": name})
        scene = changes.with_scale(scene, layer.id, number(str(scale), f"scale of {layer.label}", row.low, row.high))
    return scene, f"{counted(len(scales), 'layer')} scaled"


@edit("extend-many")
def extend_many(scene: Scene, values: Values) -> Edited:
    """Extend layers on sides by pixels, told in `sides` by layer id: {"left": 12}."""
    told = _told_of(values, "sides")
    for name, sides in told.items():
        layer = layer_of(scene, {"layer": name})
        for side, pixels in sides.items() if isinstance(sides, dict) else ():
            chosen = choice({"side": side}, "side", SIDES)
            layer = extended(layer, chosen, int(number(str(pixels), f"pixels of {layer.label}", 1, 60000, "px")))
        scene = with_layer(scene, layer)
    return scene, f"{counted(len(told), 'layer')} extended"
