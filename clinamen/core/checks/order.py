"""Order: a layer is drawn in front of another but stands behind it, where the two really hide each other's place in the view.

Of all contradictions the layers are told that end most of them when they alone are moved, of those alike the one that has to go
the least way; each with the depth and the place in drawing order that end them. Where they are many they are one finding.
"""

from dataclasses import replace
from functools import partial

import numpy as np

from clinamen.core.checks import order_many
from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.checks.contradictions import LEAST, Pair, contradictions, orderable, shared_at_rest
from clinamen.core.document import Layer, resting_depth_px
from clinamen.core.edits.registry import EDITS
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import stage_at


@register
class OrderCheck(Check):
    id = "order"
    name = "wrong order"
    plural = "wrong orders"
    unit = "% of the view"
    description = "A layer is drawn in front of another that stands nearer."
    sure = "looked for on a grid of 120 cells along the view, at keys and ends"

    def short(self, finding: Finding) -> str:
        return f"out of order over {shown(finding.amount, 1)} % of the view"

    def run(self, subject: Subject) -> list[Finding]:
        layers = orderable(subject)
        all_found = contradictions(subject, layers)
        if many := order_many.together(self, subject, all_found, layers):
            return [self._with_own_fixes(subject, many, all_found.pairs, layers)]
        pairs = all_found.pairs
        found = []
        while pairs:
            blamed = _blamed(subject, pairs, layers)
            own = [pair for pair in pairs if blamed in (pair.front, pair.back)]
            found.append(self._finding(subject, blamed, own, layers))
            pairs = [pair for pair in pairs if pair not in own]
            layers = [layer for layer in layers if layer is not blamed]  # it is to be moved, so it is in nobody's way
        return sorted(found, key=lambda finding: -finding.amount)

    def _with_own_fixes(self, subject: Subject, many: Finding, pairs: list[Pair], layers: list[Layer]) -> Finding:
        """The finding of many, with what mends the layer it names first where no press mends them all."""
        own = [pair for pair in pairs if many.layer in (pair.front.id, pair.back.id)]
        if many.fixes or not own or not subject.with_fixes:
            return many
        return replace(many, fixes=_fixes(subject, subject.scene.layer(many.layer), own, layers))

    def _finding(self, subject: Subject, blamed: Layer, own: list[Pair], layers: list[Layer]) -> Finding:
        pair = max(own, key=lambda each: each.worst.share)
        worst = pair.worst
        low, high = _right(subject, blamed, layers, own)
        right = (
            f"from {_deep(low)} to {_deep(high)}"
            if low <= high
            else "none: what is drawn before and after it contradicts"
        )
        more = f", and so with {len(own) - 1} more" if len(own) > 1 else ""
        message = f"{order_many.sentence_on(subject, pair, blamed)}{more}; the depth that would be right is {right}"
        fixes = _fixes(subject, blamed, own, layers) if subject.with_fixes else ()
        share = 100 * worst.share
        return Finding(
            self.id,
            "warning",
            blamed.id,
            worst.state,
            share,
            self.unit,
            worst.where,
            message,
            pair.other(blamed).id,
            fixes,
        )

    def key(self, finding: Finding) -> tuple[str, str, str]:
        return finding.check, finding.layer, ""


def _blamed(subject: Subject, pairs: list[Pair], layers: list[Layer]) -> Layer:
    """The layer that is in most contradictions; of those alike the one that is right again after the least way in depth, of
    those alike the one in front."""
    count = {x.id: sum(x in (pair.front, pair.back) for pair in pairs) for x in layers}
    most = max(count.values())

    def way(layer: Layer) -> float:
        low, high = _right(subject, layer, layers, [pair for pair in pairs if layer in (pair.front, pair.back)])
        distance = subject.scene.lens_distance
        at = resting_depth_px(subject.scene, layer)
        to = min(max(at, low), high)
        return abs(distance / (distance + to) - distance / (distance + at)) if low <= high else np.inf

    return min((x for x in reversed(layers) if count[x.id] == most), key=lambda x: round(way(x), 9))


