"""Where a layer's art shows anything: the box that holds it all, and the lowest place of it that stands in the view."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clinamen.core.bounds.opaque import OPAQUE
from clinamen.core.document import Layer, Scene
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number
from clinamen.core.stage.formula import framed_at

SEEN = 6  # of 255: what shows less is under the contrast threshold of the eye, 2 %

Alpha = NDArray[np.uint8]
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Showing:
    """Of a layer's art, in art px from its centre: the `box` (left, top, right, bottom) that holds all that is seen, and the
    `foot`, the middle of the lowest row that is opaque and inside the resting view; None where there is none."""

    box: Box
    foot: tuple[float, float] | None = None

    def as_values(self) -> dict[str, str]:
        """Return the same as the fields that edits read."""
        told = {"box": " ".join(f"{side:g}" for side in self.box)}
        return told if self.foot is None else {**told, "lowest": "{:g} {:g}".format(*self.foot)}


def showing(scene: Scene, layer: Layer, alpha: Alpha) -> Showing:
    """Return where a layer shows, from its art's alpha [h, w]; all of the art where nothing does."""
    height, width = alpha.shape
    rows, columns = (np.flatnonzero((alpha >= SEEN).any(axis=axis)) for axis in (1, 0))
    if not len(rows):
        return Showing(whole_box(layer))
    box = columns[0] - width / 2, rows[0] - height / 2, columns[-1] + 1 - width / 2, rows[-1] + 1 - height / 2
    return Showing((float(box[0]), float(box[1]), float(box[2]), float(box[3])), _foot(scene, layer, alpha))


def whole_box(layer: Layer) -> Box:
    """The box of all of a layer's art."""
    return -layer.art.width / 2, -layer.art.height / 2, layer.art.width / 2, layer.art.height / 2


def box_in(values: Mapping[str, str], layer: Layer) -> Box:
    """The box that an edit's values give; all of the art where they give none."""
    if not values.get("box"):
        return whole_box(layer)
    left, top, right, bottom = _numbers(values["box"], "box", 4)
    return left, top, right, bottom


def foot_in(values: Mapping[str, str], layer: Layer) -> tuple[float, float]:
    """The foot that an edit's values give; the middle of the art's lower edge where they give none."""
    if not values.get("lowest"):
        return 0.0, layer.art.height / 2
    across, down = _numbers(values["lowest"], "lowest", 2)
    return across, down


def _numbers(text: str, field: str, count: int) -> list[float]:
    numbers = [number(part, field, -1e6, 1e6) for part in text.split()]
    if len(numbers) != count:
        raise BadEdit(f"{field}: needs {count} numbers; leave it out to go by all of the art")
    return numbers


def _foot(scene: Scene, layer: Layer, alpha: Alpha) -> tuple[float, float] | None:
    down, across = np.nonzero(alpha >= OPAQUE)
    if not len(down):
        return None
    a, b = across + 0.5 - alpha.shape[1] / 2, down + 1.0 - alpha.shape[0] / 2
    origin, right, below = (np.array(framed_at(layer, *at)) for at in ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)))
    x, y = (origin[axis] + (right - origin)[axis] * a + (below - origin)[axis] * b for axis in (0, 1))
    inside = (np.abs(x) <= scene.view.width / 2) & (np.abs(y) <= scene.view.height / 2)
    if not inside.any():
        return None
    lowest = inside & (y >= y[inside].max() - 1e-6)
    return float(a[lowest].mean()), float(b[lowest].mean())
