"""What a term is: one summand (or factor) of a channel's value. A new kind of term is one module beside this one.

Each module has `terms_of(scene, target, own, tracks)`, which yields the terms it has to give for the camera or a layer with the
channel each belongs to; the package's list names the modules. Everything that must agree about a term stands in its class:
its values, the range that bounds them, what it is in a style sheet, and what an engine kit is told.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, ClassVar, Protocol

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Bearer, Scene, Track
from clinamen.core.interval import Interval
from clinamen.core.motion.states import Cells, States


class Names(Protocol):
    """How a style sheet calls what a term depends on."""

    def driver(self, axis: str) -> str:
        """The value of a driver axis, as a CSS expression."""
        ...

    def track(self, term: "Term") -> str:
        """The value of a term that has an animation of its own, as a CSS expression."""
        ...


class Term(ABC):
    """One term. `kind` names it, `axes` are the driver axes it changes with."""

    kind: ClassVar[str]
    axes: frozenset[str] = frozenset()

    @abstractmethod
    def value(self, states: States) -> Floats:
        """Values [N]."""

    @abstractmethod
    def range(self, cells: Cells) -> Interval:
        """Bounds [N] of the values over whole cells, exact up to rounding."""

    @abstractmethod
    def css(self, names: Names) -> str:
        """The value as an expression of CSS; it depends on the same numbers as `value`."""

    def kit(self) -> Mapping[str, Any] | None:
        """What an engine kit writes of the term among its tracks; None where the kit says it elsewhere."""
        return None

    def turns(self, axis: str) -> Floats:
        """Places [K] along a driver axis where the value may be extreme or jump."""
        return np.zeros(0)

    def jumps(self, axis: str) -> Floats:
        """Places [K] along a driver axis where the value jumps; the moment itself belongs to the later side."""
        return np.zeros(0)


class TermModule(Protocol):
    """A module of this package."""

    def terms_of(
        self, scene: Scene, target: str, own: Bearer | None, tracks: Sequence[Track]
    ) -> Iterable[tuple[str, Term]]: ...
