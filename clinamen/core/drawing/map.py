"""The map: the range of one driver along, the checks down; where each fails there, and how badly beside its worst.

Checks that can be asked of one place are: the driver is held there, the others may be anywhere. Other findings stand at their
moment, or all along where they hold whatever moves.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from clinamen.core.checks import CHECKS, Finding, Subject
from clinamen.core.checks.base import Check
from clinamen.core.document import Scene
from clinamen.core.motion.states import AXES, State, driver_bounds
from clinamen.core.quantities import shown

PLACES = 41
LEFT, RIGHT, TOP, ROW = 150.0, 16.0, 6.0, 12.0  # px of the page
NAMES = {"scroll": "scroll", "u": "pointer across", "v": "pointer down", "time": "time"}


@dataclass(frozen=True)
class Spot:
    """One check at one place of the driver: the worst finding there; `share` of the worst anywhere, 0…1."""

    index: int
    x: float
    finding: Finding
    share: float
    label: str


@dataclass(frozen=True)
class Row:
    check: Check
    y: float
    spots: tuple[Spot, ...]

    @property
    def says(self) -> str:
        """What the row shows, in words."""
        if not self.spots:
            return f"no {self.check.name}: {self.check.sure}"
        worst = max(self.spots, key=lambda spot: spot.share)
        places = len({spot.index for spot in self.spots})
        return f"{self.check.name} at {places} of {PLACES} places, at worst {worst.label}"


@dataclass(frozen=True)
class Map:
    """The rows over a driver on a page of `width`; a spot is `step` wide; `marks` are the driver's own numbers along it."""

    axis: str
    name: str
    width: float
    step: float
    rows: tuple[Row, ...]
    marks: tuple[tuple[float, str], ...]

    @property
    def floor(self) -> float:
        return TOP + ROW * len(self.rows)

    @property
    def height(self) -> float:
        return self.floor + 26


def axes_of(scene: Scene) -> list[tuple[str, str]]:
    """The drivers that a map can be drawn over, and their names."""
    return [(axis, NAMES[axis]) for axis, (low, high) in driver_bounds(scene).items() if high > low]


def draw(subject: Subject, findings: Sequence[Finding], axis: str = "", width: float = 688.0) -> Map | None:
    """The map over an axis, the first there is where none is named; None where nothing can move. Checks that found something come
    first."""
    axes = [each for each, _ in axes_of(subject.scene)]
    if not axes:
        return None
    axis = axis if axis in axes else axes[0]
    low, high = driver_bounds(subject.scene)[axis]
    places = np.linspace(low, high, PLACES)
    slices = [subject.at(axis, float(place)) for place in places]
    step, rows = (width - LEFT - RIGHT) / PLACES, []
    by_check = {check.id: [finding for finding in findings if finding.check == check.id] for check in CHECKS.values()}
    for number, check in enumerate(sorted(CHECKS.values(), key=lambda check: not by_check[check.id])):
        own = by_check[check.id]
        found = _local(check, slices) if check.spread == "local" and own else _placed(check, own, axis, places)
        worst = max((finding.amount for _, finding in found), default=0.0)
        spots = tuple(
            Spot(index, round(LEFT + step * index, 2), f, f.amount / worst if worst > 0 else 1.0, check.short(f))
            for index, f in found
        )
        rows.append(Row(check, TOP + ROW * number, spots))
    shares = np.linspace(0, 1, 5)
    marks = tuple(
        (round(LEFT + step * (0.5 + (PLACES - 1) * float(share)), 2), shown(low + (high - low) * float(share), 2))
        for share in shares
    )
    return Map(axis, NAMES[axis], width, round(step, 3), tuple(rows), marks)


def _local(check: Check, slices: Sequence[Subject]) -> list[tuple[int, Finding]]:
    """The worst finding of a check at each place that has one."""
    found = []
    for index, held in enumerate(slices):
        here = check.run(held)
        if here:
            found.append((index, max(here, key=lambda finding: finding.amount)))
    return found


def _placed(
    check: Check, findings: Iterable[Finding], axis: str, places: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]"
) -> list[tuple[int, Finding]]:
    """Findings at their moments, the worst at each place, or all along."""
    worst: dict[int, Finding] = {}
    for finding in findings:
        at = int(np.abs(places - on_axis(finding.state, axis)).argmin())
        for index in range(len(places)) if check.spread == "whole" else (at,):
            if index not in worst or finding.amount > worst[index].amount:
                worst[index] = finding
    return sorted(worst.items())


def on_axis(state: State, axis: str) -> float:
    """A state's place on an axis."""
    return (state.scroll, *state.pointer, state.time)[AXES.index(axis)]
