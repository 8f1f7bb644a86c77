"""Threads: below a ruler of one driver, every moving channel as a thread as thick as it is quick there, its keys tied on as
knots.

A dead stop thins to a hairline, a jerk bulges; a jump is a bar across. Each thread's thickness is measured against its own top
speed, which stands at its end in numbers.
"""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Channel, Drivers, Scene, Track, channels_of
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.scales import round_steps
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.terms.curve import CurveTerm
from clinamen.core.motion.terms.drift import DriftTerm
from clinamen.core.optics import rate_of
from clinamen.core.quantities import shown

LEFT, RIGHT, ROW = 138.0, 108.0, 22.0
SAMPLES = 121
SHEAF = 10  # threads
THIN, THICK = 0.5, 8.0  # px: of a thread that stands, and at its top speed
CAMERA_COLOUR, CARRIER_COLOUR = "#FFFFFF", "#F0D9A8"


@dataclass(frozen=True)
class Knot:
    """A key on a thread: where it is drawn, how its place and value are read, and the key as it is copied."""

    x: float
    at: str
    place: str
    value: str
    key: str


@dataclass(frozen=True)
class ThreadRow:
    """One thread, `name` as edits know it; `path` is its ribbon about a line at 0, `jumps` the places of bars across."""

    name: str
    target: str
    who: str
    move: str
    colour: str
    path: str
    jumps: tuple[float, ...]
    knots: tuple[Knot, ...]
    top: str
    drifts: bool
    heads: bool

    @property
    def dom(self) -> str:
        return "thread-" + self.name.replace(" ", "-").replace(".", "_") + ("-drift" if self.drifts else "")


@dataclass(frozen=True)
class Threads:
    """The drawing; `ticks` (x, label, larger) of the ruler, `per` px of the drawing for a unit of the driver, `step` of an arrow
    key."""

    driver: str
    width: float
    height: float
    left: float
    right: float
    end: float
    per: float
    step: float
    ticks: tuple[tuple[float, str], ...]
    rows: tuple[ThreadRow, ...]

    @property
    def sheaves(self) -> list[tuple[ThreadRow, ...]]:
        """The rows, some at a time: what is out of sight is left undrawn by the sheaf."""
        return [self.rows[first : first + SHEAF] for first in range(0, len(self.rows), SHEAF)]


def draw(scene: Scene, driver: str, width: float = 688) -> Threads:
    """Every thread over a driver, grouped: the camera, carriers, layers from the nearest."""
    driver = driver_of(scene, driver)
    end, right = scene.drivers.end(driver), width - RIGHT
    per = (right - LEFT) / end
    rows: list[ThreadRow] = []
    last = ""
    for target, who, colour, track in _in_order(scene, driver):
        drawn = _drawn(track, scene.drivers, width)
        row = channels_of(target)[track.channel]
        rows.append(
            ThreadRow(
                thread_name(track), target, who, row.move, colour, drawn.path, drawn.jumps,
                drawn.knots, drawn.top, track.drift is not None, target != last,
            )
        )  # fmt: skip
        last = target
    return Threads(
        driver,
        width,
        max(ROW, len(rows) * ROW),
        LEFT,
        right,
        end,
        per,
        scene.drivers.step(driver),
        tuple(ruler(scene, driver, per)),
        tuple(rows),
    )


def driver_of(scene: Scene, wanted: str) -> str:
    """The driver that is wanted and on; else the one that more moves over, of those that are on."""
    if wanted in ("scroll", "time") and scene.drivers.is_on(wanted):
        return wanted
    on = [driver for driver in ("scroll", "time") if scene.drivers.is_on(driver)] or ["scroll"]
    return max(on, key=lambda driver: sum(track.driver == driver for track in scene.tracks))


def _in_order(scene: Scene, driver: str) -> Iterator[tuple[str, str, str, Track]]:
    """Target, its name, its colour and a track, in the order they are drawn."""
    distance = scene.lens_distance
    targets = [
        ("camera", "Camera", CAMERA_COLOUR),
        *((carrier.id, carrier.label, CARRIER_COLOUR) for carrier in scene.carriers),
        *((x.id, x.label, depth_colour(rate_of(x.depth, distance))) for x in reversed(scene.layers)),
    ]
    by_target: dict[str, list[Track]] = {}
    for track in scene.tracks:
        if track.driver == driver:
            by_target.setdefault(track.target, []).append(track)
    for target, who, colour in targets:
        order = list(channels_of(target))
        for track in sorted(by_target.get(target, ()), key=lambda t: (order.index(t.channel), t.drift is not None)):
            yield target, who, colour, track


def ruler(scene: Scene, driver: str, per: float) -> Iterable[tuple[float, str]]:
    """Marks along a driver: progress with page pixels, or seconds with frames."""
    end = scene.drivers.end(driver)
    for at in round_steps(0, end, max(2, int(per * end / 105))):
        label = shown(at, 2)
        if driver == "scroll" and scene.drivers.scroll:
            label += f" · {shown(at * scene.drivers.scroll.length, 0)} px"
        elif driver == "time" and scene.drivers.time:
            label += f" s · {shown(at * scene.drivers.time.fps, 0)}"
        yield LEFT + at * per, label


