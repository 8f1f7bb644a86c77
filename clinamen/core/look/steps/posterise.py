"""Posterise: as many even tones as are asked for, as the `discrete` function of Filter Effects Level 1."""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep

if TYPE_CHECKING:
    from clinamen.core.arrays import Planes
    from clinamen.core.look.filters import Filter


class Posterise(LookStep):
    """`tones` in each channel."""

    title: ClassVar[str] = "Posterise"
    group: ClassVar[Group] = "Tone"

    step: Literal["posterise"] = "posterise"
    tones: int = Field(default=5, ge=2, le=64, title="tones")

    def work(self, planes: "Planes", scale: float) -> "Planes":
        import numpy as np

        out = planes.copy()
        # the value as a byte would hold it, so that a tone's edge lies where a browser has it
        held = np.rint(planes[..., :3] * 255) / 255
        out[..., :3] = np.minimum(np.floor(held * self.tones), self.tones - 1) / (self.tones - 1)
        return out

    def filter(self, made: "Filter", scale: float) -> None:
        import numpy as np

        made.tables(np.tile(np.linspace(0, 1, self.tones), (3, 1)), "discrete")
