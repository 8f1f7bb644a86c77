"""Checks and their findings. A new check is one module: subclass Check, give id, name and `run`."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, TypeVar, cast

import numpy as np

from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import Needs
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.bounds.where import Where
from clinamen.core.cached import cached_property
from clinamen.core.document import Layer, Scene, steps_of
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import AXES, State
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pictures.telling import Telling
from clinamen.core.registry import Registry
from clinamen.core.stage import corners, project, stage_at

__all__ = ["CHECKS", "Check", "Finding", "Fix", "Severity", "Subject", "Where", "describe_state", "register"]

T = TypeVar("T")
KEPT = 200_000_000  # bytes of answers about layers
MANY = 8  # layers with the same fault that are told of as one finding


def _memory() -> Bounded[object]:
    return Bounded(KEPT, lambda answer: answer.nbytes if isinstance(answer, np.ndarray) else 1000)


_kept = _memory()

Spread = Literal["local", "moment", "whole"]
"""Where a check's findings hold: it may be asked of one place of a driver by itself; each holds at its moment; or all along."""
Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True)
class Fix:
    """A computed change that makes a finding go away: an edit by name with its values, and what its button says.

    `kind` and `value` are what a build reads: the kind of cure, and its one number.
    """

    kind: str
    value: float
    edit: str
    values: Mapping[str, str]
    text: str

    def to_json(self) -> dict[str, Any]:
        named = {name: self.values[name] for name in ("layer", "side", "driver", "axis") if name in self.values}
        done = {"edit": self.edit, "values": dict(self.values), "text": self.text}
        return {"kind": self.kind, "value": self.value, **named, **done}


@dataclass(frozen=True)
class Finding:
    """One thing a check found: the worst state, where on the view, how much, and what would close it."""

    check: str
    severity: Severity
    layer: str
    state: State
    amount: float
    unit: str
    where: Where
    message: str
    side: str = ""
    fixes: tuple[Fix, ...] = ()
    closers: tuple[str, ...] = ()
    moment: str = ""
    accepted: str | None = None  # the note with which it was accepted as intended

    @property
    def counts(self) -> bool:
        """False of what is only noted, or was accepted as intended."""
        return self.severity != "note" and self.accepted is None

    @property
    def name(self) -> str:
        """Name that the check has for one such finding."""
        return CHECKS[self.check].name

    @property
    def sure(self) -> str:
        """Words on how exactly its amount is known."""
        return CHECKS[self.check].sure

    @property
    def short(self) -> str:
        """The finding in a few words, for beside the layer it speaks of."""
        return CHECKS[self.check].short(self)

    @property
    def key(self) -> tuple[str, str, str]:
        """Identity of a finding within its scene, the same with and without fixes."""
        return CHECKS[self.check].key(self)

    @property
    def named(self) -> str:
        """The same as one word, as a document names what was accepted."""
        return "/".join(self.key)

    @property
    def mark(self) -> dict[str, Any]:
        """JSON that a view goes to its moment and marks its place by."""
        return {
            "key": self.named, "severity": self.severity, "state": self.state.to_json(), "where": self.where.to_json(),
            "label": f"{self.amount:.0f} {self.unit}",
        }  # fmt: skip

    def to_json(self) -> dict[str, Any]:
        return {
            "check": self.check,
            "severity": self.severity,
            "layer": self.layer,
            "state": self.state.to_json(),
            "amount": round(self.amount, 3),
            "unit": self.unit,
            "where": self.where.to_json(),
            "message": self.message,
            "fixes": [fix.to_json() for fix in self.fixes],
            "closers": list(self.closers),
            **({} if self.accepted is None else {"accepted": self.accepted}),
        }


