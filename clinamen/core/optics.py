"""Lens and depth in numbers: angle of view, lens distance, depth as a rate, and what a lens leaves soft.

The rate k = D / (D + depth) is the natural coordinate: 0 at infinite depth, 1 on the picture plane.
"""

import math
from dataclasses import dataclass
from typing import Literal

from clinamen.core.errors import BadEdit

Depth = float | Literal["infinite"]
NEAREST_FOCUS = 1e-6  # of what stays in front of the lens: focus is never nearer than the lens can be


def angle_of_view(focal_length: float, sensor: float) -> float:
    """Angle of view in degrees of a `sensor` millimetres long side behind a lens of `focal_length` millimetres.

    2·atan(sensor / 2f), the pinhole model; for a 36 × 24 mm frame handbooks give 39.6° across at 50 mm.
    """
    return math.degrees(2 * math.atan(sensor / (2 * focal_length)))


def focal_length_for(angle: float, sensor: float) -> float:
    """Focal length in millimetres that sees `angle` degrees over `sensor` millimetres; BadEdit outside 0…180."""
    if not 0 < angle < 180:
        raise BadEdit(f"angle of view: {angle:g}° is not between 0° and 180°; type an angle in that range")
    return sensor / (2 * math.tan(math.radians(angle) / 2))


def lens_distance(width: float, focal_length: float, sensor_width: float) -> float:
    """D in scene pixels: how far the resting camera stands before the picture plane (pinhole model, fx of OpenCV)."""
    return width * focal_length / sensor_width


def rate_of(depth: Depth, distance: float) -> float:
    """Rate k of a layer at `depth` scene pixels, seen over lens distance `distance`."""
    if depth == "infinite":
        return 0.0
    return distance / (distance + depth)


def depth_of(rate: float, distance: float) -> Depth:
    """Depth in scene pixels at which a layer moves at `rate`; BadEdit for a rate below 0."""
    if rate < 0 or not math.isfinite(rate):
        raise BadEdit(f"rate: {rate:g} is not possible; a rate is 0 (infinitely far) or more")
    if rate == 0:
        return "infinite"
    return distance * (1 / rate - 1)


def circle_of_confusion(distance: float, focused: float, focal_length: float, aperture: float) -> float:
    """Diameter on the sensor of the disc that a point at `distance` makes when the lens is focused at `focused`; all in
    millimetres but the aperture number. f²/N · |s − s0| / (s · (s0 − f)): thin lens, as in handbooks of photographic optics."""
    f = focal_length
    away = abs(1 - focused / distance) if math.isfinite(distance) else 1.0
    return f * f / aperture * away / (focused - f)


def hyperfocal(focal_length: float, aperture: float, confusion: float) -> float:
    """The nearest distance of focus (mm) that leaves infinity no softer than `confusion` mm: f²/(N·c0) + f. Handbooks: 50 mm at
    f/8 with 0.03 mm, 10.47 m."""
    return focal_length * focal_length / (aperture * confusion) + focal_length


@dataclass(frozen=True)
class ThinLens:
    """What a lens makes soft, in rates. `slope`: diameter in view pixels of the disc for a whole unit of rate away from the rate
    in focus, at aperture number 1 and zoom 1; `near`: the focal length over the lens distance, both in the scene's world."""

    slope: float
    near: float

    @classmethod
    def of(cls, width: float, focal_length: float, sensor_width: float, pixels_per_metre: float) -> "ThinLens":
        """A lens in millimetres before a view of `width` pixels, in a scene of so many pixels to the metre."""
        away = 1000 * lens_distance(width, focal_length, sensor_width) / pixels_per_metre
        return cls(width / sensor_width * focal_length**2 / away, focal_length / away)

    def disc(self, rate: float, focus: float, aperture: float) -> float:
        """Diameter in view pixels at rest, zoom 1, of a sheet at `rate` when the lens is focused on rate `focus`."""
        return self.slope / aperture * abs(focus - rate) / max(1 - focus * self.near, NEAREST_FOCUS)

    def aperture_for(self, disc: float, rate: float, focus: float) -> float:
        """The aperture number that makes a sheet's disc this wide; BadEdit where none does."""
        if rate == focus:
            raise BadEdit(
                "softness: this sheet is in focus, so no aperture makes it soft; focus on another sheet first"
            )
        if not disc > 0:
            raise BadEdit("softness: is not above 0 px; type how soft the sheet is to look")
        return self.disc(rate, focus, 1.0) / disc

    def in_focus(
        self, disc: float, focus: float, aperture: float, zoom: float = 1.0, along: float = 0.0
    ) -> tuple[float, float]:
        """The rates (far, near) between which a disc is at most `disc` view pixels wide: depth of field. `along`: how far the
        camera has gone ahead, of the lens distance."""
        away = disc * aperture * max(1 - focus * (along + self.near), NEAREST_FOCUS) / (self.slope * zoom)
        # |focus − rate| = away · (1 − rate · along), as the disc is seen from where the camera is
        far = (focus - away) / (1 - away * along) if away * along < 1 else 0.0
        return max(0.0, far), (focus + away) / (1 + away * along) if away * along > -1 else math.inf
