"""The smallest change that closes a gap: raised only as far as the worst point demands, until no worst point is left.

Covering the worst point is a necessary condition, so the least value that covers it never overshoots; the search is run
again with it, and the next worst point raises it further, until the gap is gone. The result is least to rounding.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.bounds.search import TOLERANCE, Coverage, Patch, Worst, as_cells, cell_point, find_worst
from clinamen.core.checks import fixes
from clinamen.core.checks.base import Fix, Subject
from clinamen.core.document import Scene, is_seen
from clinamen.core.edits import changes
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import driver_bounds
from clinamen.core.prep.steps import Cut, Fill, Step
from clinamen.core.prep.steps.tidy import SOLID_BEYOND

MOST_SCALE = 2.0  # a layer that would have to grow further is not a cure
LEAST_SHARE = 0.05  # nor is a move of which nearly nothing is left
ROUNDS = 12
HALVINGS = 22
CLOSERS = 2

Trial = tuple[Scene, dict[str, OpaqueSet], Motion]


@dataclass(frozen=True)
class Gap:
    """A gap to close: its patch of the view, its side ("" inside the view) and its worst point."""

    patch: Patch
    side: str
    worst: Worst


def fixes_for(subject: Subject, gap: Gap) -> tuple[tuple[Fix, ...], tuple[str, ...]]:
    """Fixes for a gap, best first, and the ids of the layers that could close it."""
    found: list[Fix] = []
    closers: list[str] = []
    for layer_id in nearest_layers(Coverage(subject.scene, subject.sets, subject.motion), gap):
        fix = _scale_fix(subject, gap, layer_id)
        if fix:
            found.append(fix)
            closers.append(layer_id)
        extension = _extend_fix(subject, gap, layer_id) if not closers or closers == [layer_id] else None
        if extension:
            found.append(extension)
            closers.append(layer_id)
        if len(set(closers)) >= CLOSERS:
            break
    found += _repeat_fixes(subject, gap, closers)
    found += _cut_fixes(subject, gap)
    found += [fix for driver in ("pointer", "scroll", "time") if (fix := _reach_fix(subject, gap, driver))]
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
    make: Callable[[float], Trial], gap: Gap, start: float, limit: float, step: float, only: str = ""
) -> float | None:
    """The value nearest to `start`, towards `limit`, in steps of `step`, at which the gap is closed; None if none."""
    worst, value = gap.worst, start
    for _ in range(ROUNDS):
        if _lack_at(make(limit), worst, only) > TOLERANCE:
            return None
        bad, good = value, limit
        for _ in range(HALVINGS):
            middle = (bad + good) / 2
            bad, good = (bad, middle) if _lack_at(make(middle), worst, only) <= 0 else (middle, good)
            if abs(good - bad) < step / 8:
                break
        ticks = good / step
        value = step * (math.ceil(ticks - 1e-6) if limit > start else math.floor(ticks + 1e-6))
        value = min(max(value, min(start, limit)), max(start, limit))
        worst = find_worst(Coverage(*make(value)), gap.patch)
        if worst.lack <= TOLERANCE and worst.proved:
            return round(value, 6)
    return None


def _scale_fix(subject: Subject, gap: Gap, layer_id: str) -> Fix | None:
    layer = subject.scene.layer(layer_id)

    def make(scale: float) -> Trial:
        return changes.with_scale(subject.scene, layer_id, scale), subject.sets, subject.motion

    scale = least(make, gap, layer.framing.scale, layer.framing.scale * MOST_SCALE, 0.001, layer_id)
    if scale is None:
        return None
    return fixes.scale(layer, scale)


def _extend_fix(subject: Subject, gap: Gap, layer_id: str) -> Fix | None:
    layer = subject.scene.layer(layer_id)
    side = _layer_side(gap.side, layer.framing.rotation)
    along = "x" if side in ("left", "right") else "y"
    if not side or layer.tilt.lean or layer.tilt.turn or getattr(layer.repeat, along) != "none":
        return None
    size = layer.art.width if side in ("left", "right") else layer.art.height

    def make(pixels: float) -> Trial:
        count = max(0, round(pixels))
        sets = {**subject.sets, layer_id: changes.extended_set(subject.sets[layer_id], side, count)}
        return changes.with_extension(subject.scene, layer_id, side, count), sets, subject.motion

    if not subject.sets[layer_id].full:  # a field per trial is dear: take the worst lack in art pixels and prove that
        pixels = math.ceil(gap.worst.lack / layer.framing.scale) + 1
        closed = pixels < size and find_worst(Coverage(*make(pixels)), gap.patch).lack <= TOLERANCE
        found = float(pixels) if closed else None
    else:
        found = least(make, gap, 0, 2 * size, 1, layer_id)
    if not found:
        return None
    return fixes.extend(layer, side, round(found))


def _repeat_fixes(subject: Subject, gap: Gap, closers: list[str]) -> list[Fix]:
    """Art that goes on, mirrored, where it ends: for the layer that would close the gap best, where that closes it."""
    for layer_id in dict.fromkeys(
        [*closers, *nearest_layers(Coverage(subject.scene, subject.sets, subject.motion), gap)]
    ):
        layer = subject.scene.layer(layer_id)
        side = _layer_side(gap.side, layer.framing.rotation)
        axis = "x" if side in ("left", "right") else "y"
        if not side or getattr(layer.repeat, axis) != "none" or layer.frames is not None:
            continue
        repeat = layer.repeat.model_copy(update={axis: "mirror"})
        tried = changes.replace_layer(subject.scene, layer_id, repeat=repeat)
        worst = find_worst(Coverage(tried, subject.sets, subject.motion), gap.patch)
        if worst.lack <= TOLERANCE and worst.proved:
            return [fixes.repeat(layer, axis)]
    return []


def _cut_fixes(subject: Subject, gap: Gap) -> list[Fix]:
    """What closes a gap through a cut piece: the piece solid inside, or what stands behind it filled all the way."""
    found = []
    for layer in subject.scene.layers:
        steps = layer.recipe.steps if layer.recipe and is_seen(subject.scene, layer) else ()
        if any(isinstance(step, Cut) and step.on for step in steps) and not any(_fills(step) for step in steps):
            solid = changes.solid_set(subject.sets[layer.id], SOLID_BEYOND)
            if _closed_by(subject, gap, {layer.id: solid}):
                found.append(fixes.solid_inside(layer, SOLID_BEYOND))
        for index, step in enumerate(steps):
            if _fills(step) and _closed_by(
                subject, gap, {layer.id: opaque_set(None, layer.art.width, layer.art.height)}
            ):
                found.append(fixes.fill_behind(layer, index, math.hypot(layer.art.width, layer.art.height)))
    return found


def _fills(step: Step) -> bool:
    return isinstance(step, Fill) and step.on


def _closed_by(subject: Subject, gap: Gap, sets: dict[str, OpaqueSet]) -> bool:
    worst = find_worst(Coverage(subject.scene, {**subject.sets, **sets}, subject.motion), gap.patch)
    return worst.lack <= TOLERANCE and worst.proved


def _layer_side(side: str, rotation: float) -> str:
    """Which side of a layer's own art faces a side of the view, for a layer rotated clockwise."""
    order = ["top", "right", "bottom", "left"]
    if side not in order:
        return ""
    return order[(order.index(side) - round(rotation / 90)) % 4]


def _reach_fix(subject: Subject, gap: Gap, driver: str) -> Fix | None:
    scene, bounds = subject.scene, driver_bounds(subject.scene)
    if driver == "pointer":
        pointer = scene.drivers.pointer
        axis = "x" if gap.side in ("left", "right", "") else "y"
        reach = abs(getattr(pointer, f"reach_{axis}")) if pointer else 0.0
        if not reach:
            return None

        def reaching(reach: float) -> Trial:
            changed = changes.with_pointer_reach(scene, axis, reach)
            return changed, subject.sets, Motion(changed)

        shorter = least(reaching, gap, reach, 0.0, 0.1)
        if shorter is None or shorter < LEAST_SHARE * reach:
            return None
        return fixes.pointer_reach(axis, shorter, reach)
    travels = any(track.target == "camera" and track.driver == driver for track in scene.tracks)
    if not travels or not np.ptp(bounds[driver]):
        return None

    def travelling(share: float) -> Trial:
        changed = changes.with_travel(scene, driver, share)
        return changed, subject.sets, Motion(changed)

    share = least(travelling, gap, 1.0, 0.0, 0.001)
    if share is None or share < LEAST_SHARE:
        return None
    return fixes.travel(driver, share)
