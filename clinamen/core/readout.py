"""The readout: what one layer does, in numbers that sentences are made of."""

from dataclasses import dataclass

import numpy as np

from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import SIDES, Needs, shortage
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.bounds.sharpness import sharpest_use
from clinamen.core.checks.edge import kept_out
from clinamen.core.document import Layer, Scene, resting_depth
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, States
from clinamen.core.optics import rate_of
from clinamen.core.stage import stage


@dataclass(frozen=True)
class Went:
    """How a layer's centre stands at the end of a driver against its start: view pixels and growth."""

    driver: str
    x: float
    y: float
    growth: float

    @property
    def across(self) -> str:
        return "left" if self.x < 0 else "right"

    @property
    def along(self) -> str:
        return "up" if self.y < 0 else "down"


@dataclass(frozen=True)
class Reading:
    """Numbers of one layer. `spare`: art pixels to spare by side (negative: missing), only for sides that the art
    carries past the view; `needs` the art's needed size where both sides of an axis do; `use` view pixels per art px."""

    rate: float
    depth: float | None
    went: tuple[Went, ...]
    spare: dict[str, float]
    needs: dict[str, float]
    use: float

    @property
    def says(self) -> tuple[object, ...]:
        """All of it, to tell it from others by."""
        return self.rate, self.depth, self.went, *self.spare.items(), *self.needs.items(), self.use


KEPT = 4000  # readings, each for as long as nothing changes that it depends on
_read: Bounded[Reading] = Bounded(KEPT, lambda reading: 1)


def read_layer(scene: Scene, layer: Layer, opaque: OpaqueSet, needs: Needs) -> Reading:
    """The reading of one layer."""
    told = (needs.key(layer), layer.as_json, *opaque.borders.items())
    return _read.get(told, lambda: _reading(scene, layer, opaque, needs))


def _reading(scene: Scene, layer: Layer, opaque: OpaqueSet, needs: Needs) -> Reading:
    motion, need = needs.motion, needs.of(layer)
    short = shortage(layer, need)
    carried = [side for side in SIDES if side in kept_out(needs, layer, opaque)]
    spare = {side: -short[side] for side in carried if np.isfinite(short[side])}
    needed = {}
    for name, low, high in (("width", 0, 2), ("height", 1, 3)):
        if SIDES[low] in spare and SIDES[high] in spare:
            size = layer.art.width if name == "width" else layer.art.height
            needed[name] = size - spare[SIDES[low]] - spare[SIDES[high]]
    resting = resting_depth(scene, layer)
    depth = None if resting == "infinite" else float(resting)
    return Reading(
        rate_of(resting, scene.lens_distance), depth, _went(scene, layer, motion), spare, needed,
        sharpest_use(scene, layer, needs),
    )  # fmt: skip


def _went(scene: Scene, layer: Layer, motion: Motion) -> tuple[Went, ...]:
    ends = {"scroll": State(1.0)} if scene.drivers.scroll else {}
    if scene.drivers.pointer:
        ends["pointer"] = State(pointer=(1.0, 1.0))
    found = []
    for driver, end in ends.items():
        centre, size = stage(scene, States.of(State(), end), motion, (layer,)).sheets[0].centre()
        shift = centre[1] - centre[0]
        found.append(Went(driver, float(shift[0]), float(shift[1]), float(size[1] / size[0] - 1)))
    return tuple(found)
