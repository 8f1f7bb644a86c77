"""Edits of groups as one: shown, hidden, locked, renamed, pushed back in depth together."""

from typing import Any

from clinamen.core.document import Carrier, Layer, Place, Scene, group_names, group_of, with_group
from clinamen.core.document.carrying import WITHIN
from clinamen.core.edits.carry import free_id
from clinamen.core.edits.registry import Edited, Values, edit
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number, shown


def inside(scene: Scene, name: str) -> list[Layer]:
    """The layers of a group and of the groups within it; BadEdit where there are none."""
    found = [layer for layer in scene.layers if name in group_names(layer.group)]
    if not found:
        raise BadEdit("That group is no longer in the scene; choose another")
    return found


def outermost_in(name: str, names: tuple[str, ...]) -> str:
    """The outermost of some groups that this one is or is in; "" where it is in none of them."""
    return next((each for each in reversed(group_names(name)) if each in names), "")


@edit("group-as-one")
def set_group(scene: Scene, values: Values) -> Edited:
    """Show, hide, lock or unlock the `group` as one: `visible`, `locked`, each where it is given."""
    name = values.get("group", "")
    inside(scene, name)
    new: dict[str, Any] = {
        field: values[field] in ("1", "true", "on") for field in ("visible", "locked") if field in values
    }
    words = {
        ("visible", True): "shown",
        ("visible", False): "hidden",
        ("locked", True): "locked",
        ("locked", False): "unlocked",
    }
    did = " and ".join(words[each] for each in new.items())
    return with_group(scene, group_of(scene, name).model_copy(update=new)), f"{name} {did}"


@edit("rename-group")
def rename_group(scene: Scene, values: Values) -> Edited:
    """Call the `group` `to`; groups within it go along."""
    name, to = values.get("group", ""), values.get("to", "").strip()[:150]
    members = {layer.id for layer in inside(scene, name)}
    if not to:
        raise BadEdit("to: is empty; type a name for the group")
    own = WITHIN.join([*name.split(WITHIN)[:-1], to])
    taken = {layer.group for layer in scene.layers if layer.id not in members}
    if own in taken:
        raise BadEdit(f"to: there is a group called {own} already; type another name")
    layers = tuple(
        layer.model_copy(update={"group": own + layer.group[len(name) :]}) if layer.id in members else layer
        for layer in scene.layers
    )
    groups = tuple(
        group.model_copy(update={"name": own + group.name[len(name) :]})
        if name in group_names(group.name) else group
        for group in scene.groups
    )  # fmt: skip
    return scene.model_copy(update={"layers": layers, "groups": groups}), f"{name} renamed to {own}"


@edit("group-shift")
def shift_group(scene: Scene, values: Values) -> Edited:
    """Push the `group` back as one: `shift` px behind where its layers stand by themselves. It looks the same at rest. What
    carries the group says its shift; one that nothing carries is given a carrier in its middle."""
    name = values.get("group", "")
    members, group = inside(scene, name), group_of(scene, name)
    shift = number(values.get("shift", ""), "shift", -1e9, 1e9, "px")
    carrier = next((each for each in scene.carriers if each.id == group.carrier), None)
    if group.carrier is not None and carrier is None:
        raise BadEdit(f"{name}: a layer carries it, which cannot push it back; let a carrier carry it instead")
    says = f"{name} {shown(abs(shift), 0)} px {'farther' if shift >= 0 else 'nearer'} than its layers by themselves"
    if carrier is None:
        x, y = (sum(getattr(each.framing, axis) for each in members) / len(members) for axis in "xy")
        carrier = Carrier(id=free_id(scene), name=name.split(WITHIN)[-1], at=Place(x=round(x, 2), y=round(y, 2)))
        scene = scene.model_copy(update={"carriers": (*scene.carriers, carrier)})
        scene = with_group(scene, group.model_copy(update={"carrier": carrier.id}))
    moved = carrier.model_copy(update={"depth": shift})
    return scene.model_copy(
        update={"carriers": tuple(moved if each.id == moved.id else each for each in scene.carriers)}
    ), says


def shift_of(scene: Scene, name: str) -> float:
    """How far a group is pushed back as one."""
    group = group_of(scene, name)
    return next((each.depth for each in scene.carriers if each.id == group.carrier), 0.0)
