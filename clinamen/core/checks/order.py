"""Order: a layer is drawn in front of another but stands behind it, where the two really hide each other's place in the view.

Of all contradictions the layers are told that end most of them when they alone are moved, of those alike the one that has to go
the least way; each with the depth and the place in drawing order that end them.

Looked for at the driver states where motion turns, ends or rests, on a grid over the view: the share it names is the largest
found there. What leans or turns reaches through depths and is left alone, and so are grain, light leaks and vignettes, which
lie on the picture and not in space.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Bools, Floats
from clinamen.core.bounds.covering import covers
from clinamen.core.bounds.region import hiding
from clinamen.core.checks.base import Check, Finding, Fix, Subject, Where, describe_state, register
from clinamen.core.document import Layer, bearers_of
from clinamen.core.document.carrying import resting_depth
from clinamen.core.edits.registry import EDITS
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State, States
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import stage, stage_at

SIDE = 120  # cells along the view's longer side
MOST_STATES = 48
BEHIND = 1e-4  # of rate: what stands less behind stands beside
LEAST = 0.0004  # of the view: a smaller overlap is none


@dataclass(frozen=True)
class Wrong:
    """How much of the view shows a layer that is drawn in front of another and stands behind it, at worst; when, and where."""

    share: float
    state: State
    where: Where


@dataclass(frozen=True)
class Pair:
    """A layer that is drawn in front of another and stands behind it, and the worst of that."""

    front: Layer
    back: Layer
    worst: Wrong

    def other(self, layer: Layer) -> Layer:
        return self.back if layer is self.front else self.front


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
        layers = [x for x in subject.scene.layers if _counts(subject, x)]
        pairs = _pairs(subject, layers)
        found = []
        while pairs:
            blamed = _blamed(subject, pairs, layers)
            own = [pair for pair in pairs if blamed in (pair.front, pair.back)]
            found.append(self._finding(subject, blamed, own, layers))
            pairs = [pair for pair in pairs if pair not in own]
            layers = [layer for layer in layers if layer is not blamed]  # it is to be moved, so it is in nobody's way
        return sorted(found, key=lambda finding: -finding.amount)

    def _finding(self, subject: Subject, blamed: Layer, own: list[Pair], layers: list[Layer]) -> Finding:
        pair = max(own, key=lambda each: each.worst.share)
        other, worst = pair.other(blamed), pair.worst
        low, high = _right(subject, blamed, layers, own)
        right = (
            f"from {_deep(low)} to {_deep(high)}"
            if low <= high
            else "none: what is drawn before and after it contradicts"
        )
        drawn, stands = ("in front of", "behind") if blamed is pair.front else ("behind", "in front of")
        over = f"over {shown(100 * worst.share, 1)} % of the view ({describe_state(subject.scene, worst.state)})"
        more = f", and so with {len(own) - 1} more" if len(own) > 1 else ""
        message = (
            f"{blamed.label} is drawn {drawn} {other.label} but stands {stands} it, {over}{more}; "
            f"the depth that would be right is {right}"
        )
        fixes = _fixes(subject, blamed, own, layers) if subject.with_fixes else ()
        return Finding(
            self.id, "warning", blamed.id, worst.state, 100 * worst.share, self.unit, worst.where, message, other.id, fixes
        )  # fmt: skip

    def key(self, finding: Finding) -> tuple[str, str, str]:
        return finding.check, finding.layer, ""


def _counts(subject: Subject, layer: Layer) -> bool:
    upright = layer.tilt.lean == layer.tilt.turn == 0
    return upright and layer.art.group != "Film" and covers(subject.scene, layer, subject.sets[layer.id])


def _pairs(subject: Subject, layers: list[Layer], only: Layer | None = None) -> list[Pair]:
    """All contradictions, or those of one layer only."""
    found = []
    for front, others in _suspects(subject, layers):
        for back in others:
            if only is None or only.id in (front.id, back.id):
                worst = subject.kept_of_two("order", back, front, partial(_wrong, subject, back, front))
                if worst is not None:
                    found.append(Pair(front, back, worst))
    return found


def _blamed(subject: Subject, pairs: list[Pair], layers: list[Layer]) -> Layer:
    """The layer that is in most contradictions; of those alike the one that is right again after the least way in depth, of
    those alike the one in front."""
    count = {x.id: sum(x in (pair.front, pair.back) for pair in pairs) for x in layers}
    most = max(count.values())

    def way(layer: Layer) -> float:
        low, high = _right(subject, layer, layers, [pair for pair in pairs if layer in (pair.front, pair.back)])
        distance = subject.scene.lens_distance
        at = _number(resting_depth(subject.scene, layer))
        to = min(max(at, low), high)
        return abs(distance / (distance + to) - distance / (distance + at)) if low <= high else np.inf

    return min((x for x in reversed(layers) if count[x.id] == most), key=lambda x: round(way(x), 9))


def _fixes(subject: Subject, layer: Layer, own: list[Pair], layers: list[Layer]) -> tuple[Fix, ...]:
    """The depth, and the place in drawing order, with which a layer contradicts nothing; each tried."""
    fixes = []
    low, high = _right(subject, layer, layers, own)
    at = _number(resting_depth(subject.scene, layer))
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
    depth = _number(resting_depth(subject.scene, layer))
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
    return not _pairs(tried, [x for x in changed.layers if x.id in ids], changed.layer(layer.id))


def _suspects(subject: Subject, layers: list[Layer]) -> Iterator[tuple[Layer, list[Layer]]]:
    """Each layer with those drawn behind it before which it may come to stand wrongly: not those before which it stands rightly
    at rest while nothing moves either in depth, since the camera moves both alike."""
    scene = subject.scene
    moved = {track.target for track in scene.tracks if track.channel == "depth"}
    depths = [_number(resting_depth(scene, x)) for x in layers]
    goes = [bool(moved & {x.id, *(by.id for by in bearers_of(scene, x))}) for x in layers]
    for at, front in enumerate(layers):
        yield front, [layers[i] for i in range(at) if goes[at] or goes[i] or depths[at] > depths[i]]


def _wrong(subject: Subject, back: Layer, front: Layer) -> Wrong | None:
    """The worst overlap of two layers while the one in front stands behind; None where there is none."""
    scene = subject.scene
    samples = np.concatenate([np.zeros((1, 4)), subject.needs.samples(back), subject.needs.samples(front)])
    samples = np.unique(samples, axis=0)
    staged = stage(scene, States(*samples.T), subject.motion, (back, front))
    late = np.flatnonzero(staged.sheets[1].rate < staged.sheets[0].rate - BEHIND)
    if len(late) > MOST_STATES:
        late = late[np.linspace(0, len(late) - 1, MOST_STATES).astype(int)]
    if not len(late):
        return None
    both = overlaps(subject, back, front, samples[late])
    shares = both.mean(axis=(1, 2))
    worst = int(shares.argmax())
    if shares[worst] < LEAST:
        return None
    scroll, u, v, time = (float(value) for value in samples[late[worst]])
    return Wrong(
        float(shares[worst]),
        State(scroll, (u, v), time),
        Where.around(both[worst], SIDE / max(*subject.whole_view.size)),
    )


def overlaps(subject: Subject, one: Layer, other: Layer, states: Floats) -> Bools:
    """Where in the view [N, height, width] both layers hide what is behind them, at states [N, 4]."""
    view = subject.scene.view
    scale = SIDE / max(view.width, view.height)

    def packed(layer: Layer) -> NDArray[np.uint8]:
        sheet = stage(subject.scene, States(*states.T), subject.motion, (layer,)).sheets[0]
        return np.packbits(hiding(sheet, subject.sets[layer.id], subject.scene, scale), axis=2)

    one_hides, other_hides = (
        subject.kept(("hides", states.tobytes()), layer, partial(packed, layer)) for layer in (one, other)
    )
    return np.unpackbits(one_hides & other_hides, axis=2, count=max(1, round(view.width * scale))) > 0


def _right(subject: Subject, layer: Layer, layers: list[Layer], own: list[Pair]) -> tuple[float, float]:
    """The depths at rest that keep a layer before all that is drawn before it and behind what is drawn after, of what it overlaps
    there or contradicts."""
    at = next(index for index, other in enumerate(layers) if other.id == layer.id)
    wrong = {pair.other(layer).id for pair in own}
    low, high = -np.inf, np.inf
    for index, other in enumerate(layers):
        if other.id == layer.id:
            continue
        shared = partial(_shared, subject, layer, other)
        meets = other.id in wrong or subject.kept_of_two("overlap at rest", layer, other, shared) >= LEAST
        depth = _number(resting_depth(subject.scene, other))
        if meets and index < at:
            high = min(high, depth)
        elif meets:
            low = max(low, depth)
    return low, high


def _shared(subject: Subject, one: Layer, other: Layer) -> float:
    """The share of the view in which two layers hide what is behind them, at rest."""
    return float(overlaps(subject, one, other, np.zeros((1, 4))).mean())


def _number(depth: float | str) -> float:
    return np.inf if depth == "infinite" else float(depth)


def _deep(depth: float) -> str:
    return (
        "as near as you like" if depth == -np.inf else "infinitely far" if depth == np.inf else f"{shown(depth, 1)} px"
    )
