"""A channel's value is a sum or a product of terms. `Motion` holds those of a whole scene, compiled once.

Ask it for values over states or for ranges over cells; it knows nothing of where a sheet is seen.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import overload

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import (
    CARRIER_CHANNELS,
    Bearer,
    Carrier,
    Channel,
    Layer,
    Scene,
    Track,
    bearers_of,
    channels_of,
)
from clinamen.core.interval import Interval
from clinamen.core.motion.states import AXES, Cells, States
from clinamen.core.motion.terms import TERM_MODULES, CurveTerm, Names, Rest, Term


@dataclass(frozen=True)
class Mix:
    """One channel of one target: its row of the table, and its terms, the resting value first."""

    channel: Channel
    terms: tuple[Term, ...]

    @overload
    def over(self, states: States) -> Floats: ...

    @overload
    def over(self, states: Cells) -> Interval: ...

    def over(self, states: States | Cells) -> Floats | Interval:
        """Values [N] over states, or ranges [N] over cells."""
        if isinstance(states, Cells):
            interval = self.terms[0].range(states)
            for term in self.terms[1:]:
                interval = interval * term.range(states) if self.multiplies else interval + term.range(states)
            return interval
        total = self.terms[0].value(states)
        for term in self.terms[1:]:
            total = total * term.value(states) if self.multiplies else total + term.value(states)
        return total

    @property
    def multiplies(self) -> bool:
        return self.channel.combine == "multiply"

    @property
    def moves(self) -> bool:
        """True where anything but the resting value has a say."""
        return len(self.terms) > 1

    @property
    def rest(self) -> float:
        """The resting value."""
        first = self.terms[0]
        assert isinstance(first, Rest)
        return first.number

    def stays(self, value: float) -> bool:
        """True where the channel is `value`, whatever the drivers do."""
        return not self.moves and self.rest == value

    def css(self, names: Names, without: Iterable[Term] = ()) -> str:
        """The value as an expression of CSS; terms in `without` are said elsewhere."""
        left_out = {id(term) for term in without}
        parts = [term.css(names) for term in self.terms if id(term) not in left_out]
        return parts[0] if len(parts) == 1 else f"calc({('*' if self.multiplies else ' + ').join(parts)})"


@dataclass(frozen=True)
class Carriage:
    """What one carrier does to what it carries: mixes by channel, and the point (x, y) of the framing it does it about. A layer
    that carries does what its tracks do to it, about where it rests."""

    name: str
    at: tuple[float, float]
    mixes: dict[str, Mix]

    @overload
    def over(self, states: States) -> dict[str, Floats]: ...

    @overload
    def over(self, states: Cells) -> dict[str, Interval]: ...

    def over(self, states: States | Cells) -> dict[str, Floats] | dict[str, Interval]:
        """Every channel over states, or its ranges over cells."""
        if isinstance(states, Cells):
            return {name: mix.over(states) for name, mix in self.mixes.items()}
        return {name: mix.over(states) for name, mix in self.mixes.items()}

    @property
    def turns_or_grows(self) -> bool:
        return not (self.mixes["rotation"].stays(0) and self.mixes["scale"].stays(1))

    @property
    def moves(self) -> bool:
        return any(mix.moves for mix in self.mixes.values())


class _Mixes(Mapping[str, dict[str, Mix]]):
    """Mixes by target, each made when it is first asked for: often one layer's are wanted, and there may be hundreds."""

    def __init__(self, owns: dict[str, Bearer | None], make: Callable[[str, Bearer | None], dict[str, Mix]]) -> None:
        self.owns, self.make, self.made = owns, make, dict[str, dict[str, Mix]]()

    def __getitem__(self, target: str) -> dict[str, Mix]:
        if target not in self.made:
            self.made[target] = self.make(target, self.owns[target])
        return self.made[target]

    def __iter__(self) -> Iterator[str]:
        return iter(self.owns)

    def __len__(self) -> int:
        return len(self.owns)


