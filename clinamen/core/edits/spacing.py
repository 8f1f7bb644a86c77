"""Spacing of several layers in depth at once: each way to space is one function in the registry here."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Layer, Scene
from clinamen.core.edits.depth import by_rate, put, resting_rate
from clinamen.core.edits.locks import locked
from clinamen.core.edits.registry import Edited, Values, choice, edit
from clinamen.core.errors import BadEdit
from clinamen.core.optics import depth_of, rate_of
from clinamen.core.quantities import number

DEFAULT_FAR, DEFAULT_NEAR = 0.25, 1.0  # rates, where all stand at one
Rates = list[float]


@dataclass(frozen=True)
class Given:
    """What a spacing has to go by: the layers from the farthest to the nearest, the rates at both ends, the lens distance."""

    layers: list[Layer]
    far: float
    near: float
    distance: float
    values: Values


@dataclass(frozen=True)
class Spacing:
    """A way to space: its words, which layers come first, and their new rates from far to near."""

    id: str
    words: str
    rates: Callable[[Given], Rates]
    in_drawing_order: bool = False


SPACINGS: dict[str, Spacing] = {}


def _spacing(id: str, words: str, in_drawing_order: bool = False) -> Callable[[Callable[[Given], Rates]], None]:
    def register(rates: Callable[[Given], Rates]) -> None:
        SPACINGS[id] = Spacing(id, words, rates, in_drawing_order)

    return register


@_spacing("depth", "evenly in depth")
def _depth(given: Given) -> Rates:
    return [1 / away for away in np.linspace(1 / given.far, 1 / given.near, len(given.layers))]


def _even(given: Given) -> Rates:
    return list(np.linspace(given.far, given.near, len(given.layers)))


_spacing("rate", "evenly in rate")(_even)


@_spacing("ratio", "by a ratio of distances")
def _ratio(given: Given) -> Rates:
    """Each stands so many times as far from the eye as the next nearer one: by the `ratio` that is typed, from the nearest on;
    without one, between both ends."""
    count = len(given.layers)
    if text := given.values.get("ratio", "").strip():
        ratio = number(text, "ratio", 1.001, 100, "× x")
        return [given.near / ratio ** (count - 1 - index) for index in range(count)]
    return list(np.geomspace(given.far, given.near, count))


@_spacing("random", "at random in the band")
def _random(given: Given) -> Rates:
    """Anywhere between both ends, as likely at one depth as at another, by a `seed`; who stood farther stands farther."""
    seed = int(number(given.values.get("seed") or "1", "seed", 0, 1e9))
    drawn = np.random.default_rng(seed).uniform(1 / given.near, 1 / given.far, len(given.layers))
    return [1 / away for away in sorted(drawn, reverse=True)]


@_spacing("order", "by drawing order", in_drawing_order=True)
def _order(given: Given) -> Rates:
    """First drawn farthest, evenly in rate."""
    return _even(given)


@edit("spread")
def spread(scene: Scene, values: Values) -> Edited:
    """Space the finite layers `by` one of the SPACINGS, between the farthest and the nearest of them, or between the depths
    `farthest` and `nearest` where they are typed. Only the `many` that are chosen, where two are; locked ones stay."""
    kind = SPACINGS[choice(values, "by", tuple(SPACINGS))]
    ids = values.get("many", "").split()
    finite = tuple(
        layer for layer in scene.layers
        if layer.depth != "infinite" and not locked(scene, layer) and (len(ids) < 2 or layer.id in ids)
    )  # fmt: skip
    if len(finite) < 2:
        raise BadEdit(
            "Spread: fewer than two layers stand at a finite depth and are free to move; give some a depth first"
        )
    order, distance = by_rate(scene, finite), scene.lens_distance
    far, near = (resting_rate(scene, order[end]) for end in (0, -1))
    if near - far < 1e-9:
        far, near = DEFAULT_FAR, DEFAULT_NEAR
    far, near = _typed(values, "farthest", far, distance), _typed(values, "nearest", near, distance)
    if far >= near:
        raise BadEdit(
            "farthest: does not lie behind the nearest; type a larger depth there, or a smaller one for the nearest"
        )
    placed = list(finite) if kind.in_drawing_order else order
    for layer, rate in zip(placed, kind.rates(Given(placed, far, near, distance, values)), strict=True):
        scene = put(scene, layer, depth_of(float(rate), distance), values.get("hold", "framing"))
    return scene, f"{len(placed)} layers spread {kind.words}"


def _typed(values: Values, field: str, usual: float, distance: float) -> float:
    """The rate at a depth that is typed, or the usual one."""
    text = values.get(field, "").strip()
    return rate_of(number(text, f"{field} depth", -distance * 0.999, 1e9, "px"), distance) if text else usual
