"""Who carries what: carriers made, given to layers and groups, moved and taken out, nothing jumping where it is seen."""

import cmath
import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from clinamen.core.document import (
    CARRIER_CHANNELS,
    Bearer,
    Carrier,
    Group,
    Place,
    Scene,
    bearers_of,
    channels_of,
    group_of,
    with_group,
)
from clinamen.core.edits.handing import handed_on
from clinamen.core.edits.registry import Edited, Values, edit, layer_of
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number
from clinamen.core.stage.algebra import pitch, product, roll, yaw


def carrier_of(scene: Scene, name: str) -> Carrier:
    """The carrier of this id; BadEdit where there is none."""
    for carrier in scene.carriers:
        if carrier.id == name:
            return carrier
    raise BadEdit("That carrier is no longer in the scene; choose another")


def free_id(scene: Scene) -> str:
    """An id for another carrier."""
    taken = {"camera", *(layer.id for layer in scene.layers), *(carrier.id for carrier in scene.carriers)}
    return next(name for n in range(1, len(taken) + 2) if (name := f"carrier-{n}") not in taken)


@edit("new-carrier")
def new_carrier(scene: Scene, values: Values) -> Edited:
    """A carrier called `name`, with its point where the layer `layer` is framed (the view's middle without one), which then rides
    on it."""
    name = values.get("name", "").strip()[:200] or f"Carrier {len(scene.carriers) + 1}"
    carrier = Carrier(id=free_id(scene), name=name)
    says = f"{name} carries nothing yet"
    if values.get("layer"):
        layer = layer_of(scene, values)
        carrier = carrier.model_copy(
            update={"at": Place(x=layer.framing.x, y=layer.framing.y), "carrier": layer.carrier}
        )
        scene = _with(scene, layer.model_copy(update={"carrier": carrier.id}))
        says = f"{layer.label} rides on {name}"
    return scene.model_copy(update={"carriers": (*scene.carriers, carrier)}), says


@edit("carry")
def carry(scene: Scene, values: Values) -> Edited:
    """Let the layer `layer`, the carrier `of` or the group `group` ride on `carrier` (an id; empty: on nothing)."""
    by = values.get("carrier", "") or None
    bearers: dict[str, Bearer] = {**{x.id: x for x in scene.layers}, **{x.id: x for x in scene.carriers}}
    if by is not None and by not in bearers:
        raise BadEdit("carrier: that one is no longer in the scene; choose another")
    how = f"rides on {bearers[by].label}" if by else "rides on nothing"
    if name := values.get("group"):
        return with_group(scene, group_of(scene, name).model_copy(update={"carrier": by})), f"The group {name} {how}"
    rider = carrier_of(scene, values["of"]) if values.get("of") else layer_of(scene, values)
    return _with(scene, rider.model_copy(update={"carrier": by})), f"{rider.label} {how}"


@edit("carrier")
def set_carrier(scene: Scene, values: Values) -> Edited:
    """A carrier's (`of`) `name`, its point `at_x`, `at_y`, and its resting channels, each where it is given."""
    carrier, table = carrier_of(scene, values.get("of", "")), channels_of("carrier")
    new: dict[str, Any] = {
        name: number(values[name], name, row.low, min(row.high, 1.0) if name == "opacity" else row.high, row.units)
        for name in CARRIER_CHANNELS
        if name in values and (row := table[name])
    }
    at = {axis: number(values[f"at_{axis}"], axis, -1e6, 1e6, "px") for axis in "xy" if f"at_{axis}" in values}
    if at:
        new["at"] = carrier.at.model_copy(update=at)
    if "name" in values:
        new["name"] = values["name"].strip()[:200]
    return _with(scene, carrier.model_copy(update=new)), f"{carrier.label} changed"


@edit("remove-carrier")
def remove_carrier(scene: Scene, values: Values) -> Edited:
    """Take the carrier `of` out; what it carried goes on being seen where it was, its motion handed on, and rides on what carried
    it."""
    carrier = carrier_of(scene, values.get("of", ""))
    return handed_on(scene, carrier, without_bearers(scene, {carrier.id})), f"{carrier.label} taken out"


@dataclass(frozen=True)
class Resting:
    """What carriers do to a point of the framing at rest, as a complex number: p → scale·e^(i·rotation)·p + shift; and to opacity
    and depth. `then` is another one after this, `back` undoes it."""

    scale: float = 1.0
    rotation: float = 0.0
    shift: complex = 0j
    opacity: float = 1.0
    depth: float = 0.0

    @property
    def turn(self) -> complex:
        return self.scale * cmath.exp(1j * math.radians(self.rotation))

    def then(self, other: "Resting") -> "Resting":
        return Resting(
            self.scale * other.scale, self.rotation + other.rotation, other.turn * self.shift + other.shift,
            self.opacity * other.opacity, self.depth + other.depth,
        )  # fmt: skip

    def back(self) -> "Resting":
        # something that is wholly faded cannot be brought back
        opacity = 1 / self.opacity if self.opacity else 1.0
        return Resting(1 / self.scale, -self.rotation, -self.shift / self.turn, opacity, -self.depth)


