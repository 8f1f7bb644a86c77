"""Edge: a side of a layer's art that lies outside the view at rest comes into it, and its straight cut is seen.

Only a side whose border pixels really show counts, so a bell or a fish that ends inside the view is left alone.
"""

import math
from dataclasses import replace
from functools import partial

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import SIDES, Need, Needs, shortage
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.checks import fixes
from clinamen.core.checks.base import MANY, Check, Finding, Fix, Subject, Where, describe_state, register
from clinamen.core.checks.edge_many import message_of, together
from clinamen.core.checks.less import less_move
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits import changes
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown
from clinamen.core.stage import Sheet, framed, project, stage_at

TOLERANCE = 0.5  # view pixels
MOST_SCALE = 4.0

_kept_out: Bounded[frozenset[str]] = Bounded(20_000, lambda sides: 1)


@register
class EdgeCheck(Check):
    id = "edge"
    name = "cut edge"
    plural = "cut edges"
    description = "A side of a layer's art comes into the view."
    sure = "bounded over all states to half an art pixel"
    spread = "local"

    def short(self, finding: Finding) -> str:
        return f"{shown(finding.amount, 0)} px short on the {finding.side}"

    def run(self, subject: Subject) -> list[Finding]:
        layers = [x for x in seen_layers(subject.scene) if x.opacity > 0 and subject.sets[x.id].borders]
        # cures of single edges are worked out only where there are few
        plain = [(x, _layer_findings(subject, x, subject.needs.of(x), False)) for x in layers]
        cut = [(layer, found) for layer, found in plain if found]
        if len(cut) < MANY and subject.with_fixes:
            cut = [(layer, _layer_findings(subject, layer, subject.needs.of(layer), True)) for layer, _ in cut]
        findings = sorted((each for _, found in cut for each in found), key=lambda finding: -finding.amount)
        return together(subject, findings, TOLERANCE)

    def eased(self, subject: Subject, finding: Finding) -> Finding:
        layer, side = subject.scene.layer(finding.layer), finding.side
        state = subject.kept(("at ease", side), layer, partial(_at_ease, subject, layer, side, finding.state))
        where = _seen_border(subject, layer, side, state)
        if where is None:
            return finding
        scale = layer.framing.scale * subject.scene.camera.zoom
        message = _message(subject.scene, layer, side, finding.amount, state) + _unsure(
            subject.needs.of(layer), side, scale
        )
        if len(finding.closers) > 1:
            message = message_of(len(finding.closers), message)
        return replace(finding, state=state, where=where, message=message)


def _layer_findings(subject: Subject, layer: Layer, need: Need, with_fixes: bool) -> list[Finding]:
    findings = []
    borders = subject.sets[layer.id].borders
    for (side, missing), state in zip(shortage(layer, need).items(), need.states, strict=True):
        if side not in borders or not math.isfinite(missing):
            continue
        scale = layer.framing.scale * subject.scene.camera.zoom
        if missing * scale <= TOLERANCE or side not in kept_out(subject.needs, layer, subject.sets[layer.id]):
            continue
        where = _seen_border(subject, layer, side, state)
        if where is None:
            continue
        amount = missing * scale
        message = _message(subject.scene, layer, side, amount, state) + _unsure(need, side, scale)
        cures = _fixes(subject, layer, side, missing) if with_fixes else ()
        findings.append(
            Finding("edge", "warning", layer.id, state, amount, "px", where, message, side, cures, (layer.id,))
        )
    return findings


def _message(scene: Scene, layer: Layer, side: str, amount: float, state: State) -> str:
    return f"the {side} edge of {layer.label} comes {amount:.1f} px into the view ({describe_state(scene, state)})"


def _unsure(need: Need, side: str, scale: float) -> str:
    """Return what the search left open when its budget ended, for the end of a message; "" where it left nothing."""
    more = need.left_open[SIDES.index(side)] * scale
    return f"; it may be up to {more:.1f} px more at another moment" if more > TOLERANCE else ""


