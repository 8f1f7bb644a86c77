"""The ladder: layers hung at their rates, infinity at the top, the nearest at the bottom, each card tied to its rung."""

from dataclasses import dataclass

from clinamen.core.document import Layer, Scene
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.plan import nearest_rate
from clinamen.core.drawing.scales import round_steps
from clinamen.core.optics import rate_of
from clinamen.core.quantities import shown

TOP, RAIL, CARD_LEFT = 18.0, 40.0, 74.0
ROOMY, TIGHT = 68.0, 50.0
ROOMY_UP_TO = 9
LEAST_HEIGHT = 600.0
TICKS = 9  # about how many marks the rail has


@dataclass(frozen=True)
class Rung:
    """One layer's rung (page y), its card (page top and height) and the line between them."""

    layer: Layer
    rate: float
    y: float
    top: float
    height: float
    line: str
    colour: str
    depth: str


@dataclass(frozen=True)
class Ladder:
    height: float
    top: float
    bottom: float
    rail: float
    near: float
    ticks: tuple[tuple[float, str], ...]
    rungs: tuple[Rung, ...]


def draw(scene: Scene) -> Ladder:
    """The ladder of a scene; its height grows with the number of layers."""
    near = nearest_rate(scene)
    order = sorted(scene.layers, key=lambda layer: rate_of(layer.depth, scene.lens_distance))
    pitch = ROOMY if len(order) <= ROOMY_UP_TO else TIGHT
    height = max(LEAST_HEIGHT, TOP * 2 + pitch * len(order))
    bottom = height - TOP
    spare = (bottom - TOP) / max(len(order), 1)
    rungs = []
    for index, layer in enumerate(order):
        rate = rate_of(layer.depth, scene.lens_distance)
        y = TOP + rate / near * (bottom - TOP)
        card = pitch - 10
        top = TOP + spare * index + (spare - card) / 2
        middle = top + card / 2
        line = f"M{RAIL},{y:.1f} C{RAIL + 18},{y:.1f} {CARD_LEFT - 20},{middle:.1f} {CARD_LEFT},{middle:.1f}"
        depth = "∞" if layer.depth == "infinite" else f"{'+' if layer.depth > 0 else ''}{shown(layer.depth, 0)}"
        rungs.append(Rung(layer, rate, round(y, 1), round(top, 1), card, line, depth_colour(rate), depth))
    marks = round_steps(0.0, near, TICKS)
    ticks = [(round(TOP + value / near * (bottom - TOP), 1), f"{value:g}") for value in marks]
    return Ladder(height, TOP, bottom, RAIL, near, tuple(ticks), tuple(rungs))
