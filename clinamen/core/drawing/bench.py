"""The light bench: softness and air over the plan's own scale of rates, where the lens is a V with straight sides.

Each V is the lens at one state: its tip the rate in focus, its slope the aperture. Sheets stand in it as lines as high as they
are soft at the moment that is looked at; air lies over it as a curve, the share of their colour that sheets keep.
"""

from dataclasses import dataclass, replace

import numpy as np

from clinamen.core.air import share_at
from clinamen.core.arrays import Floats
from clinamen.core.bounded import Bounded
from clinamen.core.document import Art, Layer, Scene, is_seen, resting_depth
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.labels import Labels, Side
from clinamen.core.drawing.plan import nearest_rate
from clinamen.core.drawing.scales import round_steps
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.optics import depth_of, rate_of
from clinamen.core.quantities import shown
from clinamen.core.stage import stage_at

LEFT, RIGHT, TOP, BOTTOM = 56.0, 56.0, 30.0, 30.0
PARTS = 48  # straight pieces of a curve
LEAST_TOP = 2.0  # px of softness at the top of the page
SPARE = 1.25  # how much higher the page is than what is drawn on it
SIDE_AT = 0.62  # of the way from tip to end: where the hand of a side is
HAND, TIP = 8.0, 9.0  # px: how far a hand reaches; from a tip to its words
LINE = 13.0  # px
BESIDE = 80.0  # px: what stands nearer to an edge has its words to the other side
REST = State()
KEPT = 64  # drawings that are kept: what a slider of light or look changes is none of this


@dataclass(frozen=True)
class Stand:
    """A sheet: its line at page x from the floor up to `top`, and what it says."""

    id: str
    label: str
    x: float
    top: float
    said_at: float
    soft: float
    says: str
    kept: float
    colour: str
    focused: bool
    takes: bool
    visible: bool
    waits: bool  # says so when it is pointed at: its words would lie over others, or say the same
    side: Side  # where its words go so that they are within the drawing: "", "start" of it or "end"


@dataclass(frozen=True)
class Opening:
    """One V: the places (x, y) of its far end, tip and near end, its hands on both sides, the state it is of."""

    points: str
    tip: tuple[float, float]
    hands: tuple[tuple[float, float], ...]
    rate: float
    says: str
    now: bool = False  # the moment that is looked at, where that is not rest
    said_at: float | None = None  # the base line of its words; None where they would lie over others


@dataclass(frozen=True)
class Bench:
    width: float
    height: float
    left: float
    right: float
    near: float
    floor: float
    ceiling: float
    most: float
    ticks: tuple[tuple[float, str], ...]
    steps: tuple[tuple[float, str], ...]
    openings: tuple[Opening, ...]
    stands: tuple[Stand, ...]
    air: str
    air_hand: tuple[float, float, float] | None


@dataclass(frozen=True)
class Page:
    """Where rates, softness and shares stand on the page."""

    width: float
    floor: float
    near: float
    most: float

    def along(self, rate: float) -> float:
        return round(float(LEFT + (self.near - rate) / self.near * (self.width - LEFT - RIGHT)), 2)

    def up(self, soft: float) -> float:
        return round(self.floor - soft / self.most * (self.floor - TOP), 2)

    def high(self, share: float) -> float:
        return round(self.floor - share * (self.floor - TOP), 2)


def pull_states(scene: Scene, motion: Motion) -> list[tuple[str, State]]:
    """The states whose V is drawn: rest, and the other end of a focus pull."""
    states = [("at rest", State())]
    for term in motion.curves("camera", "focus"):
        keys = term.track.keys
        far = max(keys, key=lambda key: abs(key.value - term.at_rest()))
        if abs(far.value - term.at_rest()) > 1e-9:
            place = f"scroll {100 * far.at:.0f} %" if term.track.driver == "scroll" else f"{shown(far.at, 2)} s"
            states.append((place, State(scroll=far.at) if term.track.driver == "scroll" else State(time=far.at)))
    return states[:2]


_drawn: "Bounded[Bench]" = Bounded(KEPT, lambda bench: 1)


def draw(scene: Scene, width: float = 688, height: float = 236, now: State = REST, chosen: str = "") -> Bench:
    """The light bench on a page of width × height, at the moment that is looked at; the chosen layer says its name too."""
    sheets = tuple((x.id, x.name, x.depth, x.takes, is_seen(scene, x), x.carrier, x.group) for x in scene.layers)
    lens = (scene.view, scene.lens, scene.camera, scene.air, scene.carriers, scene.groups, scene.drivers, scene.tracks)
    return _drawn.get((sheets, lens, width, height, now, chosen), lambda: _draw(scene, width, height, now, chosen))


