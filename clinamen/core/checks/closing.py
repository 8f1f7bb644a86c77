"""The smallest change that closes a gap: raised only as far as the worst point demands, until no worst point is left.

Covering the worst point is a necessary condition, so the least value that covers it never overshoots; the search is run
again with it, and the next worst point raises it further, until the gap is gone. The result is least to rounding.
"""

import math
from collections.abc import Callable
from functools import partial
from typing import Protocol

import numpy as np

from clinamen.core.bounds.gaps import Gap
from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.bounds.search import TOLERANCE, Coverage, Worst, as_cells, cell_point, find_worst
from clinamen.core.checks import fixes
from clinamen.core.checks.base import Fix, Subject
from clinamen.core.document import Scene, is_seen
from clinamen.core.edits import changes
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import driver_bounds
from clinamen.core.prep.steps import Cut, Fill, Step
from clinamen.core.prep.steps.tidy import SOLID_BEYOND

MOST_SCALE = 2.0  # a layer that would have to grow further is not a cure
MOST_OTHER_SCALE = 1.25  # nor is another, where one was found
LEAST_SHARE = 0.05  # nor is a move of which nearly nothing is left
CLOSED = 0.1  # view px: a gap that is closed shows no more than this, a fifth of what counts as a gap
ROUNDS = 12
NEARLY = 0.005  # of a cure: how exactly it is the least
HALVINGS = 22
CLOSERS = 2

Trial = tuple[Scene, dict[str, OpaqueSet], Motion]


class Reopened(Protocol):
    """Looks for a gap that a trial leaves open: by the check's own search where it is to be `sure`, else in coarse pictures."""

    def __call__(self, trial: Trial, sure: bool) -> Gap | None: ...


def fixes_for(subject: Subject, gap: Gap, reopened: Reopened) -> tuple[tuple[Fix, ...], tuple[str, ...]]:
    """Fixes for a gap, best first, and the ids of the layers that could close it. After each nothing is `reopened`."""
    closing = _Closing(subject, gap, reopened)
    found: list[Fix] = []
    closers: list[str] = []
    for layer_id in nearest_layers(Coverage(subject.scene, subject.sets, subject.motion), gap):
        fix = closing.by_scale(layer_id, MOST_OTHER_SCALE if closers else MOST_SCALE)
        if fix:
            found.append(fix)
            closers.append(layer_id)
        extension = closing.by_extension(layer_id) if not closers or closers == [layer_id] else None
        if extension:
            found.append(extension)
            closers.append(layer_id)
        if len(set(closers)) >= CLOSERS:
            break
    found += closing.by_repeating(closers)
    found += closing.by_the_cut()
    found += [fix for driver in ("pointer", "scroll", "time") if (fix := closing.by_less(driver))]
    return tuple(found), tuple(dict.fromkeys(closers))


def nearest_layers(coverage: Coverage, gap: Gap) -> tuple[str, ...]:
    """Layers that could close a gap, by how little they lack at its worst point; broad ones alone, if there are any: leaves and
    railings cover what they cover, but nobody closes a gap with them."""
    cell = as_cells(cell_point(gap.worst)[None])
    lacks = [(float(coverage.lack_of(i, cell)[0]), layer.id) for i, (layer, _) in enumerate(coverage.layers)]
    limit = 2.0 * max(coverage.scene.view.width, coverage.scene.view.height)
    return tuple(layer_id for lack, layer_id in sorted(lacks) if lack < limit)[:4]


def _lack_at(trial: Trial, worst: Worst, only: str) -> float:
    """The lack at the worst point; `only` names the layer a trial changes: the others do not cover the point anyway."""
    scene, sets, motion = trial
    if only:
        scene = scene.model_copy(update={"layers": (scene.layer(only),)})
    return float(Coverage(scene, sets, motion).bounds(as_cells(cell_point(worst)[None]))[0][0])