class Motion:
    """A scene's channels as mixes of terms, by target ("camera", a layer's or a carrier's id) and channel."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.own = {layer.id: layer for layer in scene.layers}
        self._tracks: dict[str, list[Track]] = {}
        for track in scene.tracks:
            self._tracks.setdefault(track.target, []).append(track)
        bearers: tuple[Bearer, ...] = (*scene.layers, *scene.carriers)
        owns: dict[str, Bearer | None] = {"camera": None, **{own.id: own for own in bearers}}
        self.mixes = _Mixes(owns, self._mixed)
        self._carriages: dict[str, Carriage] = {}
        self._riding: dict[str, tuple[Carriage, ...]] = {}
        self._jumps: dict[tuple[str, ...], tuple[Floats, ...]] = {}

    @overload
    def over(self, target: str | Layer, states: States) -> dict[str, Floats]: ...

    @overload
    def over(self, target: str | Layer, states: Cells) -> dict[str, Interval]: ...

    def over(self, target: str | Layer, states: States | Cells) -> dict[str, Floats] | dict[str, Interval]:
        """Every channel of the camera or a layer; a layer that the scene does not hold as it is counts at rest and
        with the tracks of its id."""
        mixes = self.of(target)
        if isinstance(states, Cells):
            return {name: mix.over(states) for name, mix in mixes.items()}
        return {name: mix.over(states) for name, mix in mixes.items()}

    def of(self, target: str | Layer) -> dict[str, Mix]:
        """The mixes of a target, by channel."""
        if isinstance(target, str):
            return self.mixes[target]
        known = self.own.get(target.id) is target
        return self.mixes[target.id] if known else self._mixed(target.id, target)

    def carriages(self, layer: Layer) -> tuple[Carriage, ...]:
        """What carries a layer, the inner first."""
        if self.own.get(layer.id) is not layer:
            return tuple(self._carriage(bearer) for bearer in bearers_of(self.scene, layer))
        if layer.id not in self._riding:
            self._riding[layer.id] = tuple(self._carriage(bearer) for bearer in bearers_of(self.scene, layer))
        return self._riding[layer.id]

    def _carriage(self, bearer: Bearer) -> Carriage:
        if bearer.id not in self._carriages:
            mixes = {channel: self.mixes[bearer.id][channel] for channel in CARRIER_CHANNELS}
            at = (bearer.at.x, bearer.at.y) if isinstance(bearer, Carrier) else (bearer.framing.x, bearer.framing.y)
            if not isinstance(bearer, Carrier):
                mixes = {
                    name: Mix(mix.channel, (Rest(mix.channel.rest), *mix.terms[1:])) for name, mix in mixes.items()
                }
            self._carriages[bearer.id] = Carriage(bearer.id, at, mixes)
        return self._carriages[bearer.id]

    def place_mixes(self, layer: Layer) -> list[Mix]:
        """The mixes that have a say in where and how a layer is seen, the camera's apart: its own, and those of what carries
        it."""
        carried = [mix for carriage in self.carriages(layer) for mix in carriage.mixes.values()]
        return [*self.of(layer).values(), *carried]

    def moves_over(self, layer: Layer, driver: str) -> bool:
        """True where a layer is seen to go elsewhere over "scroll" or "time", by the camera or by itself."""
        mixes = [*self.mixes["camera"].values(), *self.place_mixes(layer)]
        return any(driver in term.axes for mix in mixes if mix.channel.touches == "place" for term in mix.terms[1:])

    def fades_over(self, layer: Layer, driver: str) -> bool:
        """True where a layer's opacity changes over a driver, its carriers' with it."""
        mixes = [mix for mix in self.place_mixes(layer) if mix.channel.name == "opacity"]
        return any(driver in term.axes for mix in mixes for term in mix.terms[1:])

    def movers(self, layer: Layer) -> set[str]:
        """The targets whose tracks move a layer, the camera apart."""
        return {layer.id, *(carriage.name for carriage in self.carriages(layer))}

    def _mixed(self, target: str, own: Bearer | None) -> dict[str, Mix]:
        found: dict[str, list[Term]] = {}
        tracks = self._tracks.get(target, ())
        for module in TERM_MODULES:
            for channel, term in module.terms_of(self.scene, target, own, tracks):
                found.setdefault(channel, []).append(term)
        table = channels_of(target)
        return {name: Mix(table[name], tuple(terms)) for name, terms in found.items()}

    def own_terms(self, target: str) -> list[Term]:
        """All terms of a target's own channels, resting values left out."""
        return [term for mix in self.mixes.get(target, {}).values() for term in mix.terms[1:]]

    def terms(self, target: str) -> list[Term]:
        """All terms that move the camera or a layer, those of what carries it with them, resting values left out."""
        layer = self.own.get(target)
        if layer is None:
            return self.own_terms(target)
        return [term for mix in self.place_mixes(layer) for term in mix.terms[1:]]

    def curves(self, target: str, channel: str = "") -> list[CurveTerm]:
        """The tracks of a target, of one channel or of all."""
        found = self.mixes.get(target, {})
        chosen = [found[channel]] if channel in found else [] if channel else found.values()
        return [term for mix in chosen for term in mix.terms if isinstance(term, CurveTerm)]

    def turns(self, terms: Iterable[Term], axis: str, most: int) -> set[float]:
        """Places along a driver axis where any of the terms may be extreme."""
        return {float(at) for term in terms for at in term.turns(axis)[:most]}

    def jumps(self, layers: Iterable[Layer]) -> tuple[Floats, ...]:
        """Places [K] along each driver axis, ascending, where the camera or any of the layers jumps."""
        targets = ("camera", *dict.fromkeys(layer.id for layer in layers))
        if targets not in self._jumps:
            terms = [term for target in targets for term in self.terms(target)]
            self._jumps[targets] = tuple(
                np.unique(np.concatenate([np.zeros(0), *(term.jumps(axis) for term in terms if axis in term.axes)]))
                for axis in AXES
            )
        return self._jumps[targets]

    @property
    def still(self) -> bool:
        """True where no driver moves anything, nor plays the cells of an actor."""
        acts = self.scene.drivers.time is not None and any(layer.frames is not None for layer in self.scene.layers)
        return not acts and not any(self.own_terms(target) for target in self.mixes)

    @property
    def camera_slides(self) -> bool:
        """True when the camera only trucks and rises: then a frontal sheet's offset is a plain shift."""
        camera = self.mixes["camera"]
        still = all(camera[name].stays(0) for name in ("z", "pitch", "yaw", "roll", "arc", "crane"))
        return still and not camera["zoom"].moves