def _draw(scene: Scene, width: float, height: float, now: State, chosen: str) -> Bench:
    motion, near = Motion(scene), nearest_rate(scene)
    pulled = pull_states(scene, motion)
    states = pulled if now == REST or now in [state for _, state in pulled[1:]] else [*pulled, ("now", now)]
    softness = [_over(scene, motion, state, near) for _, state in states]
    seen = stage_at(scene, now, motion).sheets
    soft = {sheet.layer.id: float(sheet.disc[0]) / 4 for sheet in seen}
    rates = {sheet.layer.id: float(sheet.rate[0]) for sheet in seen}
    most = SPARE * max(LEAST_TOP, *soft.values(), *(float(over.max()) / 2 for over in softness)) if soft else LEAST_TOP
    page = Page(width, height - BOTTOM, near, most)
    labels = Labels()
    openings = [
        _opening(scene, motion, says, state, over, page, state == now != REST)
        for (says, state), over in zip(states, softness, strict=True)
        if scene.lens.aperture is not None
    ]
    openings = _apart(openings)
    air, hand = _air(scene, page)
    for x, y in openings[0].hands if openings else ():
        labels.keep_off(x, y, HAND)
    for index, each in reversed(list(enumerate(openings))[1:]):  # that of now first
        at = labels.place(each.says, each.tip[0] + TIP, [page.floor - 7, page.floor - 7 - LINE], "start")
        openings[index] = replace(each, said_at=at)
    if hand:
        labels.keep_off(*hand[:2], HAND)
    stands = _stands(scene, soft, rates, page, chosen, labels)
    ticks = [(page.along(step), shown(step, 2)) for step in round_steps(0, near, 8)]
    return Bench(
        width, height, LEFT, width - RIGHT, near, page.floor, TOP, most, tuple(ticks),
        tuple((page.up(step), shown(step, 2)) for step in round_steps(0, most, 4)[1:]),
        tuple(openings), stands, air, hand,
    )  # fmt: skip


def _over(scene: Scene, motion: Motion, state: State, near: float) -> Floats:
    """Softness from rate 0 to `near` at one state: a bare sheet is stood at each."""
    distance = scene.lens_distance
    probes = tuple(
        Layer(
            id=f"probe-{i}", art=Art(file="probe", width=2, height=2),
            depth=depth_of(float(rate), distance) if rate > 1e-9 else "infinite",
        )
        for i, rate in enumerate(np.linspace(0, near, PARTS + 1))
    )  # fmt: skip
    return np.array([float(sheet.disc[0]) / 4 for sheet in stage_at(scene, state, motion, probes).sheets])


def _opening(scene: Scene, motion: Motion, says: str, state: State, over: Floats, page: Page, now: bool) -> Opening:
    near, along, up = page.near, page.along, page.up
    rates = np.linspace(0, near, PARTS + 1)
    tip = max(0.0, float(stage_at(scene, state, motion, ()).camera.channels["focus"][0]))
    drawn = sorted([(float(rate), float(value)) for rate, value in zip(rates, over, strict=True)] + [(tip, 0.0)])
    points = " ".join(f"{along(rate)},{up(value)}" for rate, value in drawn if rate <= near)
    hands = []
    for end in (0.0, near):
        at = tip + (end - tip) * SIDE_AT
        value = float(np.interp(at, rates, over))
        if abs(along(at) - along(tip)) > 18:
            hands.append((along(at), max(up(value), TOP)))
    return Opening(points, (along(min(tip, near)), up(0)), tuple(hands), tip, says, now)


def _apart(openings: list[Opening]) -> list[Opening]:
    """Those that are to be seen beside the first: one that lies on it says nothing."""
    return [each for each in openings if each is openings[0] or each.points != openings[0].points]


def _stands(
    scene: Scene, soft: dict[str, float], rates: dict[str, float], page: Page, chosen: str, labels: Labels
) -> tuple[Stand, ...]:
    """The sheets, the farthest first; the chosen one's words are placed first, then those of the nearest."""
    along, up, distance, visibility = page.along, page.up, scene.lens_distance, scene.air.visibility
    found, said = dict[str, Stand](), list[tuple[float, float]]()
    for layer in sorted(scene.layers, key=lambda x: (x.id != chosen, -rates[x.id])):
        rate, own = rates[layer.id], soft[layer.id]
        x, top = along(rate), up(own)
        side: Side = "end" if x > page.width - BESIDE else "start" if x < BESIDE else ""
        says = f"{shown(own, 1)} px" if own > 0.05 else "sharp"
        text = f"{layer.label} · {says}" if layer.id == chosen else says
        wanted = max(min(top, up(0) - 4) - 6, 12.0)
        heights = np.arange(wanted, 11.0, -LINE).tolist()
        doubled = any(abs(x - place) < 2 and abs(own - other) < 0.05 for place, other in said)
        at = None if doubled and layer.id != chosen else labels.place(text, x, heights, side)
        said.append((x, own))
        kept = 1.0 if visibility is None or not layer.takes.air else share_at(rate, distance, visibility)
        found[layer.id] = Stand(
            layer.id, layer.label, x, top, wanted if at is None else at, own, says, kept, depth_colour(rate),
            abs(rate - scene.camera.focus) < 1e-6, layer.takes.focus, is_seen(scene, layer), at is None and layer.id != chosen,
            side,
        )  # fmt: skip
    return tuple(sorted(found.values(), key=lambda stand: rates[stand.id]))


def _air(scene: Scene, page: Page) -> tuple[str, tuple[float, float, float] | None]:
    """The curve of the share of colour kept, and its hand (x, y, rate): where the farthest finite sheet stands."""
    visibility, distance = scene.air.visibility, scene.lens_distance
    if visibility is None:
        return "", None
    along, high = page.along, page.high
    rates = np.linspace(0, page.near, 2 * PARTS + 1)
    points = " ".join(f"{along(float(r))},{high(share_at(float(r), distance, visibility))}" for r in rates)
    finite = [rate_of(resting_depth(scene, x), distance) for x in scene.layers if x.depth != "infinite"]
    at = min(finite, default=page.near / 2)
    return points, (along(at), high(share_at(at, distance, visibility)), at)