def _resting(scene: Scene, rider: Bearer) -> Resting:
    """What all that carries a layer or carrier does at rest; a layer that carries does nothing then."""
    whole = Resting()
    for by in bearers_of(scene, rider):
        if isinstance(by, Carrier):
            at, moved = complex(by.at.x, by.at.y), complex(by.x, by.y)
            own = Resting(by.scale, by.rotation, 0j, by.opacity, by.depth)
            whole = whole.then(replace(own, shift=at + moved - own.turn * at))
    return whole


def without_bearers(scene: Scene, gone: set[str]) -> Scene:
    """The scene without these layers and carriers and their tracks; what they carried stays where it is seen at rest and rides on
    the nearest that stays of what carried them."""
    bearers: dict[str, Bearer] = {**{x.id: x for x in scene.layers}, **{x.id: x for x in scene.carriers}}

    def upward(name: str | None) -> str | None:
        while name in gone:
            name = bearers[name].carrier
        return name

    def freed(part: Any) -> Any:
        return part.model_copy(update={"carrier": upward(part.carrier)})

    after = scene.model_copy(
        update={
            "layers": tuple(freed(x) for x in scene.layers if x.id not in gone),
            "carriers": tuple(freed(x) for x in scene.carriers if x.id not in gone),
            "groups": tuple(group for group in map(freed, scene.groups) if group != Group(name=group.name)),
            "tracks": tuple(track for track in scene.tracks if track.target not in gone),
        }
    )
    if not scene.carriers:
        return after
    # the outer ones first, so that the inner ones find them as they will be
    outward = sorted(after.carriers, key=lambda carrier: len(bearers_of(after, carrier)))
    riders: tuple[Bearer, ...] = (*outward, *after.layers)
    for rider in riders:
        lost = _resting(scene, bearers[rider.id]).then(_resting(after, rider).back())
        if not (lost == Resting() or _is_nothing(lost)):
            after = _with(after, _settled(rider, lost))
    return after


def _is_nothing(lost: Resting) -> bool:
    small = max(abs(lost.scale - 1), abs(lost.rotation), abs(lost.shift), abs(lost.opacity - 1), abs(lost.depth))
    return small < 1e-12


def _settled(rider: Bearer, lost: Resting) -> Bearer:
    """A layer or carrier with what it has lost taken over into its own numbers."""
    if isinstance(rider, Carrier):
        # about its point, which stays the point that tracks turn it about
        at = complex(rider.at.x, rider.at.y)
        moved = lost.turn * (at + complex(rider.x, rider.y)) + lost.shift - at
        return rider.model_copy(
            update={
                "x": moved.real, "y": moved.imag, "scale": rider.scale * lost.scale, "rotation": rider.rotation + lost.rotation,
                "opacity": min(1.0, rider.opacity * lost.opacity), "depth": rider.depth + lost.depth,
            }
        )  # fmt: skip
    framing, tilt = rider.framing, rider.tilt
    rotation, lean, turn = framing.rotation + lost.rotation, tilt.lean, tilt.turn
    if (lean or turn) and lost.rotation:
        own = product(product(yaw(np.array(turn)), pitch(np.array(-lean))), roll(np.array(framing.rotation)))
        rotation, lean, turn = _angles(product(roll(np.array(lost.rotation)), own))
    at = lost.turn * complex(framing.x, framing.y) + lost.shift
    framing = framing.model_copy(
        update={"x": at.real, "y": at.imag, "scale": framing.scale * lost.scale, "rotation": rotation}
    )
    return rider.model_copy(
        update={
            "framing": framing, "tilt": tilt.model_copy(update={"lean": lean, "turn": turn}),
            "depth": rider.depth if rider.depth == "infinite" else rider.depth + lost.depth,
            "opacity": min(1.0, rider.opacity * lost.opacity),
        }
    )  # fmt: skip


def _angles(stand: Any) -> tuple[float, float, float]:
    """Rotation, lean and turn in degrees of Ry(turn)·Rx(−lean)·Rz(rotation)."""
    m = [[float(value) for value in row] for row in stand]
    lean = -math.asin(max(-1.0, min(1.0, -m[1][2])))
    turn = math.atan2(m[0][2], m[2][2])
    rotation = math.atan2(m[1][0], m[1][1])
    return math.degrees(rotation), math.degrees(lean), math.degrees(turn)


def _with(scene: Scene, rider: Bearer) -> Scene:
    kind = "carriers" if isinstance(rider, Carrier) else "layers"
    parts = tuple(rider if each.id == rider.id else each for each in getattr(scene, kind))
    return scene.model_copy(update={kind: parts})