def _knots(track: Track, per: float, drivers: Drivers) -> Iterator[Knot]:
    name, row = thread_name(track), channels_of(track.target)[track.channel]
    for key in track.keys:
        place = place_text(drivers, track.driver, key.at)
        copied = {"thread": name, "at": key.at, "value": key.value, "ease": key.model_dump(mode="json")["ease"]}
        yield Knot(round(LEFT + key.at * per, 2), repr(key.at), place, value_text(row, key.value), json.dumps(copied))


def value_text(row: Channel, value: float, digits: int | None = None) -> str:
    """A channel's value as it is read, with its unit."""
    digits = row.digits if digits is None else digits
    if row.unit == "%":
        return f"{shown(100 * value, max(0, digits - 2))} %"
    return shown(value, digits) + (row.suffix or f" {row.unit}")


def place_text(drivers: Drivers, driver: str, at: float) -> str:
    """A place of a driver as it is read: "0.25", "3.2 s, frame 80"."""
    if driver == "time" and drivers.time:
        return f"{shown(at, 3)} s, frame {shown(at * drivers.time.fps, 1)}"
    return shown(at, 4)


def thread_name(track: Track) -> str:
    """A thread's name as edits know it."""
    return " ".join((track.target, track.channel, track.driver))


def term_of(track: Track, drivers: Drivers) -> CurveTerm:
    """What the thread of a track is drawn from."""
    return DriftTerm(track, drivers) if track.drift else CurveTerm(track, drivers)


@dataclass(frozen=True)
class _Drawn:
    path: str
    jumps: tuple[float, ...]
    top: str
    knots: tuple[Knot, ...]


@lru_cache(maxsize=4096)
def _drawn(track: Track, drivers: Drivers, width: float) -> _Drawn:
    """A thread's ribbon and knots; kept, since a drag changes few of them."""
    term = term_of(track, drivers)
    end = drivers.end(track.driver)
    per = (width - RIGHT - LEFT) / end
    at, speed = speeds(term.curve, end)
    top = float(speed.max()) if len(speed) else 0.0
    said = speed_text(track, drivers, top)
    if not set(said.split("\u00a0")[0].split(" ")[0]) & set("123456789"):  # too slow to be told is as good as still
        speed = np.zeros_like(speed)
    half = THIN / 2 + (THICK - THIN) / 2 * (speed / top if top > 0 else speed)
    x = LEFT + at * per
    forward = [f"{a:.1f} {-h:.2f}" for a, h in zip(x, half, strict=True)]
    back = [f"{a:.1f} {h:.2f}" for a, h in zip(x[::-1], half[::-1], strict=True)]
    jumps = tuple(round(LEFT + place * per, 1) for place in jumps_of(term.curve))
    knots = () if track.drift else tuple(_knots(track, per, drivers))
    return _Drawn(f"M{'L'.join(forward)}L{'L'.join(back)}Z", jumps, said, knots)


def speeds(curve: Curve, end: float, samples: int = SAMPLES) -> tuple[Floats, Floats]:
    """Places [N] along a driver, each key and easing's turn among them, and how quickly the value changes there [N]."""
    inside = curve.turn_at[(curve.turn_at > 0) & (curve.turn_at < end)]
    near = end * 1e-4
    if len(inside) > samples:  # a drift's many keys say nothing that even steps do not
        inside, samples = inside[:0], 4 * samples
    at = np.unique(np.concatenate([np.linspace(0, end, samples), inside - near, inside + near]).clip(0, end))
    step = end * 1e-6
    low, high = np.clip(at - step, 0, end), np.clip(at + step, 0, end)
    speed = np.abs(curve.value(high) - curve.value(low)) / (high - low)
    for place in jumps_of(curve):
        speed[np.abs(at - place) <= step] = 0.0
    return at, speed


def jumps_of(curve: Curve) -> list[float]:
    """Places where the value jumps."""
    return [
        piece.start if piece.jumps_at_start else piece.end
        for piece in curve.pieces
        if piece.handles is None and piece.first != piece.last
    ]


def speed_text(track: Track, drivers: Drivers, speed: float) -> str:
    """A speed as it is read: a second, or a thousand pixels of the page."""
    row = channels_of(track.target)[track.channel]
    if track.driver == "scroll":
        speed *= 1000 / drivers.scroll.length if drivers.scroll else 1.0
    digits = 0 if speed >= 100 else row.digits if row.unit in ("×", "%") else 1
    return f"{value_text(row, speed, digits)}/{'s' if track.driver == 'time' else '1000px'}"


def describe(threads: Threads) -> str:
    """The drawing in words."""
    if not threads.rows:
        return f"Nothing moves over {threads.driver} yet"
    said = (f"{row.who} {row.move} {f'{len(row.knots)} knots' if row.knots else 'drifts'}" for row in threads.rows)
    return f"Threads over {threads.driver}: {', '.join(said)}"