@dataclass
class Subject:
    """Matter of a check: the scene, its compiled motion, and the opaque sets of its layers by layer id.

    `with_fixes`: compute what closes each finding. `art` tells what is asked of pixels; checks that need it find nothing
    without it.
    """

    scene: Scene
    sets: dict[str, OpaqueSet]
    with_fixes: bool = True
    needs: Needs = field(default=None)  # type: ignore[assignment]
    art: Telling | None = None
    motion: Motion = field(init=False)
    _moments: dict[State, Needs] = field(init=False, default_factory=dict)
    _names: dict[str, tuple[Hashable, ...]] = field(init=False, default_factory=dict)

    def __post_init__(self) -> None:
        self.needs = self.needs or Needs(self.scene)
        self.motion = self.needs.motion

    @property
    def whole_view(self) -> Where:
        """All of the view, for what has no place of its own."""
        return Where(0.0, 0.0, float(self.scene.view.width), float(self.scene.view.height))

    def box_at(self, layer: Layer, state: State) -> Where:
        """Box of a layer at a state, within the view; all of the view where it repeats or reaches behind the camera."""
        size = np.array([self.scene.view.width, self.scene.view.height], float)
        sheet = stage_at(self.scene, state, self.motion, (layer,)).sheets[0]
        points, ahead = project(sheet.matrix[0], corners(layer))
        if np.any(ahead <= 0) or layer.repeats:
            return self.whole_view
        low, high = (np.clip(edge, 0, size) for edge in (points.min(axis=0), points.max(axis=0)))
        return Where(*low.tolist(), *(high - low).tolist())

    def resting_share(self, layer: Layer) -> float:
        """The share of the view that a layer's box takes at rest, all of it where it repeats."""

        def share() -> float:
            view, box = self.scene.view, self.box_at(layer, State())
            return box.width * box.height / (view.width * view.height)

        return self.kept("resting share", layer, share)

    def at(self, driver: str, place: float) -> "Subject":
        """The same with one driver held at a place, the others over all that they can be; without fixes, and
        looked at in keys and ends alone: for drawings, not for the verdict."""
        within = self.needs.bounds.copy()
        within[AXES.index(driver)] = place
        return Subject(
            self.scene, self.sets, False, Needs(self.scene, self.motion, within=within, rough=True), self.art
        )

    def kept(self, what: Hashable, layer: Layer, work: Callable[[], T]) -> T:
        """Answer about one layer, kept for as long as nothing that moves it, nothing of its art and nothing said of it
        but its name changes; without art at hand, for this subject alone. Who keeps something puts no name into it."""
        return cast(T, self._memory.get((what, *self._name(layer)), work))

    def kept_of_two(self, what: Hashable, one: Layer, other: Layer, work: Callable[[], T]) -> T:
        """Answer about two layers together, kept like that of one."""
        return cast(T, self._memory.get((what, *self._name(one), *self._name(other)), work))

    def kept_of_each(
        self, what: Hashable, layers: tuple[Layer, ...], work: Callable[[tuple[Layer, ...]], list[T]]
    ) -> list[T]:
        """Answers about several layers, kept like that of one: those not known yet are worked out together."""
        new = tuple(layer for layer in layers if (what, *self._name(layer)) not in self._memory)
        made = {layer.id: answer for layer, answer in zip(new, work(new) if new else [], strict=True)}
        return [
            self.kept(what, layer, lambda layer=layer: made[layer.id] if layer.id in made else work((layer,))[0])  # type: ignore[misc]
            for layer in layers
        ]

    @cached_property
    def _memory(self) -> Bounded[object]:
        return _memory() if self.art is None else _kept

    def _name(self, layer: Layer) -> tuple[Hashable, ...]:
        """Identity under which the answers about a layer are kept."""
        if layer.id not in self._names:
            self._names[layer.id] = (layer.id,) if self.art is None else self._told(layer, self.art.shelf)
        return self._names[layer.id]

    def _told(self, layer: Layer, shelf: ArtShelf) -> tuple[Hashable, ...]:
        said = (
            layer.model_dump_json(exclude={"name"}),
            *(step.as_json for step in steps_of(self.scene, layer)),
        )
        return self.needs.key(layer), shelf.key_of(layer), shelf.is_ready(layer), said

    def needs_at(self, state: State) -> Needs:
        """Needed art at one state only, shared by all who ask for that state."""
        if state not in self._moments:
            self._moments[state] = Needs(self.scene, self.motion, state)
        return self._moments[state]


class Check(ABC):
    """One check. `id` is the word in documents, `name` and `plural` the words in the verdict, `unit` what is counted."""

    id: ClassVar[str]
    name: ClassVar[str]
    plural: ClassVar[str]
    unit: ClassVar[str] = "px"
    description: ClassVar[str]
    sure: ClassVar[str]  # how exactly the worst is known, in words
    spread: ClassVar[Spread] = "moment"

    @abstractmethod
    def run(self, subject: Subject) -> list[Finding]:
        """All findings of this check on the subject."""

    @abstractmethod
    def short(self, finding: Finding) -> str:
        """A finding of this check in a few words, amount and side included."""

    def eased(self, subject: Subject, finding: Finding) -> Finding:
        """The same finding at a state that is as bad, with every driver that does not matter to it at rest."""
        return finding

    def moment(self, scene: Scene, finding: Finding) -> str:
        """The worst moment in words."""
        return describe_state(scene, finding.state)

    def key(self, finding: Finding) -> tuple[str, str, str]:
        """Identity of a finding among those of this check."""
        return finding.check, finding.layer, finding.side

    def tells_over(self, finding: Finding, other: Finding) -> bool:
        """True where `other`, of another check, says nothing that `finding` of this one has not said: it is left out."""
        return False


CHECKS: Registry[Check] = Registry("checks")


def register(check: type[Check]) -> type[Check]:
    """Class decorator: put one instance of a check into the registry."""
    CHECKS.add(check.id, check())
    return check


def describe_state(scene: Scene, state: State) -> str:
    """The state in words, naming only the drivers that are on; no zero has a minus."""
    parts = []
    if scene.drivers.scroll:
        parts.append(f"scroll {state.scroll:z.4g}")
    if scene.drivers.pointer:
        parts.append(f"pointer {state.pointer[0]:z.3g}, {state.pointer[1]:z.3g}")
    if scene.drivers.time:
        parts.append(f"time {state.time:z.4g} s")
    return " · ".join(parts) or "at rest"
