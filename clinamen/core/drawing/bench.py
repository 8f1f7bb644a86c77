"""The light bench: softness and air over the plan's own scale of rates, where the lens is a V with straight sides.

Each V is the lens at one state: its tip the rate in focus, its slope the aperture. Sheets stand in it as lines as high as they
are soft; air lies over it as a curve, the share of their colour that sheets keep.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.air import share_at
from clinamen.core.arrays import Floats
from clinamen.core.bounded import Bounded
from clinamen.core.document import Art, Layer, Scene, is_seen, resting_depth
from clinamen.core.drawing.colour import depth_colour
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
CROWDED = 58.0  # px: sheets nearer than this say their softness at different heights
LINE = 13.0  # px
BESIDE = 80.0  # px: what stands nearer to an edge has its words to the other side
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
    doubled: bool  # stands where another says the same
    side: str  # where its words go so that they are within the drawing: "", "start" of it or "end"


@dataclass(frozen=True)
class Opening:
    """One V: the places (x, y) of its far end, tip and near end, its hands on both sides, the state it is of."""

    points: str
    tip: tuple[float, float]
    hands: tuple[tuple[float, float], ...]
    rate: float
    says: str


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


def draw(scene: Scene, width: float = 688, height: float = 236) -> Bench:
    """The light bench on a page of width × height."""
    sheets = tuple((x.id, x.name, x.depth, x.takes, is_seen(scene, x), x.carrier, x.group) for x in scene.layers)
    lens = (scene.view, scene.lens, scene.camera, scene.air, scene.carriers, scene.groups, scene.drivers, scene.tracks)
    return _drawn.get((sheets, lens, width, height), lambda: _draw(scene, width, height))


def _draw(scene: Scene, width: float, height: float) -> Bench:
    motion, near = Motion(scene), nearest_rate(scene)
    states = pull_states(scene, motion)
    softness = [_over(scene, motion, state, near) for _, state in states]
    rest = stage_at(scene, State(), motion)
    soft = {sheet.layer.id: float(sheet.disc[0]) / 4 for sheet in rest.sheets}
    most = SPARE * max(LEAST_TOP, *soft.values(), *(float(over.max()) / 2 for over in softness)) if soft else LEAST_TOP
    page = Page(width, height - BOTTOM, near, most)
    openings = [
        _opening(scene, motion, says, state, over, page)
        for (says, state), over in zip(states, softness, strict=True)
        if scene.lens.aperture is not None
    ]
    air, hand = _air(scene, page)
    ticks = [(page.along(step), shown(step, 2)) for step in round_steps(0, near, 8)]
    return Bench(
        width, height, LEFT, width - RIGHT, near, page.floor, TOP, most, tuple(ticks),
        tuple((page.up(step), shown(step, 2)) for step in round_steps(0, most, 4)[1:]),
        tuple(openings), _stands(scene, soft, page), air, hand,
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


def _opening(scene: Scene, motion: Motion, says: str, state: State, over: Floats, page: Page) -> Opening:
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
    return Opening(points, (along(min(tip, near)), up(0)), tuple(hands), tip, says)


def _stands(scene: Scene, soft: dict[str, float], page: Page) -> tuple[Stand, ...]:
    along, up = page.along, page.up
    found, taken = list[Stand](), list[tuple[float, float]]()
    distance = scene.lens_distance
    for layer in sorted(scene.layers, key=lambda x: rate_of(resting_depth(scene, x), distance)):
        rate = rate_of(resting_depth(scene, layer), distance)
        x, top = along(rate), up(soft[layer.id])
        said_at = max(min(top, up(0) - 4) - 6, 12.0)
        doubled = any(abs(x - each.x) < 2 and abs(soft[layer.id] - each.soft) < 0.05 for each in found)
        while (
            not doubled
            and any(abs(x - other) < CROWDED and abs(said_at - at) < LINE for other, at in taken)
            and said_at > 24
        ):
            said_at -= LINE
        if not doubled:
            taken.append((x, said_at))
        visibility = scene.air.visibility
        kept = 1.0 if visibility is None or not layer.takes.air else share_at(rate, distance, visibility)
        says = f"{shown(soft[layer.id], 1)} px" if soft[layer.id] > 0.05 else "sharp"
        found.append(
            Stand(
                layer.id, layer.label, x, top, said_at, soft[layer.id], says, kept, depth_colour(rate),
                abs(rate - scene.camera.focus) < 1e-6, layer.takes.focus, is_seen(scene, layer), doubled,
                "end" if x > page.width - BESIDE else "start" if x < BESIDE else "",
            )
        )  # fmt: skip
    return tuple(found)


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