def least(
    make: Callable[[float], Trial],
    gap: Gap,
    start: float,
    limit: float,
    step: float,
    only: str = "",
    reopened: Reopened | None = None,
) -> float | None:
    """The value nearest to `start`, towards `limit`, in steps of `step`, at which the gap is closed: nothing is left of it by
    `reopened`, or else its patch is covered. None if there is no such value."""
    worst, value, short = gap.worst, start, start
    for turn in range(ROUNDS):
        least_lack = max(0.0, _lack_at(make(limit), worst, only))  # a hair beside what is closed may stay bare
        if least_lack > CLOSED:
            return None
        bad, good = value, limit
        for _ in range(HALVINGS):
            middle = (bad + good) / 2
            bad, good = (bad, middle) if _lack_at(make(middle), worst, only) <= least_lack else (middle, good)
            if abs(good - bad) < step / 8:
                break
        ticks = good / step
        value = step * (math.ceil(ticks - 1e-6) if limit > start else math.floor(ticks + 1e-6))
        value = min(max(value, min(start, limit)), max(start, limit))
        if reopened is None:
            worst = _what_is_left(make(value), gap)
            if _is_closed(worst):
                return round(value, 6)
        else:
            left = reopened(make(value), sure=False)
            if left is None and not (turn == 0 and Coverage(*make(value)).slides):
                nearer = _nearer(make, short, value, step, partial(_seems_closed, gap.worst, only, reopened))
                if nearer != value and reopened(make(nearer), sure=True) is None:
                    return round(nearer, 6)
            left = left or reopened(make(value), sure=True)
            if left is None:
                return round(value, 6)
            worst = left.worst
        short = value
    return None


def _seems_closed(worst: Worst, only: str, reopened: Reopened, trial: Trial) -> bool:
    """True where a trial covers a gap's worst point as nearly as counts, and a look finds nothing of the gap."""
    return _lack_at(trial, worst, only) <= TOLERANCE and reopened(trial, sure=False) is None


def _nearer(
    make: Callable[[float], Trial], short: float, value: float, step: float, closed: Callable[[Trial], bool]
) -> float:
    """A value nearer to one that falls short with which a gap is closed too: covering one place after the other may ask for too
    much."""
    while abs(value - short) > max(step, NEARLY * abs(value)):
        middle = step * round((value + short) / 2 / step)
        if middle in (value, short):
            break
        short, value = (short, middle) if closed(make(middle)) else (middle, value)
    return value


def _what_is_left(trial: Trial, gap: Gap) -> Worst:
    """The worst that a trial leaves of a gap."""
    return find_worst(Coverage(*trial), gap.patch, tolerance=CLOSED)


def _is_closed(worst: Worst) -> bool:
    return worst.lack <= CLOSED and worst.proved