def _at_ease(subject: Subject, layer: Layer, side: str, state: State) -> State:
    missing = shortage(layer, subject.needs.of(layer))[side]
    for axis in ("u", "v", "time", "scroll"):
        u, v = state.pointer
        trial = State(
            0.0 if axis == "scroll" else state.scroll,
            (0.0 if axis == "u" else u, 0.0 if axis == "v" else v),
            0.0 if axis == "time" else state.time,
        )
        if shortage(layer, subject.needs_at(trial).of(layer))[side] >= missing - TOLERANCE / 2:
            state = trial
    return state


def border_points(layer: Layer, side: str, span: tuple[float, float]) -> Floats:
    """Ends [2, 2] of the shown part of one border, from the art's centre."""
    half_width, half_height = layer.art.width / 2, layer.art.height / 2
    at = {"left": -half_width, "right": half_width, "top": -half_height, "bottom": half_height}[side]
    return np.array([(at, end) if side in ("left", "right") else (end, at) for end in span])


def kept_out(needs: Needs, layer: Layer, opaque: OpaqueSet) -> frozenset[str]:
    """The sides of a layer's art that do not show in the picture as it was composed, or not where the drivers begin (a move may
    come from elsewhere and land on the picture): they were meant to stay out."""

    def seen() -> frozenset[str]:
        begins = stage_at(needs.scene, State(), needs.motion, (layer,)).sheets[0]
        composed = framed(needs.scene, (layer,)).sheets[0]
        return frozenset(
            side
            for side, span in opaque.borders.items()
            if not all(_border_on(sheet, needs.scene, side, span) for sheet in (begins, composed))
        )

    return _kept_out.get((needs.key(layer), *opaque.borders.items()), seen)


def _seen_border(subject: Subject, layer: Layer, side: str, state: State) -> Where | None:
    """The strip of the view beyond a border that shows there, None if it does not."""

    def seen() -> Where | None:
        sheet = stage_at(subject.scene, state, subject.motion, (layer,)).sheets[0]
        return _border_on(sheet, subject.scene, side, subject.sets[layer.id].borders[side])

    return subject.kept(("border", side, state), layer, seen)


def _border_on(sheet: Sheet, scene: Scene, side: str, span: tuple[float, float]) -> Where | None:
    """The strip of the view beyond a border of a sheet at one state, None if it does not show there."""
    view = scene.view
    points, ahead = project(sheet.matrix[0], border_points(sheet.layer, side, span))
    if np.any(ahead <= 0):
        return None
    x0, y0, x1, y1 = (float(value) for value in (*points.min(axis=0), *points.max(axis=0)))
    inner = TOLERANCE
    if x1 <= inner or y1 <= inner or x0 >= view.width - inner or y0 >= view.height - inner:
        return None
    x0, y0, x1, y1 = max(x0, 0.0), max(y0, 0.0), min(x1, float(view.width)), min(y1, float(view.height))
    strip = {
        "left": (0.0, y0, x1, y1),
        "right": (x0, y0, float(view.width), y1),
        "top": (x0, 0.0, x1, y1),
        "bottom": (x0, y0, x1, float(view.height)),
    }[side]
    return Where(strip[0], strip[1], strip[2] - strip[0], strip[3] - strip[1])


def _fixes(subject: Subject, layer: Layer, side: str, missing: float) -> tuple[Fix, ...]:
    scene, found = subject.scene, []
    half = layer.art.width / 2 if side in ("left", "right") else layer.art.height / 2
    scale = math.ceil(layer.framing.scale * (half + missing) / half * 1000 - 1e-6) / 1000
    if scale <= MOST_SCALE * layer.framing.scale and _holds(changes.with_scale(scene, layer.id, scale), layer.id, side):
        found.append(fixes.scale(layer, scale))
    if not layer.tilt.lean and not layer.tilt.turn:
        found.append(fixes.extend(layer, side, math.ceil(missing)))
    along = "x" if side in ("left", "right") else "y"
    return (*found, *less_move(scene, lambda less: short_by(less, layer.id, side), along))


def short_by(scene: Scene, layer_id: str, side: str) -> float:
    """View pixels by which a side of a layer comes into the view; negative: to spare."""
    layer = scene.layer(layer_id)
    return shortage(layer, Needs(scene).of(layer))[side] * layer.framing.scale * scene.camera.zoom


def _holds(scene: Scene, layer_id: str, side: str) -> bool:
    return short_by(scene, layer_id, side) <= TOLERANCE
