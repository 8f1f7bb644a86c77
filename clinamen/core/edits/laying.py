"""How a shadow is laid on level ground: by where it falls, and how high the light stands."""

import math
from typing import Any

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Framing, Scene, Tilt
from clinamen.core.errors import BadEdit

THICK = 0.3  # of its length: no shadow is thinner, since what throws it is no sheet
LEAST_HEIGHT, MOST_HEIGHT = 8.0, 85.0  # degrees of a light above the ground whose shadow is drawn


def laid(framing: Framing, towards: float, height: float) -> dict[str, Any]:
    """The framing and tilt of a shadow that falls `towards` (degrees: 0 away from the viewer, 90 to the right) under a light that
    stands `height` degrees above the ground."""
    long = 1 / math.tan(math.radians(height))
    away, aside = math.cos(math.radians(towards)) * long, math.sin(math.radians(towards)) * long
    skew = max(-85.0, min(85.0, -math.degrees(math.atan(aside))))
    shape = {"stretch": max(abs(away), THICK * long), "skew": skew, "rotation": 0.0}
    return {"framing": framing.model_copy(update=shape), "tilt": Tilt(lean=90.0 if away >= 0 else -90.0)}


def light_on(scene: Scene, at: tuple[float, float], depth: float) -> tuple[float, float]:
    """Where the shadow of what stands framed `at` falls in the key light, and how high that stands, in degrees."""
    key, distance = scene.light.key, scene.lens_distance
    assert key is not None
    light = np.array([key.x, key.y, distance]) * (1 + key.depth / distance)
    return _from(light, np.array([at[0], at[1], distance]) * (1 + depth / distance))


def _from(light: Floats, foot: Floats) -> tuple[float, float]:
    across, up, ahead = light[0] - foot[0], foot[1] - light[1], light[2] - foot[2]
    height = math.degrees(math.atan2(up, math.hypot(across, ahead)))
    if height <= 0:
        raise BadEdit("Shadow: the key light is below the feet; raise it, or say where the shadow falls")
    return math.degrees(math.atan2(-across, -ahead)), min(max(height, LEAST_HEIGHT), MOST_HEIGHT)