def _fixes(subject: Subject, layer: Layer, own: list[Pair], layers: list[Layer]) -> tuple[Fix, ...]:
    """The depth, and the place in drawing order, with which a layer contradicts nothing; each tried."""
    fixes = []
    low, high = _right(subject, layer, layers, own)
    at = resting_depth_px(subject.scene, layer)
    for depth in (min(max(at, low), high), *_beyond_its_way(subject, layer, own)):
        if low <= high and depth > -subject.scene.lens_distance and depth != at:
            told = "infinite" if np.isinf(depth) else plain(depth)
            text = f"Bring {layer.label} to depth {'infinite' if np.isinf(depth) else shown(depth, 1)}"
            fix = Fix("depth", 0.0 if np.isinf(depth) else depth, "depth", {"layer": layer.id, "depth": told}, text)
            if _mends(subject, layer, fix, layers):
                fixes.append(fix)
                break
    order = [x.id for x in subject.scene.layers]
    backs = [order.index(pair.back.id) for pair in own if pair.front is layer]
    fronts = [order.index(pair.front.id) for pair in own if pair.back is layer]
    if not backs or not fronts:
        before = order[min(backs)] if backs else order[max(fronts) + 1] if max(fronts) + 1 < len(order) else ""
        beside = subject.scene.layers[min(backs) if backs else max(fronts)].label
        text = f"Draw {layer.label} {'before' if backs else 'after'} {beside}"
        values = {"layers": layer.id, "before": before}
        fix = Fix("order", float(min(backs) if backs else max(fronts)), "order-many", values, text)
        if _mends(subject, layer, fix, layers):
            fixes.append(fix)
    return tuple(fixes)


def _beyond_its_way(subject: Subject, layer: Layer, own: list[Pair]) -> list[float]:
    """The depth at rest at which a layer that moves in depth stands rightly at the worst moments found."""
    distance = subject.scene.lens_distance
    depth = resting_depth_px(subject.scene, layer)
    if not np.isfinite(depth):
        return []
    moves = []
    for pair in own:
        sheets = stage_at(subject.scene, pair.worst.state, subject.motion, (layer, pair.other(layer))).sheets
        mine, theirs = (distance / float(sheet.rate[0]) if sheet.rate[0] > 0 else np.inf for sheet in sheets)
        moves.append(theirs - mine)
    nearest = min(moves) if own[0].front is layer else max(moves)
    return [
        round(depth + nearest + way, 1) for way in ((-0.1, -1.0) if nearest < 0 else (0.1, 1.0)) if np.isfinite(nearest)
    ]


def _mends(subject: Subject, layer: Layer, fix: Fix, layers: list[Layer]) -> bool:
    """True where a layer contradicts none of these after a fix that leaves it in its group."""
    try:
        changed, _ = EDITS[fix.edit](subject.scene, fix.values)
    except BadEdit:
        return False
    if changed.layer(layer.id).group != layer.group:
        return False
    tried = Subject(changed, subject.sets, False, art=subject.art)
    ids = {x.id for x in layers}
    left = contradictions(tried, [x for x in changed.layers if x.id in ids], changed.layer(layer.id))
    return not left.pairs


def _right(subject: Subject, layer: Layer, layers: list[Layer], own: list[Pair]) -> tuple[float, float]:
    """The depths at rest that keep a layer before all that is drawn before it and behind what is drawn after, of what it overlaps
    there or contradicts."""
    at = next(index for index, other in enumerate(layers) if other.id == layer.id)
    wrong = {pair.other(layer).id for pair in own}
    low, high = -np.inf, np.inf
    for index, other in enumerate(layers):
        if other.id == layer.id:
            continue
        shared = partial(shared_at_rest, subject, layer, other)
        meets = other.id in wrong or subject.kept_of_two("overlap at rest", layer, other, shared) >= LEAST
        depth = resting_depth_px(subject.scene, other)
        if meets and index < at:
            high = min(high, depth)
        elif meets:
            low = max(low, depth)
    return low, high


def _deep(depth: float) -> str:
    return (
        "as near as you like" if depth == -np.inf else "infinitely far" if depth == np.inf else f"{shown(depth, 1)} px"
    )
