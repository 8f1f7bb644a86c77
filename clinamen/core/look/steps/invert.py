"""Invert: each colour towards its opposite, as `invert()` of Filter Effects Level 1."""

from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, MatrixStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats


class Invert(MatrixStep):
    """1 is the negative."""

    title: ClassVar[str] = "Invert"
    group: ClassVar[Group] = "Tone"

    step: Literal["invert"] = "invert"
    amount: float = amount("amount", 1.0, 0, 1)

    def matrix(self) -> "Floats":
        import numpy as np

        return np.column_stack([np.eye(3) * (1 - 2 * self.amount), np.full(3, self.amount)])
