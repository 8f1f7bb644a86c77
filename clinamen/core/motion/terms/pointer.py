"""Pointer: the settled pointer carries the camera sideways, by its reach at the end of the pad."""

from collections.abc import Iterable, Sequence

from clinamen.core.arrays import Floats
from clinamen.core.document import Bearer, Scene, Track
from clinamen.core.interval import Interval, number_of
from clinamen.core.motion.states import Cells, States
from clinamen.core.motion.terms.base import Names, Term
from clinamen.core.quantities import plain

AXIS_OF = {"x": "u", "y": "v"}


class Pointer(Term):
    """`axis` "u" or "v" times `reach` scene pixels."""

    kind = "pointer"

    def __init__(self, axis: str, reach: float) -> None:
        self.axis, self.reach = axis, reach
        self.axes = frozenset({axis})

    def value(self, states: States) -> Floats:
        at: Floats = getattr(states, self.axis)
        return at * self.reach

    def range(self, cells: Cells) -> Interval:
        over: Interval = getattr(cells, self.axis)
        return over * number_of(self.reach)

    def css(self, names: Names) -> str:
        return f"{names.driver(self.axis)}*{plain(self.reach)}"


def terms_of(scene: Scene, target: str, own: Bearer | None, tracks: Sequence[Track]) -> Iterable[tuple[str, Term]]:
    """The camera's x and y, where the pointer is on and reaches anywhere."""
    driver = scene.drivers.pointer
    if target == "camera" and driver is not None:
        for channel, axis in AXIS_OF.items():
            if reach := float(getattr(driver, f"reach_{channel}")):
                yield channel, Pointer(axis, reach)
