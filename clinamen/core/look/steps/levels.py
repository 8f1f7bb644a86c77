"""Levels: what is black and what is white from now on, and the gamma between."""

from typing import TYPE_CHECKING, ClassVar, Literal

from clinamen.core.look.steps.base import Group, TableStep, amount

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats

LEAST = 1 / 255  # between black and white


class Levels(TableStep):
    """Coded values from `black` to `white` are spread over `low` to `high`, bent by 1/`gamma`."""

    title: ClassVar[str] = "Levels and gamma"
    group: ClassVar[Group] = "Tone"

    step: Literal["levels"] = "levels"
    black: float = amount("black at", 0.0, 0, 1)
    white: float = amount("white at", 1.0, 0, 1)
    gamma: float = amount("gamma", 1.0, 0.1, 10, usual=3)
    low: float = amount("becomes from", 0.0, 0, 1)
    high: float = amount("to", 1.0, 0, 1)

    def tables(self) -> "Floats":
        import numpy as np

        from clinamen.core.look.working import ramp

        spread = np.clip((ramp() - self.black) / max(self.white - self.black, LEAST), 0, 1) ** (1 / self.gamma)
        return np.tile(self.low + spread * (self.high - self.low), (3, 1))
