"""Bring together: mean and spread of L*a*b* moved towards those of a reference, as far as `strength`.

Source: Reinhard, Ashikhmin, Gooch and Shirley, Color Transfer between Images, IEEE CG&A 21 (2001), in CIE L*a*b*. The statistics
were taken when the step was made, the layer's own and the reference's, so that the step is a pure function of the art.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.look.steps.base import Group, LookStep, amount
from clinamen.core.parts import Finite, Part

if TYPE_CHECKING:
    from clinamen.core.arrays import Planes

MOST_STRETCH = 4.0  # a flat picture is not stretched into noise


class Lab(Part):
    """Mean and standard deviation of L*, a* and b*, counted by alpha."""

    mean: tuple[Finite, Finite, Finite]
    spread: tuple[Finite, Finite, Finite]


class Together(LookStep):
    """From the statistics `own` towards `other`."""

    title: ClassVar[str] = "Brought together"
    group: ClassVar[Group] = "Colour"

    step: Literal["together"] = "together"
    strength: float = amount("strength", 0.6, 0, 1)
    own: Lab = Field(default=Lab(mean=(50, 0, 0), spread=(20, 10, 10)))
    other: Lab = Field(default=Lab(mean=(50, 0, 0), spread=(20, 10, 10)))

    def work(self, planes: "Planes", scale: float) -> "Planes":
        import cv2
        import numpy as np

        own, other = (np.array([lab.mean, lab.spread], np.float32) for lab in (self.own, self.other))
        stretch = np.clip(other[1] / np.maximum(own[1], 1e-3), 1 / MOST_STRETCH, MOST_STRETCH)
        gain, shift = 1 + self.strength * (stretch - 1), own[0] + self.strength * (other[0] - own[0])
        lab = cv2.cvtColor(np.ascontiguousarray(planes[..., :3]), cv2.COLOR_RGB2Lab)
        out = planes.copy()
        out[..., :3] = np.clip(
            cv2.cvtColor(((lab - own[0]) * gain + shift).astype(np.float32), cv2.COLOR_Lab2RGB), 0, 1
        )
        return out
