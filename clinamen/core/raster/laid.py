"""A sheet as it is laid on a canvas: where its art goes, how it is mixed, and what is done to it on the way."""

import math
from collections.abc import Callable, Hashable
from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats, Pixels, Planes
from clinamen.core.document import Layer, Scene, frost_of, is_seen
from clinamen.core.finish import finish_of
from clinamen.core.stage import Sheet, Staged, magnification

Loader = Callable[[Layer], Pixels]
REACH = 3  # standard deviations: how far softness carries
LEVELS_AWAY = 6  # art is halved at most so often for a draft


@dataclass(frozen=True)
class Laid:
    """`load` gives straight pixels [h, w, 4] uint8 of a size near (width, height); `key` names their content, None where
    nothing does. `matrix` [3, 3] takes the art's pixels from its top left corner to canvas pixels (its third row is
    positive before the camera).

    `softness`: σ of a Gaussian; `disc`: diameter of a circle of confusion; both canvas pixels. `colour` [3, 4]: a matrix
    for straight colours, with what it adds in its last column, as in Filter Effects Level 1. `mask` [H, W]: a share of
    the sheet at each canvas pixel. `frost`: what it does to all behind it, σ in canvas pixels and saturation.
    """

    load: Callable[[], Pixels]
    key: Hashable | None
    width: int
    height: int
    matrix: Floats
    opacity: float = 1.0
    blend: str = "normal"
    repeat: tuple[str, str] = ("none", "none")
    softness: float = 0.0
    disc: float = 0.0
    colour: Floats | None = None
    mask: Planes | None = None
    frost: tuple[float, float] | None = None

    @property
    def repeats(self) -> bool:
        return self.repeat != ("none", "none")

    @property
    def edge_on(self) -> bool:
        """True for a sheet of which only its edge is seen: nothing of it is drawn."""
        return abs(float(np.linalg.det(self.matrix))) < 1e-12

    @property
    def margin(self) -> float:
        """Canvas pixels by which softness carries beyond the sheet's edge."""
        return math.hypot(REACH * self.softness, self.disc / 2)

    def scaled(self, pixels: Pixels) -> Floats:
        """The matrix for pixels of another size than the art's own (vector art comes as it is needed)."""
        return self.matrix @ np.diag([self.width / pixels.shape[1], self.height / pixels.shape[0], 1.0])

    def alone(self, by: Floats) -> "Laid":
        """The sheet by itself on another canvas, whose pixels `by` [3, 3] gives: nothing done to it yet."""
        return Laid(self.load, self.key, self.width, self.height, by @ self.matrix, repeat=self.repeat)

    def window(
        self, width: int, height: int, box: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    ) -> tuple[int, int, int, int] | None:
        """The part (left, top, right, bottom) of a canvas that the sheet can reach, or a `box` of its art in shares of its
        sides; None if it reaches nothing."""
        shares = np.array([[box[0], box[1], 1], [box[2], box[1], 1], [box[2], box[3], 1], [box[0], box[3], 1]])
        ends = shares * [self.width, self.height, 1]
        seen = ends @ self.matrix.T
        ahead = seen[:, 2]
        never = np.all(ahead <= 0) and (not self.repeats or not np.any(self.matrix[2, :2]))
        if self.repeats or np.any(ahead <= 0):
            return None if never else (0, 0, width, height)
        points = seen[:, :2] / ahead[:, None]
        margin = 1 + self.margin
        left, top = np.floor(np.clip(points.min(axis=0) - margin, -1e9, 1e9))
        right, bottom = np.ceil(np.clip(points.max(axis=0) + margin, -1e9, 1e9))
        left, top, right, bottom = max(0, int(left)), max(0, int(top)), min(width, int(right)), min(height, int(bottom))
        return (left, top, right, bottom) if right > left and bottom > top else None


def laid_of(scene: Scene, staged: Staged, load: Loader, zoom: Floats) -> list[Laid]:
    """Every sheet of a stage at one state that is seen, back to front; `zoom` [3, 3] takes view to canvas pixels."""
    key = getattr(load, "key", None)
    return [
        _laid(sheet, load, key, zoom) for sheet in staged.sheets if is_seen(scene, sheet.layer) and sheet.opacity[0] > 0
    ]


def _laid(sheet: Sheet, load: Loader, key: Callable[[Layer], Hashable] | None, zoom: Floats) -> Laid:
    layer, scene = sheet.layer, sheet.evaluated.camera.scene
    named = key(layer) if key else None
    cell, finish = int(sheet.frame[0]), finish_of(scene, layer)
    margin = finish.margin if finish else 0
    more = (*(() if layer.frames is None else (cell,)), *((finish.key,) if finish else ()))
    outward = np.array([[1, 0, -margin], [0, 1, -margin], [0, 0, 1.0]])

    def pixels() -> Pixels:
        art = cell_of(load(layer), layer, cell)
        return finish.work(art, clear=False) if finish else art

    return Laid(
        load=pixels,
        key=named if named is None or not more else (named, *more),
        width=layer.art.width + 2 * margin,
        height=layer.art.height + 2 * margin,
        matrix=zoom @ sheet.from_origin()[0] @ outward,
        opacity=float(sheet.opacity[0]),
        blend=sheet.blend,
        repeat=(layer.repeat.x, layer.repeat.y),
        softness=float(sheet.soft[0]) * zoom[0, 0],
        disc=float(sheet.disc[0]) * zoom[0, 0],
        frost=_frost(sheet, zoom),
    )


def _frost(sheet: Sheet, zoom: Floats) -> tuple[float, float] | None:
    """A frost grows with its sheet: its σ counts as the sheet is framed."""
    frost = frost_of(sheet.evaluated.camera.scene, sheet.layer)
    if frost is None:
        return None
    larger = float(sheet.centre()[1][0]) / sheet.layer.framing.scale
    return frost.blur * larger * float(zoom[0, 0]), frost.saturation


def cell_of(pixels: Pixels, layer: Layer, cell: int) -> Pixels:
    """The cell of an actor's strip (at any size); other art as it is."""
    if layer.frames is None:
        return pixels
    row, column = divmod(cell, layer.frames.columns)
    height, width = pixels.shape[0] // layer.frames.rows, pixels.shape[1] // layer.frames.columns
    return pixels[row * height : (row + 1) * height, column * width : (column + 1) * width]


def draft_level(matrix: Floats, size: tuple[int, int], art: tuple[int, int]) -> int:
    """How often art (width, height) is halved before a draft samples it under `matrix` onto a canvas of `size`: by its
    magnification where the canvas's middle looks."""
    middle = np.linalg.inv(matrix) @ np.array([size[0] / 2, size[1] / 2, 1.0])
    if middle[2] <= 0:
        return 0
    near = np.clip(middle[:2] / middle[2], 0, [art[0], art[1]])
    if (matrix @ np.array([*near, 1.0]))[2] <= 0:
        return 0
    scale, level = float(magnification(matrix, near)), 0
    while scale * 2**level <= 0.5 and level < LEVELS_AWAY and min(art) > 2 ** (level + 1):
        level += 1
    return level
