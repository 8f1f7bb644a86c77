"""The camera's way over a driver from above or from the side, with marks at even steps of the driver: where they lie close it is
slow."""

from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Scene
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.scales import round_steps
from clinamen.core.drawing.threads import place_text
from clinamen.core.edits.path import TURNS, eyes, knots_of, moving_tracks
from clinamen.core.optics import rate_of
from clinamen.core.quantities import shown
from clinamen.core.stage.formula import target_of

LEFT, RIGHT, TOP, BOTTOM = 60.0, 24.0, 18.0, 26.0
SAMPLES, MARKS = 241, 24
LEAST = 40.0  # px of the world that the drawing shows at least
EDGE = 12.0  # px of the drawing between a mark and the edge
MOST_WIDER = 2.5  # times as much is shown for the subject's sake; a farther one stands at the edge on its side


@dataclass(frozen=True)
class PathKnot:
    """A knot of the way: where it is drawn, its place on the driver, and the camera's numbers there."""

    x: float
    y: float
    at: str
    place: str
    across: float
    ahead: float


@dataclass(frozen=True)
class PathDrawing:
    """`per` px of the drawing for a scene pixel; `first` (across, ahead) of the drawing's top left corner of the plot; `axis` is
    x from above and y from the side."""

    driver: str
    axis: str
    width: float
    height: float
    left: float
    top: float
    per: float
    first: tuple[float, float]
    line: str
    marks: tuple[tuple[float, float], ...]
    knots: tuple[PathKnot, ...]
    sheets: tuple[tuple[float, str, str], ...]
    across: tuple[tuple[float, str], ...]
    ahead: tuple[tuple[float, str], ...]
    length: str
    subject: tuple[float, float] | None  # what the camera goes round, where it does; at the edge where it lies beyond


def draw(scene: Scene, driver: str, axis: str, width: float = 688, height: float = 196) -> PathDrawing:
    """From above (`axis` x) what is ahead lies up; from the side (`axis` y) it lies to the right."""
    end, side = scene.drivers.end(driver), axis == "y"
    at = np.linspace(0, end, SAMPLES)
    points, seen_as = eyes(scene, driver, at), [1 if side else 0, 2]
    pair = points[:, seen_as]
    knots = knots_of(moving_tracks(scene, driver))
    placed = eyes(scene, driver, np.array(knots))[:, seen_as] if knots else np.zeros((0, 2))
    subject = np.array(target_of(scene))[seen_as][None] if goes_round(scene) else np.zeros((0, 2))
    low, high = pair.min(axis=0), pair.max(axis=0)
    wider = np.concatenate([pair, subject])
    if np.ptp(wider, axis=0).max() <= MOST_WIDER * np.maximum(high - low, LEAST).max():
        low, high = wider.min(axis=0), wider.max(axis=0)
    middle, span = (low + high) / 2, np.maximum(high - low, LEAST) * 1.15
    room = np.array([width - LEFT - RIGHT, height - TOP - BOTTOM])
    drawn = span[::-1] if side else span  # across the drawing, down the drawing
    per = float((room / drawn).min())
    # the drawing's corner: from above x runs right and z up; from the side z runs right and y down
    first = (
        middle[::-1] - room / per / 2
        if side
        else np.array([middle[0] - room[0] / per / 2, middle[1] + room[1] / per / 2])
    )

    def to(pairs: np.ndarray) -> np.ndarray:
        if side:
            return np.column_stack([LEFT + (pairs[:, 1] - first[0]) * per, TOP + (pairs[:, 0] - first[1]) * per])
        return np.column_stack([LEFT + (pairs[:, 0] - first[0]) * per, TOP + (first[1] - pairs[:, 1]) * per])

    line, marks, seen, round_what = to(pair), to(pair[:: SAMPLES // MARKS]), to(placed), to(subject)
    distance = scene.lens_distance
    sheets = []
    for layer in scene.layers:
        rate = rate_of(layer.depth, distance)
        if rate > 0:
            place = (distance / rate - first[0]) * per + LEFT if side else TOP + (first[1] - distance / rate) * per
            if (LEFT if side else TOP) <= place <= (width - RIGHT if side else height - BOTTOM):
                sheets.append((round(float(place), 1), depth_colour(rate), layer.label))
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1).sum()
    right, floor = first[0] + room[0] / per, first[1] + (room[1] / per if side else -room[1] / per)
    across = [
        (round(LEFT + (v - first[0]) * per, 1), shown(v, 0)) for v in round_steps(float(first[0]), float(right), 6)
    ]
    ahead = [
        (round(TOP + (v - first[1]) * per * (1 if side else -1), 1), shown(v, 0))
        for v in round_steps(min(float(first[1]), float(floor)), max(float(first[1]), float(floor)), 4)
    ]
    return PathDrawing(
        driver, axis, width, height, LEFT, TOP, per, (float(first[0]), float(first[1])),
        " ".join(f"{x:.1f},{y:.1f}" for x, y in line), tuple((round(float(x), 1), round(float(y), 1)) for x, y in marks),
        tuple(
            PathKnot(round(float(x), 1), round(float(y), 1), repr(float(place)), place_text(scene.drivers, driver, float(place)),
                     float(own[0]), float(own[1]))
            for (x, y), place, own in zip(seen, knots, placed, strict=True)
        ),
        tuple(sheets), tuple(across), tuple(ahead), shown(float(steps), 0),
        _subject(round_what[0], width, height) if len(round_what) else None,
    )  # fmt: skip


def _subject(at: np.ndarray, width: float, height: float) -> tuple[float, float]:
    """Return the place of the subject's mark, at the edge of the drawing where the subject lies beyond it."""
    x, y = float(at[0]), float(at[1])
    if not (LEFT <= x <= width - RIGHT and TOP <= y <= height - BOTTOM):
        x = min(max(x, LEFT + EDGE), width - RIGHT - EDGE)
        y = min(max(y, TOP + EDGE), height - BOTTOM - EDGE)
    return round(x, 1), round(y, 1)


def goes_round(scene: Scene) -> bool:
    """True where the camera goes round its subject, at rest or over a driver."""
    turns = any(track.target == "camera" and track.channel in TURNS for track in scene.tracks)
    return turns or bool(scene.camera.arc or scene.camera.crane)
