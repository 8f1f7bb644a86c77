"""A channel's value is a sum or a product of terms. `Motion` holds those of a whole scene, compiled once.

Ask it for values over states or for ranges over cells; it knows nothing of where a sheet is seen.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import overload

from clinamen.core.arrays import Floats
from clinamen.core.document import Channel, Layer, Scene, channels_of
from clinamen.core.interval import Interval
from clinamen.core.motion.states import Cells, States
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


class Motion:
    """A scene's channels as mixes of terms, by target ("camera" or a layer's id) and channel."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.own = {layer.id: layer for layer in scene.layers}
        self.mixes: dict[str, dict[str, Mix]] = {"camera": _mixes(scene, "camera", None)}
        for layer in scene.layers:
            self.mixes[layer.id] = _mixes(scene, layer.id, layer)

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
        return self.mixes[target.id] if known else _mixes(self.scene, target.id, target)

    def terms(self, target: str) -> list[Term]:
        """All terms that move a target, its resting values left out."""
        return [term for mix in self.mixes.get(target, {}).values() for term in mix.terms[1:]]

    def curves(self, target: str, channel: str = "") -> list[CurveTerm]:
        """The tracks of a target, of one channel or of all."""
        found = self.mixes.get(target, {})
        chosen = [found[channel]] if channel in found else [] if channel else found.values()
        return [term for mix in chosen for term in mix.terms if isinstance(term, CurveTerm)]

    def turns(self, terms: Iterable[Term], axis: str, most: int) -> set[float]:
        """Places along a driver axis where any of the terms may be extreme."""
        return {float(at) for term in terms for at in term.turns(axis)[:most]}

    @property
    def camera_slides(self) -> bool:
        """True when the camera only trucks and rises: then a frontal sheet's offset is a plain shift."""
        camera = self.mixes["camera"]
        still = all(camera[name].stays(0) for name in ("z", "pitch", "yaw", "roll", "arc", "crane"))
        return still and not camera["zoom"].moves


def _mixes(scene: Scene, target: str, layer: Layer | None) -> dict[str, Mix]:
    found: dict[str, list[Term]] = {}
    for module in TERM_MODULES:
        for channel, term in module.terms_of(scene, target, layer):
            found.setdefault(channel, []).append(term)
    table = channels_of(target)
    return {name: Mix(table[name], tuple(terms)) for name, terms in found.items()}
