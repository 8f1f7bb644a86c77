"""A place on the view."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Where:
    """A rectangle of the view, in view pixels."""

    x: float
    y: float
    width: float
    height: float

    @property
    def size(self) -> tuple[float, float]:
        return self.width, self.height

    @classmethod
    def around(cls, mask: NDArray[np.bool_], scale: float) -> "Where":
        """The box around what is set in a mask [H·scale, W·scale] of the view; something has to be."""
        ys, xs = np.nonzero(mask)
        left, top, right, bottom = int(xs.min()), int(ys.min()), int(xs.max()) + 1, int(ys.max()) + 1
        return cls(left / scale, top / scale, (right - left) / scale, (bottom - top) / scale)

    def to_json(self) -> dict[str, float]:
        return {name: round(getattr(self, name), 2) for name in ("x", "y", "width", "height")}
