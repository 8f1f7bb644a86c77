"""The fan: every layer's offset over one driver, one curve each; flat curves are far, steep ones near."""

from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Scene, resting_depth, seen_layers
from clinamen.core.drawing.colour import depth_colour
from clinamen.core.drawing.scales import round_steps
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, States
from clinamen.core.optics import rate_of
from clinamen.core.quantities import shown
from clinamen.core.stage import stage

SAMPLES = 241
LEFT, RIGHT, TOP, BOTTOM = 60.0, 116.0, 18.0, 30.0
LABEL_ROOM = 13.0


@dataclass(frozen=True)
class FanLine:
    id: str
    label: str
    points: str
    colour: str
    end_y: float
    label_y: float
    most: str


@dataclass(frozen=True)
class Fan:
    width: float
    height: float
    driver: str
    axis: str
    speed: bool
    unit: str
    curves: tuple[FanLine, ...]
    across: tuple[tuple[float, str], ...]
    up: tuple[tuple[float, str], ...]
    left: float
    right: float
    zero: float
    floor: float


def draw(
    scene: Scene, driver: str = "", axis: str = "", speed: bool = False, width: float = 688, height: float = 236
) -> Fan:
    """Offsets in view pixels of each layer's centre from where it stands at the driver's start; `speed`: their change
    per second of time, per page pixel of scroll, or per unit of pointer."""
    driver = driver or _liveliest(scene)
    at, states = _states(scene, driver)
    offsets = _offsets(scene, states)  # [L, N, 2]
    if not axis:
        axis = "x" if not offsets.size or np.abs(offsets[..., 0]).max() > np.abs(offsets[..., 1]).max() else "y"
    values = offsets[..., 0 if axis == "x" else 1]
    unit = "px"
    if speed:
        step = _per(scene, driver)
        values = np.gradient(values, at * step, axis=1) if values.size else values
        unit = {"scroll": "px a page px", "time": "px/s"}.get(driver, "px a unit")
    low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 0.0)
    low, high = min(low, 0.0), max(high, 0.0)
    if high - low < 1e-6:
        low, high = -1.0, 1.0
    right, floor = width - RIGHT, height - BOTTOM

    def x_of(value: float) -> float:
        return float(LEFT + (value - at[0]) / (at[-1] - at[0]) * (right - LEFT))

    def y_of(value: float) -> float:
        return float(TOP + (high - value) / (high - low) * (floor - TOP))

    layers = seen_layers(scene)
    labels = _apart([y_of(float(row[-1])) for row in values], TOP, floor)
    curves = []
    for layer, row, label_y in zip(layers, values, labels, strict=True):
        points = " ".join(f"{x_of(a):.1f},{y_of(v):.1f}" for a, v in zip(at, row, strict=True))
        most = row[np.argmax(np.abs(row))] if len(row) else 0.0
        colour = depth_colour(rate_of(resting_depth(scene, layer), scene.lens_distance))
        curves.append(
            FanLine(
                layer.id,
                layer.label,
                points,
                colour,
                y_of(float(row[-1])),
                label_y,
                shown(float(most), 2 if speed else 0),
            )
        )
    ticks = [(x_of(value), f"{value:g}") for value in np.linspace(at[0], at[-1], 5)]
    up = [(y_of(value), shown(value, 2 if speed and high - low < 20 else 0)) for value in round_steps(low, high, 4)]
    return Fan(
        width, height, driver, axis, speed, unit, tuple(curves), tuple(ticks), tuple(up), LEFT, right, y_of(0), floor
    )


def _liveliest(scene: Scene) -> str:
    for driver in ("scroll", "time"):
        if getattr(scene.drivers, driver) and any(track.driver == driver for track in scene.tracks):
            return driver
    return "pointer" if scene.drivers.pointer else "scroll"


def _states(scene: Scene, driver: str) -> tuple[np.ndarray[tuple[int], np.dtype[np.float64]], States]:
    end = scene.drivers.time.duration if driver == "time" and scene.drivers.time else 1.0
    at = np.linspace(-1.0 if driver == "pointer" else 0.0, end, SAMPLES)
    zero = np.zeros(SAMPLES)
    pointer = at if driver == "pointer" else zero
    return at, States(at if driver == "scroll" else zero, pointer, pointer, at if driver == "time" else zero)


def _offsets(scene: Scene, states: States) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    motion = Motion(scene)
    layers = seen_layers(scene)
    over = stage(scene, states, motion, layers).sheets
    start = stage(scene, States.of(State()), motion, layers).sheets
    rows = [np.nan_to_num(sheet.centre()[0] - rest.centre()[0]) for sheet, rest in zip(over, start, strict=True)]
    return np.array(rows).reshape(-1, len(states), 2)


def _per(scene: Scene, driver: str) -> float:
    return scene.drivers.scroll.length if driver == "scroll" and scene.drivers.scroll else 1.0


def _apart(wanted: list[float], low: float, high: float) -> list[float]:
    """Label heights near the wanted ones but not upon each other."""
    placed = list(wanted)
    order = sorted(range(len(wanted)), key=lambda index: wanted[index])
    room = min(LABEL_ROOM, (high - low) / max(len(wanted), 1))
    for before, after in zip(order, order[1:], strict=False):
        placed[after] = max(placed[after], placed[before] + room)
    if order and placed[order[-1]] > high:
        placed[order[-1]] = high
        for after, before in zip(reversed(order), list(reversed(order))[1:], strict=False):
            placed[before] = min(placed[before], placed[after] - room)
    return placed
