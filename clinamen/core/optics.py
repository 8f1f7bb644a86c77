"""Lens and depth in numbers: angle of view, lens distance, and depth as a rate.

The rate k = D / (D + depth) is the natural coordinate: 0 at infinite depth, 1 on the picture plane.
"""

import math
from typing import Literal

from clinamen.core.errors import BadEdit

Depth = float | Literal["infinite"]


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
