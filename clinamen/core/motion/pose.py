"""Driver states to poses: every channel's value, or its exact range over a whole cell of states.

Camera channels = resting value + tracks + pointer · reach (zoom: multiplied). A driver that is absent is off: its
tracks and the pointer then add nothing.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core import document
from clinamen.core.document import MULTIPLIED_CHANNELS, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.easing import Floats
from clinamen.core.motion.tracks import Curve


@dataclass(frozen=True)
class State:
    """One driver state: scroll progress 0…1, settled pointer (u, v) in −1…1, time in seconds."""

    scroll: float = 0.0
    pointer: tuple[float, float] = (0.0, 0.0)
    time: float = 0.0

    def to_json(self) -> dict[str, object]:
        return {"scroll": self.scroll, "pointer": list(self.pointer), "time": self.time}


@dataclass(frozen=True)
class States:
    """N driver states as arrays [N]."""

    scroll: Floats
    u: Floats
    v: Floats
    time: Floats

    @classmethod
    def of(cls, *states: State) -> "States":
        columns = zip(*((s.scroll, s.pointer[0], s.pointer[1], s.time) for s in states), strict=True)
        return cls(*(np.array(column, dtype=float) for column in columns))

    def __len__(self) -> int:
        return len(self.scroll)

    def __getitem__(self, index: int) -> State:
        return State(float(self.scroll[index]), (float(self.u[index]), float(self.v[index])), float(self.time[index]))


@dataclass(frozen=True)
class Cells:
    """N boxes of driver states: an interval [N] for each of scroll, pointer u and v, time."""

    scroll: Interval
    u: Interval
    v: Interval
    time: Interval


def driver_bounds(scene: Scene) -> dict[str, tuple[float, float]]:
    """The full range of each driver axis; (0, 0) where a driver is off."""
    drivers = scene.drivers
    return {
        "scroll": (0.0, 1.0) if drivers.scroll else (0.0, 0.0),
        "u": (-1.0, 1.0) if drivers.pointer and drivers.pointer.reach_x else (0.0, 0.0),
        "v": (-1.0, 1.0) if drivers.pointer and drivers.pointer.reach_y else (0.0, 0.0),
        "time": (0.0, drivers.time.duration) if drivers.time else (0.0, 0.0),
    }


class Motion:
    """A scene's tracks, compiled: `camera` and `layer` give channel values, `camera_range` and `layer_range` ranges."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.curves: dict[str, list[Curve]] = {}
        for track in scene.tracks:
            if getattr(scene.drivers, track.driver) is not None:
                self.curves.setdefault(track.target, []).append(Curve(track))

    def _at(self, curve: Curve, states: States) -> Floats:
        if curve.driver == "scroll":
            return curve.value(np.clip(states.scroll, 0.0, 1.0))
        driver = self.scene.drivers.time
        assert driver is not None
        past = states.time > driver.duration
        end = np.mod(states.time, driver.duration) if driver.loop else driver.duration
        return curve.value(np.where(past, end, states.time))

    def camera(self, states: States) -> dict[str, Floats]:
        """Every camera channel as an array [N]."""
        values = self._values("camera", resting_camera(self.scene), states)
        pointer = self.scene.drivers.pointer
        if pointer is not None:
            values["x"] = values["x"] + states.u * pointer.reach_x
            values["y"] = values["y"] + states.v * pointer.reach_y
        return values

    def layer(self, layer: document.Layer, states: States) -> dict[str, Floats]:
        """Every channel of `layer` as an array [N]; depth is inf for an infinite layer."""
        return self._values(layer.id, resting_layer(layer), states)

    def _values(self, target: str, resting: dict[str, float], states: States) -> dict[str, Floats]:
        values = {channel: np.full(len(states), value) for channel, value in resting.items()}
        for curve in self.curves.get(target, ()):
            at = self._at(curve, states)
            old = values[curve.channel]
            values[curve.channel] = old * at if curve.channel in MULTIPLIED_CHANNELS else old + at
        return values

    def camera_range(self, cells: Cells) -> dict[str, Interval]:
        """Every camera channel's range over the cells."""
        ranges = self._ranges("camera", resting_camera(self.scene), cells)
        pointer = self.scene.drivers.pointer
        if pointer is not None:
            ranges["x"] = ranges["x"] + cells.u * Interval.point(pointer.reach_x)
            ranges["y"] = ranges["y"] + cells.v * Interval.point(pointer.reach_y)
        return ranges

    def layer_range(self, layer: document.Layer, cells: Cells) -> dict[str, Interval]:
        """Every channel's range of `layer` over the cells."""
        return self._ranges(layer.id, resting_layer(layer), cells)

    def _ranges(self, target: str, resting: dict[str, float], cells: Cells) -> dict[str, Interval]:
        ranges = {channel: Interval.point(value) for channel, value in resting.items()}
        for curve in self.curves.get(target, ()):
            over = cells.scroll if curve.driver == "scroll" else cells.time
            reach = Interval(*curve.range(over.low, over.high))
            old = ranges[curve.channel]
            ranges[curve.channel] = old * reach if curve.channel in MULTIPLIED_CHANNELS else old + reach
        return ranges


def camera_slides(scene: Scene) -> bool:
    """True when the camera only trucks and rises: then a frontal sheet's offset is a plain shift."""
    resting = resting_camera(scene)
    moved = {
        track.channel
        for track in scene.tracks
        if track.target == "camera" and getattr(scene.drivers, track.driver) is not None
    }
    return (
        all(resting[name] == 0 and name not in moved for name in ("z", "pitch", "yaw", "roll")) and "zoom" not in moved
    )


def resting_camera(scene: Scene) -> dict[str, float]:
    """The camera at rest as channel values. Rest is where framings hold, so its position adds on top of them."""
    camera = scene.camera
    return {channel: float(getattr(camera, channel)) for channel in document.CAMERA_CHANNELS}


def resting_layer(layer: document.Layer) -> dict[str, float]:
    """The layer's own channel values."""
    framing, tilt = layer.framing, layer.tilt
    return {
        "x": framing.x,
        "y": framing.y,
        "scale": framing.scale,
        "rotation": framing.rotation,
        "lean": tilt.lean,
        "turn": tilt.turn,
        "opacity": layer.opacity,
        "depth": float("inf") if layer.depth == "infinite" else float(layer.depth),
        "blur": 0.0,
    }
