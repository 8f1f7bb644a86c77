"""The turntable: the sheets as cards in space, to be looked at from anywhere. Who shows it only turns the whole.

Cards stand in the space of view place and rate (`standing`), so that infinity is one end of the table and the lens the other.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Scene, is_seen
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.plan import nearest_rate
from clinamen.core.drawing.standing import Standing, standing
from clinamen.core.quantities import plain, shown

LONG = 1.5  # of the view's height: how long the table is from the nearest rate to infinity
FILLS = 0.5  # of the drawing's height: how high the view's rectangle is on it
CARD = 160.0  # px: the longer side of a card before it is placed


@dataclass(frozen=True)
class Card:
    """A layer's card: `width` × `height` px before the matrix (CSS matrix3d, column by column) places it on the table."""

    id: str
    label: str
    width: float
    height: float
    matrix: str
    colour: str
    says: str
    seen: bool


@dataclass(frozen=True)
class Frame:
    """The view's rectangle at one rate: how far towards the viewer it stands, in px, and what it is called."""

    at: float
    label: str


@dataclass(frozen=True)
class Turntable:
    """Everything in px about the table's middle. `width`, `height`: the view's rectangle; `long`: from infinity to the lens."""

    width: float
    height: float
    long: float
    cards: tuple[Card, ...]
    frames: tuple[Frame, ...]


def draw(scene: Scene, height: float = 224.0) -> Turntable:
    """The turntable for a drawing this high."""
    near, scale = nearest_rate(scene), height * FILLS / scene.view.height
    long = LONG * height * FILLS
    cards = tuple(_card(scene, each, scale, near, long) for each in standing(scene))
    marks = ((0.0, "infinity"), (1.0, "picture plane"), (near, f"rate {shown(near)}"))
    frames = tuple(Frame(round((rate / near - 0.5) * long, 2), label) for rate, label in marks)
    return Turntable(scene.view.width * scale, height * FILLS, round(long, 2), cards, frames)


def _card(scene: Scene, each: Standing, scale: float, near: float, long: float) -> Card:
    layer = each.layer
    longest = max(layer.art.width, layer.art.height)
    width, height = layer.art.width * CARD / longest, layer.art.height * CARD / longest
    x, y, rate, w = each.into
    placed = np.zeros((4, 4))
    placed[:, [0, 1, 3]] = scale * x, scale * y, long * (rate / near - 0.5 * w), w
    placed[2, 2] = 1.0
    from_card = np.eye(4)  # px of the card from its top left corner to art px from the art's centre
    from_card[0, [0, 3]] = longest / CARD, -layer.art.width / 2
    from_card[1, [1, 3]] = longest / CARD, -layer.art.height / 2
    matrix = placed @ from_card
    matrix /= matrix[3, 3] if abs(matrix[3, 3]) > 1e-9 else 1.0
    depth = "infinitely far" if each.rate == 0 else f"rate {shown(each.rate)}"
    tilted = "" if each.upright else f", leans {shown(layer.tilt.lean, 0)}°, turned {shown(layer.tilt.turn, 0)}°"
    return Card(
        layer.id, layer.label, round(width, 2), round(height, 2), ",".join(plain(v) for v in matrix.T.ravel()),
        depth_colour(each.rate), f"{layer.label}: {depth}{tilted}", is_seen(scene, layer),
    )  # fmt: skip
