"""The table of channels: everything that is known of a channel stands in its one row, and whoever lists channels reads it.

A channel is a number of the camera or of a layer that drivers may move. `move` is its film-craft name where the trade has
one; `combine` says how values join the resting one; `low` to `high` is what may be typed or keyed; `nudge` is the step of
an arrow key and `digits` how many decimals are read; `touches` says what of a sheet it changes: its "place" or its "look".
"""

from dataclasses import dataclass
from typing import Literal

Combine = Literal["add", "multiply"]
Touches = Literal["place", "look"]


@dataclass(frozen=True)
class Channel:
    """One row of the table; `unit` is "px", "°", "×" or "%"; `units` the words understood when it is typed."""

    name: str
    move: str
    unit: str
    units: str
    combine: Combine
    low: float
    high: float
    nudge: float
    digits: int
    touches: Touches = "place"
    least: float | None = None  # lower bound of a key's value that the document enforces

    @property
    def rest(self) -> float:
        """What a track adds or multiplies where it changes nothing."""
        return 1.0 if self.combine == "multiply" else 0.0

    @property
    def suffix(self) -> str:
        """What follows the number in a field: an angle says so, other units stand beside the field."""
        return "°" if self.unit == "°" else ""


def _place(name: str, move: str, nudge: float = 10) -> Channel:
    return Channel(name, move, "px", "px", "add", -1e6, 1e6, nudge, 2)


def _angle(name: str, move: str, most: float = 360, nudge: float = 0.5) -> Channel:
    return Channel(name, move, "°", "° deg", "add", -most, most, nudge, 2)


_TINY = 1e-9  # keys of factors that may not be 0

CAMERA: tuple[Channel, ...] = (
    _place("x", "truck"), _place("y", "pedestal"), _place("z", "dolly"),
    _angle("pitch", "tilt"), _angle("yaw", "pan"), _angle("roll", "roll"),
    Channel("zoom", "zoom", "×", "× x %", "multiply", 1e-3, 1e3, 0.05, 3, least=_TINY),
    _angle("arc", "arc"), _angle("crane", "crane", 90),
    Channel("focus", "focus", "×", "× x", "add", -1e3, 1e3, 0.05, 3, "look"),
    Channel("aperture", "aperture", "×", "× x %", "multiply", 1e-3, 1e3, 0.1, 3, "look", least=_TINY),
)  # fmt: skip
LAYER: tuple[Channel, ...] = (
    _place("x", "across", 1), _place("y", "down", 1),
    Channel("scale", "scale", "×", "× x %", "multiply", 1e-4, 1e4, 0.01, 4, least=_TINY),
    _angle("rotation", "rotation", 3600, 1), _angle("lean", "lean", nudge=1), _angle("turn", "turn", nudge=1),
    Channel("opacity", "opacity", "%", "%", "multiply", 0, 1e3, 0.05, 3, "look", least=0.0),
    Channel("depth", "depth", "px", "px", "add", -1e9, 1e9, 10, 1),
    Channel("blur", "softness", "px", "px", "add", -1e4, 1e4, 0.5, 2, "look"),
)  # fmt: skip

CHANNELS: dict[str, dict[str, Channel]] = {
    "camera": {row.name: row for row in CAMERA},
    "layer": {row.name: row for row in LAYER},
}
CAMERA_CHANNELS = tuple(CHANNELS["camera"])
LAYER_CHANNELS = tuple(CHANNELS["layer"])
LENS_CHANNELS = ("focus", "aperture")  # of the camera: nothing is soft through a pinhole, so there they change nothing
CARRIER_CHANNELS = ("x", "y", "scale", "rotation", "opacity", "depth")  # of a carrier: rows of the layer's table


def channels_of(target: str) -> dict[str, Channel]:
    """The channels of a track's target: the camera's, or any layer's (a carrier has some of a layer's)."""
    return CHANNELS["camera" if target == "camera" else "layer"]
