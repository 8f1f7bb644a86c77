"""The ladder: layers hung at their rates, infinity at the top, the nearest at the bottom, each card tied to its rung."""

from dataclasses import dataclass

from clinamen.core.document import Layer, Scene, is_seen, resting_depth
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
    """One layer's rung (page y), its card (page top and height) and the line between them; one that is folded away has no
    card."""

    layer: Layer
    rate: float
    y: float
    top: float
    height: float
    line: str
    colour: str
    depth: str
    card: bool = True
    seen: bool = True

    @property
    def says(self) -> tuple[str | float | bool, ...]:
        """All that rung and card say, and where they stand."""
        layer, frames = self.layer, self.layer.frames
        cells = (frames.columns, frames.rows) if frames else ()
        shown = (layer.id, layer.label, layer.visible, layer.locked, layer.art.width, layer.art.height, *cells)
        return (
            *shown,
            self.seen,
            self.rate,
            self.depth,
            self.colour,
            self.card,
            self.y,
            self.top,
            self.height,
            self.line,
        )


@dataclass(frozen=True)
class Ladder:
    height: float
    top: float
    bottom: float
    rail: float
    near: float
    ticks: tuple[tuple[float, str], ...]
    rungs: tuple[Rung, ...]


def draw(scene: Scene, folded: frozenset[str] = frozenset()) -> Ladder:
    """The ladder of a scene; its height grows with the number of layers. Those `folded` away (ids) have a rung and no card."""
    near = nearest_rate(scene)
    rests = {layer.id: resting_depth(scene, layer) for layer in scene.layers}
    rates = {layer.id: rate_of(rests[layer.id], scene.lens_distance) for layer in scene.layers}
    order = sorted(scene.layers, key=lambda layer: rates[layer.id])
    carded = [layer.id for layer in order if layer.id not in folded]
    pitch = ROOMY if len(carded) <= ROOMY_UP_TO else TIGHT
    height = max(LEAST_HEIGHT, TOP * 2 + pitch * len(carded))
    bottom = height - TOP
    spare = (bottom - TOP) / max(len(carded), 1)
    rungs = []
    for layer in order:
        index = carded.index(layer.id) if layer.id in carded else 0
        rate, rest = rates[layer.id], rests[layer.id]
        y = TOP + rate / near * (bottom - TOP)
        card = pitch - 10
        top = TOP + spare * index + (spare - card) / 2
        middle = top + card / 2
        line = f"M{RAIL},{y:.1f} C{RAIL + 18},{y:.1f} {CARD_LEFT - 20},{middle:.1f} {CARD_LEFT},{middle:.1f}"
        depth = "∞" if rest == "infinite" else f"{'+' if rest > 0 else ''}{shown(rest, 0)}"
        rungs.append(
            Rung(
                layer,
                rate,
                round(y, 1),
                round(top, 1),
                card,
                line,
                depth_colour(rate),
                depth,
                layer.id in carded,
                is_seen(scene, layer),
            )
        )
    marks = round_steps(0.0, near, TICKS)
    ticks = [(round(TOP + value / near * (bottom - TOP), 1), f"{value:g}") for value in marks]
    return Ladder(height, TOP, bottom, RAIL, near, tuple(ticks), tuple(rungs))
