"""Saturation: colours drawn towards their luminance, or away from it; the `saturate` matrix of Filter Effects Level 1."""

from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, MatrixStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats


class Saturation(MatrixStep):
    """0 is grey, 1 as it was."""

    title: ClassVar[str] = "Saturation"
    group: ClassVar[Group] = "Colour"

    step: Literal["saturation"] = "saturation"
    amount: float = amount("amount", 1.0, 0, 4, usual=2)

    def matrix(self) -> "Floats":
        return saturated(self.amount)


def saturated(amount: float) -> "Floats":
    """[3, 4] of `saturate`."""
    import numpy as np

    s = amount
    return np.array([
        [0.213 + 0.787 * s, 0.715 - 0.715 * s, 0.072 - 0.072 * s, 0],
        [0.213 - 0.213 * s, 0.715 + 0.285 * s, 0.072 - 0.072 * s, 0],
        [0.213 - 0.213 * s, 0.715 - 0.715 * s, 0.072 + 0.928 * s, 0],
    ])  # fmt: skip
