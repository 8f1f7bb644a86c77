"""What a check is, and what it finds. A new check is one module: subclass Check, give id, name and `run`."""

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

from clinamen.core.document import Scene
from clinamen.core.motion.pose import Motion, State
from clinamen.core.proof.needs import Needs
from clinamen.core.proof.opaque import OpaqueSet

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True)
class Where:
    """A rectangle of the view, in view pixels."""

    x: float
    y: float
    width: float
    height: float

    def to_json(self) -> dict[str, float]:
        return {name: round(getattr(self, name), 2) for name in ("x", "y", "width", "height")}


@dataclass(frozen=True)
class Fix:
    """A computed change that makes a finding go away.

    kind "scale": the framing scale of `layer`; "extend": art pixels added to `side` of `layer`; "reach": the pointer's
    reach in scene pixels along `side`'s axis, or for scroll and time the share of the camera's travel that is left;
    "fill": how many art pixels the fill of `layer` has to reach, `side` being its place in the recipe.
    """

    kind: Literal["scale", "extend", "reach", "fill"]
    value: float
    layer: str = ""
    side: str = ""
    driver: str = ""
    text: str = ""

    def to_json(self) -> dict[str, Any]:
        named = {name: getattr(self, name) for name in ("layer", "side", "driver", "text") if getattr(self, name)}
        return {"kind": self.kind, "value": self.value, **named}


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

    @property
    def name(self) -> str:
        """What the check calls one such finding."""
        return CHECKS[self.check].name

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
        }


@dataclass
class Subject:
    """What a check looks at: the scene, its compiled motion, and the opaque sets of its layers by layer id.

    `with_fixes`: compute what closes each finding; `at_ease`: put drivers that do not matter to a worst state to rest,
    for which a drag's preview has no time.
    """

    scene: Scene
    sets: dict[str, OpaqueSet]
    with_fixes: bool = True
    needs: Needs = field(default=None)  # type: ignore[assignment]
    at_ease: bool = True
    motion: Motion = field(init=False)

    def __post_init__(self) -> None:
        self.needs = self.needs or Needs(self.scene)
        self.motion = self.needs.motion


class Check(ABC):
    """One check. `id` is the word in documents, `name` and `plural` the words in the verdict."""

    id: ClassVar[str]
    name: ClassVar[str]
    plural: ClassVar[str]
    description: ClassVar[str]

    @abstractmethod
    def run(self, subject: Subject) -> list[Finding]:
        """All findings of this check on the subject."""


CHECKS: dict[str, Check] = {}


def register(check: Callable[[], Check]) -> Callable[[], Check]:
    """Class decorator: put one instance of a check into the registry."""
    instance = check()
    CHECKS[instance.id] = instance
    return check


def describe_state(scene: Scene, state: State) -> str:
    """The state in words, naming only the drivers that are on."""
    parts = []
    if scene.drivers.scroll:
        parts.append(f"scroll {state.scroll:.4g}")
    if scene.drivers.pointer:
        parts.append(f"pointer {state.pointer[0]:.3g}, {state.pointer[1]:.3g}")
    if scene.drivers.time:
        parts.append(f"time {state.time:.4g} s")
    return " · ".join(parts) or "at rest"