class _Closing:
    """The ways to close one gap, each as a fix or none."""

    def __init__(self, subject: Subject, gap: Gap, reopened: Reopened) -> None:
        self.subject, self.gap, self.reopened = subject, gap, reopened

    def _least(
        self, make: Callable[[float], Trial], start: float, limit: float, step: float, only: str = ""
    ) -> float | None:
        return least(make, self.gap, start, limit, step, only, self.reopened)

    def _closes(self, trial: Trial) -> bool:
        return self.reopened(trial, sure=True) is None

    def by_scale(self, layer_id: str, most: float) -> Fix | None:
        subject = self.subject
        layer = subject.scene.layer(layer_id)

        def make(scale: float) -> Trial:
            return changes.with_scale(subject.scene, layer_id, scale), subject.sets, subject.motion

        scale = self._least(make, layer.framing.scale, layer.framing.scale * most, 0.001, layer_id)
        return None if scale is None else fixes.scale(layer, scale)

    def by_extension(self, layer_id: str) -> Fix | None:
        subject, layer = self.subject, self.subject.scene.layer(layer_id)
        side = _layer_side(self.gap.side, layer.framing.rotation)
        along = "x" if side in ("left", "right") else "y"
        if not side or layer.tilt.lean or layer.tilt.turn or getattr(layer.repeat, along) != "none":
            return None
        size = layer.art.width if side in ("left", "right") else layer.art.height

        def make(pixels: float) -> Trial:
            count = max(0, round(pixels))
            sets = {**subject.sets, layer_id: changes.extended_set(subject.sets[layer_id], side, count)}
            return changes.with_extension(subject.scene, layer_id, side, count), sets, subject.motion

        if not subject.sets[
            layer_id
        ].full:  # a field per trial is dear: tried are the worst lack in art pixels and those beside
            aim = math.ceil(self.gap.worst.lack / layer.framing.scale)
            tried = range(max(1, aim - 1), min(aim + 3, size))
            found = next((float(pixels) for pixels in tried if self._closes(make(pixels))), None)
        else:
            found = self._least(make, 0, 2 * size, 1, layer_id)
        return fixes.extend(layer, side, round(found)) if found else None

    def by_repeating(self, closers: list[str]) -> list[Fix]:
        """Art that goes on, mirrored, where it ends: for the layer that would close the gap best, where that closes it."""
        subject = self.subject
        near = nearest_layers(Coverage(subject.scene, subject.sets, subject.motion), self.gap)
        for layer_id in dict.fromkeys([*closers, *near]):
            layer = subject.scene.layer(layer_id)
            side = _layer_side(self.gap.side, layer.framing.rotation)
            axis = "x" if side in ("left", "right") else "y"
            if not side or getattr(layer.repeat, axis) != "none" or layer.frames is not None:
                continue
            repeat = layer.repeat.model_copy(update={axis: "mirror"})
            tried = changes.replace_layer(subject.scene, layer_id, repeat=repeat)
            if self._closes((tried, subject.sets, subject.motion)):
                return [fixes.repeat(layer, axis)]
        return []

    def by_the_cut(self) -> list[Fix]:
        """Fixes of a gap through a cut piece: the piece made solid inside, or the layer behind it filled all the way."""
        subject, found = self.subject, []
        for layer in subject.scene.layers:
            steps = layer.recipe.steps if layer.recipe and is_seen(subject.scene, layer) else ()
            if any(isinstance(step, Cut) and step.on for step in steps) and not any(_fills(step) for step in steps):
                solid = changes.solid_set(subject.sets[layer.id], SOLID_BEYOND)
                if self._closes((subject.scene, {**subject.sets, layer.id: solid}, subject.motion)):
                    found.append(fixes.solid_inside(layer, SOLID_BEYOND))
            for index, step in enumerate(steps):
                full = {**subject.sets, layer.id: opaque_set(None, layer.art.width, layer.art.height)}
                if _fills(step) and self._closes((subject.scene, full, subject.motion)):
                    found.append(fixes.fill_behind(layer, index, math.hypot(layer.art.width, layer.art.height)))
        return found

    def by_less(self, driver: str) -> Fix | None:
        """A shorter reach of the pointer, or less of the camera's travel over a driver."""
        subject, scene = self.subject, self.subject.scene
        if driver == "pointer":
            pointer = scene.drivers.pointer
            axis = "x" if self.gap.side in ("left", "right", "") else "y"
            reach = abs(getattr(pointer, f"reach_{axis}")) if pointer else 0.0
            if not reach:
                return None

            def reaching(reach: float) -> Trial:
                changed = changes.with_pointer_reach(scene, axis, reach)
                return changed, subject.sets, Motion(changed)

            shorter = self._least(reaching, reach, 0.0, 0.1)
            return fixes.pointer_reach(axis, shorter, reach) if shorter and shorter >= LEAST_SHARE * reach else None
        travels = any(track.target == "camera" and track.driver == driver for track in scene.tracks)
        if not travels or not np.ptp(driver_bounds(scene)[driver]):
            return None

        def travelling(share: float) -> Trial:
            changed = changes.with_travel(scene, driver, share)
            return changed, subject.sets, Motion(changed)

        share = self._least(travelling, 1.0, 0.0, 0.001)
        return fixes.travel(driver, share) if share and share >= LEAST_SHARE else None


def _fills(step: Step) -> bool:
    return isinstance(step, Fill) and step.on


def _layer_side(side: str, rotation: float) -> str:
    """Which side of a layer's own art faces a side of the view, for a layer rotated clockwise."""
    order = ["top", "right", "bottom", "left"]
    if side not in order:
        return ""
    return order[(order.index(side) - round(rotation / 90)) % 4]
