"""Carrying: carriers, layers that carry others, groups that ride on one, and the order in which they act."""

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.document.channels import CARRIER_CHANNELS
from clinamen.core.document.layer import Layer
from clinamen.core.errors import Problem
from clinamen.core.look.steps import AnyLook
from clinamen.core.parts import Finite, LayerId, Part, Sparse

if TYPE_CHECKING:
    from clinamen.core.document.scene import Scene

WITHIN = " / "  # between a group's name and that of a group inside it


class Place(Part):
    """A point of the framing: view pixels from the view's centre."""

    x: Finite = 0.0
    y: Finite = 0.0


class Carrier(Part):
    """A point of the framing that carries layers: it is moved by (x, y), and what it carries is scaled and turned about it, faded
    by its opacity and pushed back by its depth. `carrier` is what carries it."""

    id: LayerId
    name: str = Field(default="", max_length=200)
    at: Place = Place()
    x: Finite = 0.0
    y: Finite = 0.0
    scale: float = Field(default=1.0, gt=0, le=10000)
    rotation: Finite = 0.0
    opacity: float = Field(default=1.0, ge=0, le=1)
    depth: Finite = 0.0
    carrier: LayerId | None = None

    @property
    def label(self) -> str:
        return self.name or self.id


class Group(Sparse):
    """A whole group: `name` as its layers write it, `carrier` what carries all of them. `look` comes
    after its layers' own; `locked`: edits leave all its layers as they are; hidden as one, its layers keep whether they are
    seen."""

    later: ClassVar[frozenset[str]] = frozenset({"carrier", "look", "visible", "locked"})

    name: str = Field(min_length=1, max_length=200)
    carrier: LayerId | None = None
    look: tuple[AnyLook, ...] = Field(default=(), max_length=100)
    visible: bool = True
    locked: bool = False


Bearer = Carrier | Layer


def bearers_of(scene: "Scene", rider: Bearer) -> tuple[Bearer, ...]:
    """Return what carries a layer or a carrier, the inner first: its own carrier with all that carries that, then its groups',
    the innermost first. Each acts once."""
    if rider.carrier is None and not scene.groups:
        return ()
    known = _bearers(scene)
    return tuple(known[name] for name in _met(scene, rider, known) if name != rider.id)


def groups_of(scene: "Scene", layer: Layer) -> list[Group]:
    """The groups that a layer is in and that the scene says something of, the innermost first."""
    known = {group.name: group for group in scene.groups}
    return [known[name] for name in group_names(layer.group) if name in known]


def group_names(group: str) -> list[str]:
    """A group and those that it is in, the innermost first; nothing for "", which is no group."""
    parts = group.split(WITHIN) if group else []
    return [WITHIN.join(parts[:count]) for count in range(len(parts), 0, -1)]


def group_of(scene: "Scene", name: str) -> Group:
    """Return the group of a name as the scene has it; a plain one where the scene says nothing of it."""
    return next((group for group in scene.groups if group.name == name), Group(name=name))


def with_group(scene: "Scene", group: Group) -> "Scene":
    """The scene with this said of a group, in its place; a group that nothing is said of is not written."""
    known = [each.name for each in scene.groups]
    groups = scene.groups if group.name in known else (*scene.groups, group)
    said = [group if each.name == group.name else each for each in groups]
    kept = tuple(each for each in said if each != Group(name=each.name) or each.name != group.name)
    return scene.model_copy(update={"groups": kept})


def seen_layers(scene: "Scene") -> tuple[Layer, ...]:
    """The layers that are seen, in drawing order: neither hidden themselves nor in a group that is."""
    return tuple(layer for layer in scene.layers if is_seen(scene, layer))


def is_seen(scene: "Scene", layer: Layer) -> bool:
    """True of a layer that is neither hidden itself nor in a group that is."""
    return layer.visible and (not scene.groups or all(group.visible for group in groups_of(scene, layer)))


