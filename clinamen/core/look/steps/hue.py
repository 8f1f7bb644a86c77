"""Hue: colours turned round the grey axis; the `hueRotate` matrix of Filter Effects Level 1."""

import math
from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, MatrixStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats


class Hue(MatrixStep):
    """Turned by `angle` degrees."""

    title: ClassVar[str] = "Hue"
    group: ClassVar[Group] = "Colour"

    step: Literal["hue"] = "hue"
    angle: float = amount("turned by", 0.0, -360, 360, 1, "°", 360)

    def matrix(self) -> "Floats":
        import numpy as np

        cos, sin = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        grey = np.array([[0.213, 0.715, 0.072]] * 3)
        across = np.array([[0.787, -0.715, -0.072], [-0.213, 0.285, -0.072], [-0.213, -0.715, 0.928]])
        round_it = np.array([[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]])
        return np.column_stack([grey + cos * across + sin * round_it, np.zeros(3)])
