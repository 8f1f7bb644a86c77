"""Contradictions: pairs of layers of which one is drawn in front but stands behind, where both hide the same place of the view.

Looked for at the driver states where motion turns, ends or rests, on a grid over the view: the share it names is the largest
found there. What leans or turns reaches through depths and is left alone, and so are grain, light leaks and vignettes, which
lie on the picture and not in space. Of very many pairs those nearest in drawing order are looked at, and the rest is counted.
"""

import math
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Bools, Floats
from clinamen.core.bounds.covering import covers
from clinamen.core.bounds.region import hiding
from clinamen.core.checks.base import Subject, Where
from clinamen.core.document import Layer
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.stage import stage

SIDE = 120  # cells along the view's longer side
MOST_STATES = 48
MOST_PAIRS = 2000  # looked at in one proof: a few milliseconds each
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


@dataclass(frozen=True)
class Contradictions:
    """The pairs found, how many were `looked` at, and the `suspects`: how many may be wrong."""

    pairs: list[Pair]
    looked: int
    suspects: int


def orderable(subject: Subject) -> list[Layer]:
    """The layers that can be out of order, in drawing order."""
    return [layer for layer in subject.scene.layers if _counts(subject, layer)]


def _counts(subject: Subject, layer: Layer) -> bool:
    upright = layer.tilt.lean == layer.tilt.turn == 0
    return upright and layer.art.group != "Film" and covers(subject.scene, layer, subject.sets[layer.id])


def contradictions(subject: Subject, layers: list[Layer], only: Layer | None = None) -> Contradictions:
    """All contradictions of these layers, or those of one of them only."""
    suspects = [
        (layers[back], layers[front])
        for back, front in _suspects(subject, layers)
        if only is None or only.id in (layers[back].id, layers[front].id)
    ]
    looked = suspects[:MOST_PAIRS]
    found = []
    for back, front in looked:
        worst = subject.kept_of_two("order", back, front, partial(_wrong, subject, back, front))
        if worst is not None:
            found.append(Pair(front, back, worst))
    return Contradictions(found, len(looked), len(suspects))


def _suspects(subject: Subject, layers: list[Layer]) -> list[tuple[int, int]]:
    """Places of two layers, the one drawn behind and the one in front of it, of which the second comes to stand deeper than the
    first may; the nearest in drawing order first."""
    depths = [_depths(subject, layer) for layer in layers]
    found = [
        (back, front) for front in range(len(layers)) for back in range(front) if depths[front][1] > depths[back][0]
    ]
    return sorted(found, key=lambda pair: pair[1] - pair[0])


def _depths(subject: Subject, layer: Layer) -> tuple[float, float]:
    """The least and the largest depth in px that a layer comes to, with what carries it: an exact enclosure over all states."""
    if layer.depth == "infinite":
        return math.inf, math.inf

    def depths() -> tuple[float, float]:
        cells = Cells.of(subject.needs.bounds[None])
        motion = subject.motion
        mixes = [motion.of(layer)["depth"], *(by.mixes["depth"] for by in motion.carriages(layer))]
        ranges = [mix.over(cells) for mix in mixes]
        return sum(float(each.low.min()) for each in ranges), sum(float(each.high.max()) for each in ranges)

    return subject.kept("depths", layer, depths)


def _wrong(subject: Subject, back: Layer, front: Layer) -> Wrong | None:
    """The worst overlap of two layers while the one in front stands behind; None where there is none."""
    samples = np.concatenate([np.zeros((1, 4)), subject.needs.samples(back), subject.needs.samples(front)])
    samples = np.unique(samples, axis=0)
    back_rate, front_rate = (_rate(subject, layer, samples) for layer in (back, front))
    late = np.flatnonzero(front_rate < back_rate - BEHIND)
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


def _rate(subject: Subject, layer: Layer, states: Floats) -> Floats:
    """Rate [N] of a layer at states [N, 4]."""

    def rate() -> Floats:
        return stage(subject.scene, States(*states.T), subject.motion, (layer,)).sheets[0].rate

    return subject.kept(("rate", states.tobytes()), layer, rate)


def overlaps(subject: Subject, one: Layer, other: Layer, states: Floats) -> Bools:
    """Tell where in the view [N, height, width] both layers hide what is behind them, at states [N, 4]."""
    view = subject.scene.view
    scale = SIDE / max(view.width, view.height)

    def packed(layer: Layer) -> NDArray[np.uint8]:
        sheet = stage(subject.scene, States(*states.T), subject.motion, (layer,)).sheets[0]
        return np.packbits(hiding(sheet, subject.sets[layer.id], subject.scene, scale), axis=2)

    one_hides, other_hides = (
        subject.kept(("hides", states.tobytes()), layer, partial(packed, layer)) for layer in (one, other)
    )
    return np.unpackbits(one_hides & other_hides, axis=2, count=max(1, round(view.width * scale))) > 0


def shared_at_rest(subject: Subject, one: Layer, other: Layer) -> float:
    """The share of the view in which two layers hide what is behind them, at rest."""
    return float(overlaps(subject, one, other, np.zeros((1, 4))).mean())
