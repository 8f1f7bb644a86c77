"""The ground that layers stand on: how high the eye is above it, and where it ends for the eye."""

from pydantic import Field

from clinamen.core.parts import Finite, Part


class Ground(Part):
    """Level ground as the resting camera sees it: `horizon` in view pixels below the view's centre (negative: above it), the
    `eye` so many scene pixels above the ground. The ground meets the picture plane `eye` px below the horizon."""

    horizon: Finite = 0.0
    eye: float = Field(default=540.0, gt=0, le=1e6)


class Foot(Part):
    """Where a layer meets the ground: art pixels from the art's centre."""

    x: Finite = 0.0
    y: Finite = 0.0
