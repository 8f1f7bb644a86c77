"""One thread opened: its value and its speed over the driver, its knots, and the handles of its easings."""

from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Scene, Track, channels_of
from clinamen.core.drawing.scales import round_steps
from clinamen.core.drawing.threads import (
    jumps_of,
    place_text,
    ruler,
    speed_text,
    speeds,
    term_of,
    thread_name,
    value_text,
)
from clinamen.core.motion.curves import Piece
from clinamen.core.motion.terms.curve import CurveTerm
from clinamen.core.quantities import shown

LEFT, RIGHT, TOP, BOTTOM, SPEED = 138.0, 108.0, 12.0, 20.0, 42.0
SAMPLES = 401


@dataclass(frozen=True)
class Handle:
    """A handle of the easing that begins at the knot `at`: which of the two, where it is and where its arm begins."""

    at: str
    which: int
    x: float
    y: float
    from_x: float
    from_y: float


@dataclass(frozen=True)
class CurveKnot:
    x: float
    y: float
    at: str
    place: str
    value: str


@dataclass(frozen=True)
class ThreadCurve:
    """The drawing: polylines of value and speed, scales, and what a script needs to turn a place into numbers."""

    name: str
    title: str
    width: float
    height: float
    left: float
    right: float
    floor: float
    ground: float
    value: str
    speed: str
    per: float
    first: float
    rise: float
    step: float
    lift: float
    knots: tuple[CurveKnot, ...]
    handles: tuple[Handle, ...]
    ticks: tuple[tuple[float, str], ...]
    up: tuple[tuple[float, str], ...]
    says: str


def draw(scene: Scene, track: Track, who: str, width: float = 688, height: float = 196) -> ThreadCurve:
    """The value above, the speed below it on a strip of its own."""
    drivers, row = scene.drivers, channels_of(track.target)[track.channel]
    term = term_of(track, drivers)
    end, curve = drivers.end(track.driver), term.curve
    per = (width - RIGHT - LEFT) / end
    at = np.unique(np.concatenate([np.linspace(0, end, SAMPLES), curve.turn_at.clip(0, end)]))
    value = curve.value(at)
    bent = [] if track.drift else _bent(track, curve.pieces)
    points = [float(value.min()), float(value.max()), row.rest, *(point[1] for _, _, point, _ in bent)]
    low, high = min(points), max(points)
    if high - low < 1e-9:
        low, high = low - 1, high + 1
    ground = height - BOTTOM
    floor = ground - SPEED

    def x_of(place: float) -> float:
        return round(LEFT + place * per, 2)

    def y_of(number: float) -> float:
        return round(TOP + (high - number) / (high - low) * (floor - TOP), 2)

    placed, speed = speeds(curve, end)
    top = float(speed.max()) if len(speed) else 0.0
    strip = [(x_of(a), ground - (SPEED - 8) * (s / top if top else 0.0)) for a, s in zip(placed, speed, strict=True)]
    knots = tuple(
        CurveKnot(x_of(key.at), y_of(key.value), repr(key.at), place_text(scene.drivers, track.driver, key.at),
                  value_text(row, key.value))
        for key in track.keys
    )  # fmt: skip
    handles = tuple(
        Handle(repr(key), which, x_of(to[0]), y_of(to[1]), x_of(arm[0]), y_of(arm[1])) for key, which, to, arm in bent
    )
    return ThreadCurve(
        thread_name(track), f"{who}, {row.move}{', drift' if track.drift else ''}", width, height, LEFT, width - RIGHT, floor,
        ground,
        " ".join(f"{x_of(a):.1f},{y_of(v):.1f}" for a, v in zip(at, value, strict=True)),
        " ".join(f"{x:.1f},{y:.1f}" for x, y in strip), per, high, (floor - TOP) / (high - low),
        drivers.step(track.driver), row.nudge, knots, handles,
        tuple(ruler(scene, track.driver, per)), tuple((y_of(v), shown(v, row.digits)) for v in round_steps(low, high, 4)),
        _says(scene, track, term, value, at, top),
    )  # fmt: skip


def _bent(track: Track, pieces: list[Piece]) -> list[tuple[float, int, tuple[float, float], tuple[float, float]]]:
    """Handles: of which key's easing, first or second, where in place and value, and where their arms begin."""
    ends = {key.at: after for key, after in zip(track.keys, track.keys[1:], strict=False)}
    found = []
    for piece in pieces:
        after = ends.get(piece.start)
        if after is None or piece.handles is None or piece.end != after.at or piece.first == piece.last:
            continue
        x1, y1, x2, y2 = piece.handles
        span, rise = piece.end - piece.start, piece.last - piece.first
        found += [
            (piece.start, 1, (piece.start + x1 * span, piece.first + y1 * rise), (piece.start, piece.first)),
            (piece.start, 2, (piece.start + x2 * span, piece.first + y2 * rise), (piece.end, piece.last)),
        ]
    return found


def _says(scene: Scene, track: Track, term: CurveTerm, value: Floats, at: Floats, top: float) -> str:
    """Extremes, overshoot and top speed in numbers."""
    row, curve = channels_of(track.target)[track.channel], term.curve
    end = scene.drivers.end(track.driver)
    least, most = (float(side[0]) for side in curve.range(np.zeros(1), np.array([end])))
    said = [f"From {value_text(row, least)} to {value_text(row, most)}"]
    if track.keys:
        over = max(most - max(k.value for k in track.keys), min(k.value for k in track.keys) - least)
        if over > 10.0**-row.digits:
            said.append(f"{value_text(row, over)} beyond its knots")
    where = at[int(np.argmax(np.abs(np.gradient(value, at))))]
    said.append(f"at most {speed_text(track, scene.drivers, top)}")
    if top > 0 and len(track.keys) != 1:
        said[-1] += f", near {place_text(scene.drivers, track.driver, round(float(where), 3))}"
    if jumps := jumps_of(curve):
        said.append(f"{len(jumps)} jump{'s' if len(jumps) > 1 else ''}")
    return "; ".join(said)