def ungrouped(scene: "Scene") -> "Scene":
    """The scene with no group hidden as one: what is seen then is said by each layer itself."""
    hidden = any(not group.visible for group in scene.groups)
    shown = tuple(group.model_copy(update={"visible": True}) for group in scene.groups)
    return scene.model_copy(update={"groups": shown}) if hidden else scene


def resting_depth(scene: "Scene", layer: Layer) -> float | Literal["infinite"]:
    """Return the depth at which a layer stands at rest: its own with what its carriers add, px."""
    return "infinite" if layer.depth == "infinite" else layer.depth + carried_depth(scene, layer)


def resting_depth_px(scene: "Scene", layer: Layer) -> float:
    """The same as a number: depth at rest in px, inf where it is infinite."""
    depth = resting_depth(scene, layer)
    return math.inf if depth == "infinite" else depth


def carried_depth(scene: "Scene", layer: Layer) -> float:
    """Return what its carriers add to a layer's depth at rest, px."""
    return sum(by.depth for by in bearers_of(scene, layer) if isinstance(by, Carrier))


def _bearers(scene: "Scene") -> dict[str, Bearer]:
    return {**{x.id: x for x in scene.layers}, **{x.id: x for x in scene.carriers}}


def _met(scene: "Scene", rider: Bearer, known: Mapping[str, Bearer]) -> Iterator[str]:
    """Names met on the way from a rider outwards, each once; what is carried by itself meets its own."""
    met, ahead = set[str](), list(_next(scene, rider))
    while ahead:
        name = ahead.pop(0)
        if name in met or name not in known:
            continue
        met.add(name)
        yield name
        if name != rider.id:
            ahead = [*_next(scene, known[name]), *ahead]


def _next(scene: "Scene", rider: Bearer) -> Iterator[str]:
    """Names of what carries a layer or carrier itself."""
    if rider.carrier is not None:
        yield rider.carrier
    if isinstance(rider, Layer) and rider.group and scene.groups:
        carriers = {group.name: group.carrier for group in scene.groups}
        for name in group_names(rider.group):
            carrier = carriers.get(name)
            if carrier is not None:
                yield carrier


def wrong_carrying(scene: "Scene") -> Iterable[Problem]:
    """Carriers named twice or not at all, rings, groups told of twice, and tracks of what a carrier has not."""
    layers = {layer.id for layer in scene.layers}
    seen: set[str] = set()
    for index, carrier in enumerate(scene.carriers):
        if carrier.id in seen or carrier.id in layers or carrier.id == "camera":
            yield Problem(f"carriers[{index}].id", f"{carrier.id!r} is taken; every carrier needs an id of its own")
        seen.add(carrier.id)
    known = layers | seen
    places: list[tuple[str, str | None, Bearer | None]] = [
        *((f"layers[{i}].carrier", x.carrier, x) for i, x in enumerate(scene.layers)),
        *((f"carriers[{i}].carrier", x.carrier, x) for i, x in enumerate(scene.carriers)),
        *((f"groups[{i}].carrier", x.carrier, None) for i, x in enumerate(scene.groups)),
    ]
    for path, name, _ in places:
        if name is not None and name not in known:
            yield Problem(path, f"there is no carrier or layer {name!r}; name one that is there, or none")
    rides, bearers = any(name for _, name, _ in places), _bearers(scene)
    for path, _, rider in places:
        if rides and rider is not None and rider.id in _met(scene, rider, bearers):
            yield Problem(path, f"{rider.id!r} would be carried by itself; break the ring at one of its carriers")
    names: set[str] = set()
    for index, group in enumerate(scene.groups):
        if group.name in names:
            yield Problem(f"groups[{index}].name", f"{group.name!r} is told of twice; put both into one")
        names.add(group.name)
    for index, track in enumerate(scene.tracks):
        if track.target in seen and track.channel not in CARRIER_CHANNELS:
            has = ", ".join(CARRIER_CHANNELS)
            yield Problem(f"tracks[{index}].channel", f"a carrier has no {track.channel!r}; it has {has}")
