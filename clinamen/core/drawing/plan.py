"""Plan and section: the sheets from above or from the side, each a line as long as its art, at its depth.

Drawn as the resting camera sees it: across in view pixels, along by rate, so that infinity stays on the page and what
the moving camera sees is bounded by straight lines. The envelope is what the view covers at each rate over all states.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Literal

import numpy as np

from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import SIDES, Needs, shortage
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.checks.edge import kept_out
from clinamen.core.document import Art, Framing, Layer, Scene, is_seen, resting_depth
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.labels import LETTER, Labels
from clinamen.core.drawing.standing import Standing, standing
from clinamen.core.optics import depth_of, rate_of
from clinamen.core.quantities import shown

Axis = Literal["x", "y"]
Along = Callable[[float], float]
Span = tuple[float, float]
LEFT, RIGHT, TOP, BOTTOM = 76.0, 44.0, 26.0, 30.0
ENVELOPE_STEPS = 9
WIDEST = 1.2  # of what the view covers: longer art runs off the page
TICKS = (
    64000,
    32000,
    16000,
    8000,
    4000,
    2000,
    1000,
    500,
    250,
    0,
    -250,
    -500,
    -750,
    -1000,
    -1250,
    -1500,
    -1750,
    -2000,
    -2500,
)
TICK_ROOM = 38.0
ARM = 30.0  # px from a sheet's middle to the handles by which it is turned, at least
NAME_AWAY = 11.0  # px from a sheet to its name
WORDS_AWAY = 8.0  # px from a sheet to its words
WORDS_Y, WORDS_LINE, WORDS_ROWS = 22.0, 13.0, 3  # px: their first row, from one to the next, and how many


@dataclass(frozen=True)
class Bar:
    """One sheet: a line at page x from `start` to `end`, what it needs, what is missing, and its words."""

    id: str
    label: str
    x: float
    start: float
    end: float
    need: tuple[float, float] | None
    missing: tuple[tuple[float, float], ...]
    colour: str
    rate: float
    depth: str
    visible: bool
    words: str
    words_x: float
    words_end: bool  # written so that they end there: they would run off the page otherwise
    words_y: float
    words_wait: bool  # until it is pointed at: they would lie over others
    outline: str  # of a sheet that leans or turns; its line then runs from `ends` to `ends`
    ends: tuple[tuple[float, float], ...]  # page places of the line's low and high end
    middle: float  # page place of its middle across, which a hand moves
    framed: float  # the same in view px from the view's centre

    @property
    def name_left(self) -> bool:
        """True where its name stands on its left, since there is room."""
        return self.x > LEFT + LETTER * len(self.label)

    @property
    def name_x(self) -> float:
        """Where its name ends, or begins, beside the handle below it."""
        return round(self.x - NAME_AWAY if self.name_left else self.x + NAME_AWAY, 2)

    @property
    def handles(self) -> tuple[tuple[float, float], ...]:
        """Page places by which it is turned: its ends, or farther out where those are too near to each other for a hand."""
        if len(self.ends) < 2:
            return ()
        (x0, y0), (x1, y1) = self.ends
        long = float(np.hypot(x1 - x0, y1 - y0))
        if long >= 2 * ARM:
            return self.ends
        along = ((x1 - x0) / long, (y1 - y0) / long) if long else (0.0, 1.0)
        return tuple(
            (round(self.x + s * ARM * along[0], 2), round(self.middle + s * ARM * along[1], 2)) for s in (-1, 1)
        )


@dataclass(frozen=True)
class Plan:
    width: float
    height: float
    axis: Axis
    near: float
    left: float
    right: float
    middle: float
    cone: tuple[float, float]
    envelope: str
    across: float  # view px that a px of the page stands for
    ticks: tuple[tuple[float, str], ...]
    bars: tuple[Bar, ...]
    moves: bool
    notes: tuple[str, ...] = field(default=())

    @property
    def floor(self) -> float:
        return self.height - BOTTOM


KEPT = 4000  # bars, each for as long as nothing changes that it depends on
_bars: Bounded[Bar] = Bounded(KEPT, lambda bar: 1)
_stands: Bounded[Standing] = Bounded(KEPT, lambda stands: 1)
_spans: Bounded[Span] = Bounded(KEPT, lambda span: 1)


def nearest_rate(scene: Scene) -> float:
    """The rate at the near end of every depth scale of the scene."""
    rates = [rate_of(resting_depth(scene, layer), scene.lens_distance) for layer in scene.layers]
    highest = max((rate for rate in rates if np.isfinite(rate)), default=1.0)
    return float(np.ceil(max(1.25, highest * 1.08) * 20) / 20)


def draw(
    scene: Scene,
    sets: dict[str, OpaqueSet],
    axis: Axis = "x",
    width: float = 688,
    height: float = 236,
    needs: Needs | None = None,
) -> Plan:
    """The plan (axis "x") or section ("y") on a page of width × height; `needs`, if they are worked out already."""
    needs = needs or Needs(scene)
    near = nearest_rate(scene)
    side = 0 if axis == "x" else 1
    half_view = (scene.view.width, scene.view.height)[side] / 2
    envelope = _envelope(scene, needs, near, side)
    told = {layer.id: (needs.key(layer), layer.as_json) for layer in scene.layers}
    stands = _standing(scene, told)
    spans = {id: _spans.get((*told[id], side, near), partial(_span, place, side, near)) for id, place in stands.items()}
    low, high = _page_range(half_view, envelope, list(spans.values()))
    usable = height - TOP - BOTTOM

    def across(value: float) -> float:
        share = float(np.clip((value - low) / (high - low), -0.04, 1.04))
        return round(TOP + share * usable, 2)

    def along(rate: float) -> float:
        return round(float(LEFT + (near - rate) / near * (width - LEFT - RIGHT)), 2)

    upper = [f"{along(k)},{across(low)}" for k, low, _ in envelope]
    lower = [f"{along(k)},{across(high)}" for k, _, high in reversed(envelope)]
    page = (side, width, height, near, low, high)

    def bar(layer: Layer) -> Bar:
        place = stands[layer.id], sets[layer.id], spans[layer.id]
        shows = (is_seen(scene, layer), *sets[layer.id].borders.items(), spans[layer.id])
        return _bars.get(
            (page, *told[layer.id], *shows), lambda: _bar(needs, *place, side, across, along, (width, near))
        )

    bars = _said_apart([bar(layer) for layer in scene.layers])
    moves = any(high - low > 2 * half_view + 1 for _, low, high in envelope)
    return Plan(
        width, height, axis, near, LEFT, width - RIGHT, across(0.0), (across(-half_view), across(half_view)),
        " ".join(upper + lower), (high - low) / usable, _ticks(scene, near, along),
        tuple(sorted(bars, key=lambda bar: bar.rate)), moves,
    )  # fmt: skip


def _standing(scene: Scene, told: dict[str, tuple[bytes, str]]) -> dict[str, Standing]:
    """Every layer as it stands, by its id; `told` says all that this depends on, and what is known of it is asked for no more."""
    fresh = tuple(layer for layer in scene.layers if told[layer.id] not in _stands)
    made = {each.layer.id: each for each in standing(scene, fresh)} if fresh else {}

    def make(layer: Layer) -> Standing:
        return made.get(layer.id) or standing(scene, (layer,))[0]  # dropped meanwhile

    return {layer.id: _stands.get(told[layer.id], partial(make, layer)) for layer in scene.layers}


def _page_range(
    half_view: float, envelope: list[tuple[float, float, float]], spans: list[tuple[float, float]]
) -> tuple[float, float]:
    """What the page shows across: all that the view covers in its moves, and as much of longer art as leaves it large."""
    low = min([-half_view, *(row[1] for row in envelope)])
    high = max([half_view, *(row[2] for row in envelope)])
    spare = (high - low) * (WIDEST - 1)
    low = max(min([low, *(start for start, _ in spans)]), low - spare)
    high = min(max([high, *(end for _, end in spans)]), high + spare)
    margin = (high - low) * 0.02
    return low - margin, high + margin


def _span(stands: Standing, side: int, near: float) -> Span:
    """Where a sheet's art reaches across, in view pixels from the view's centre at rest."""
    outline = stands.outline(near)
    if not len(outline):  # all of it is nearer than what is drawn
        centre = (stands.layer.framing.x, stands.layer.framing.y)[side]
        return centre, centre
    return float(outline[:, side].min()), float(outline[:, side].max())


def _envelope(scene: Scene, needs: Needs, near: float, side: int) -> list[tuple[float, float, float]]:
    """(rate, low, high): what the view covers across at each rate, over all states, as framed at rest."""
    rows = []
    steps = (
        2 if needs.motion.camera_slides else ENVELOPE_STEPS
    )  # where the camera only slides the bounds are straight lines
    for rate in np.linspace(0, near, steps):
        probe = Layer(
            id="probe", art=Art(file="probe", width=2, height=2), framing=Framing(),
            depth=depth_of(float(rate), scene.lens_distance) if rate > 1e-6 else "infinite",
        )  # fmt: skip
        box = np.nan_to_num(needs.probe(probe).box, posinf=1e7, neginf=-1e7)
        rows.append((float(rate), float(box[side]), float(box[side + 2])))
    return rows


def _bar(
    needs: Needs,
    stands: Standing,
    opaque: OpaqueSet,
    span: Span,
    side: int,
    across: Along,
    along: Along,
    page: tuple[float, float],
) -> Bar:
    scene, layer, rate, (width, near) = needs.scene, stands.layer, stands.rate, page
    ends = (SIDES[side], SIDES[side + 2])
    centre = (layer.framing.x, layer.framing.y)[side]
    missing, words, spans_view = [], [], []
    if opaque.borders:
        need = needs.of(layer)
        wanted, short = [centre + layer.framing.scale * need.box[i] for i in (side, side + 2)], shortage(layer, need)
    else:  # ends inside its own canvas all round: nothing can be short
        wanted, short = list(span), {}
    out = kept_out(needs, layer, opaque)
    for end, has, wants in zip(ends, span, wanted, strict=True):
        meant = end in out
        spans_view.append(meant)
        if meant and 0.5 < short[end] * layer.framing.scale < np.inf:
            missing.append((across(has), across(wants)))
            words.append(f"{short[end] * layer.framing.scale:.0f} px short")
    upright = abs(layer.framing.rotation) < 1e-9 and stands.upright
    need_line = (
        (across(wanted[0]), across(wanted[1])) if all(spans_view) and upright and np.all(np.isfinite(wanted)) else None
    )
    resting = resting_depth(scene, layer)
    depth = "∞" if resting == "infinite" else shown(resting, 0)
    middle = (layer.framing.x, layer.framing.y)[side]
    line = [(along(k), across(place[side])) for *place, k in stands.line(side, near).tolist() if np.isfinite(k)]
    outline = (
        ""
        if stands.upright
        else " ".join(f"{along(k)},{across(place[side])}" for *place, k in stands.outline(near).tolist())
    )
    said, x = " · ".join(dict.fromkeys(words)), along(rate)
    runs_off = x + WORDS_AWAY + LETTER * len(said) > width
    return Bar(
        layer.id, layer.label, x, across(span[0]), across(span[1]), need_line, tuple(missing), depth_colour(rate), rate,
        depth, is_seen(scene, layer), said, x - WORDS_AWAY if runs_off else x + WORDS_AWAY, runs_off, WORDS_Y, False, outline,
        tuple(line), across(middle), middle,
    )  # fmt: skip


def _said_apart(bars: list[Bar]) -> list[Bar]:
    """The bars with their words in rows where none lies over another, those of the nearest first."""
    labels, placed = Labels(), dict[str, Bar]()
    for bar in sorted(bars, key=lambda bar: -bar.rate):
        rows = [WORDS_Y + row * WORDS_LINE for row in range(WORDS_ROWS)]
        at = labels.place(bar.words, bar.words_x, rows, "end" if bar.words_end else "start") if bar.words else WORDS_Y
        placed[bar.id] = (
            bar if at == WORDS_Y else replace(bar, words_y=WORDS_Y if at is None else at, words_wait=at is None)
        )
    return [placed[bar.id] for bar in bars]


def _ticks(scene: Scene, near: float, along: Along) -> tuple[tuple[float, str], ...]:
    ticks = [(along(0.0), "∞"), (along(1.0), "0")]
    for depth in sorted(TICKS, key=abs, reverse=False):
        if depth <= -scene.lens_distance * 0.98:
            continue
        rate = rate_of(float(depth), scene.lens_distance)
        x = along(rate)
        if rate <= near and all(abs(x - other) > TICK_ROOM for other, _ in ticks):
            ticks.append(
                (x, f"{depth / 1000:g}k".replace("-", "−") if abs(depth) >= 1000 else f"{depth}".replace("-", "−"))
            )
    return tuple(sorted(ticks))
