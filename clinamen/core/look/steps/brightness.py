"""Brightness: coded values times a factor, as `brightness()` of Filter Effects Level 1."""

from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, MatrixStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats


class Brightness(MatrixStep):
    """1 is as it was."""

    title: ClassVar[str] = "Brightness"
    group: ClassVar[Group] = "Tone"

    step: Literal["brightness"] = "brightness"
    amount: float = amount("amount", 1.0, 0, 4, usual=2)

    def matrix(self) -> "Floats":
        import numpy as np

        return np.eye(3, 4) * self.amount
