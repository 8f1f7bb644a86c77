"""Contrast: coded values spread about the middle, as `contrast()` of Filter Effects Level 1."""

from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, MatrixStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats


class Contrast(MatrixStep):
    """1 is as it was, 0 flat grey."""

    title: ClassVar[str] = "Contrast"
    group: ClassVar[Group] = "Tone"

    step: Literal["contrast"] = "contrast"
    amount: float = amount("amount", 1.0, 0, 4, usual=2)

    def matrix(self) -> "Floats":
        import numpy as np

        return np.column_stack([np.eye(3) * self.amount, np.full(3, 0.5 - 0.5 * self.amount)])
