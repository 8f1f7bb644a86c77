"""Order: a layer is drawn in front of another but stands behind it, where the two really hide each other's place in the view.

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
from clinamen.core.motion.states import State, States
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import stage

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


@register
class OrderCheck(Check):
    id = "order"
    name = "wrong order"
    plural = "wrong orders"
    unit = "% of the view"
    description = "A layer is drawn in front of another that stands nearer."
    sure = "looked for on a grid of 120 cells along the view, at keys and ends"

    def short(self, finding: Finding) -> str:
        return f"drawn in front, stands behind over {shown(finding.amount, 1)} % of the view"

    def run(self, subject: Subject) -> list[Finding]:
        layers = [x for x in subject.scene.layers if _counts(subject, x)]
        found = []
        for front, others in _suspects(subject, layers):
            wrong = [
                (worst, other)
                for other in others
                if (worst := subject.kept_of_two(self.id, other, front, partial(_wrong, subject, other, front)))
            ]
            if wrong:
                found.append(self._finding(subject, front, *max(wrong, key=lambda each: each[0].share), layers))
        return sorted(found, key=lambda finding: -finding.amount)

    def _finding(self, subject: Subject, front: Layer, worst: Wrong, behind: Layer, layers: list[Layer]) -> Finding:
        low, high = _right(subject, front, layers)
        right = (
            f"from {_deep(low)} to {_deep(high)}"
            if low < high
            else "none: what is drawn before and after it contradicts"
        )
        over = f"over {shown(100 * worst.share, 1)} % of the view ({describe_state(subject.scene, worst.state)})"
        stands = f"{front.label} is drawn in front of {behind.label} but stands behind it"
        message = f"{stands}, {over}; the depth that would be right is {right}"
        fixes: tuple[Fix, ...] = ()
        if subject.with_fixes and low < high and np.isfinite(high):
            values = {"layer": front.id, "depth": plain(high)}
            fixes = (Fix("depth", high, "depth", values, f"Bring {front.label} to depth {shown(high, 1)}"),)
        return Finding(
            self.id, "warning", front.id, worst.state, 100 * worst.share, self.unit, worst.where, message, behind.id, fixes
        )  # fmt: skip

    def key(self, finding: Finding) -> tuple[str, str, str]:
        return finding.check, finding.layer, ""


def _counts(subject: Subject, layer: Layer) -> bool:
    upright = layer.tilt.lean == layer.tilt.turn == 0
    return upright and layer.art.group != "Film" and covers(subject.scene, layer, subject.sets[layer.id])


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
    return Wrong(float(shares[worst]), State(scroll, (u, v), time), _box(subject, both[worst]))


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


def _box(subject: Subject, mask: Bools) -> Where:
    """The box around what is set in a mask [height, width] of the view."""
    view = subject.scene.view
    scale = SIDE / max(view.width, view.height)
    ys, xs = np.nonzero(mask)
    left, top, right, bottom = int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1
    return Where(left / scale, top / scale, (right - left) / scale, (bottom - top) / scale)


def _right(subject: Subject, layer: Layer, layers: list[Layer]) -> tuple[float, float]:
    """The depths at rest that keep a layer before all that is drawn before it and behind what is drawn after, of what it overlaps
    there."""
    at = layers.index(layer)
    low, high = -np.inf, np.inf
    for index, other in enumerate(layers):
        if other is layer:
            continue
        share = subject.kept_of_two("overlap at rest", layer, other, partial(_shared, subject, layer, other))
        depth = _number(resting_depth(subject.scene, other))
        if share >= LEAST and index < at:
            high = min(high, depth)
        elif share >= LEAST:
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
