"""The stage: a scene over N states as a camera and sheets, or the same over whole cells of states as bounds.

`stage` and `bound` evaluate a scene; raster, drawings, readout, proof, kit and glTF read what they give. The formula
stands in `formula` and nowhere else; a style sheet writes it symbolically and is tested against this.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.air import kept_share
from clinamen.core.arrays import Floats
from clinamen.core.cached import cached_property
from clinamen.core.document import Layer, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.cells import cell_at
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.stage import algebra, formula
from clinamen.core.stage.geometry import corners, from_corner, magnification, project, shape_range

__all__ = [
    "BoundCamera", "BoundSheet", "Sheet", "Staged", "bound_camera", "bound_sheet", "corners", "framed", "from_corner",
    "magnification", "project", "shape_range", "stage", "stage_at",
]  # fmt: skip

BoundCamera = formula.Camera[Interval]
BoundSheet = formula.Sheet[Interval]


@dataclass(frozen=True)
class Sheet:
    """One layer over N states. `matrix` [N, 3, 3] takes art pixels from the art's centre to view pixels; its third row
    gives q.z, positive before the camera, so it is not normalised. `rate`, `opacity` [N]; `soft` and `disc` in view pixels
    [N] as the formula says them, `blur` the standard deviation of both.

    `air` is the share [N] of its own colour that it keeps, `frame` the cell [N] of its strip that it shows.
    """

    layer: Layer
    evaluated: formula.Sheet[Floats]
    states: States

    @cached_property
    def matrix(self) -> Floats:
        rows = self.evaluated.homography()
        count = len(self.states)
        return np.stack([np.stack([np.broadcast_to(value, count) for value in row], axis=-1) for row in rows], axis=-2)

    @property
    def rate(self) -> Floats:
        return self.evaluated.rate

    @property
    def opacity(self) -> Floats:
        return self.evaluated.opacity

    @property
    def blur(self) -> Floats:
        return self.evaluated.blur

    @property
    def soft(self) -> Floats:
        return self.evaluated.soft

    @property
    def disc(self) -> Floats:
        return np.zeros(len(self.states)) if self.evaluated.disc is None else self.evaluated.disc

    @property
    def blend(self) -> str:
        return self.layer.blend

    @property
    def air(self) -> Floats:
        return np.full(len(self.states), kept_share(self.evaluated.camera.scene, self.layer))

    @property
    def frame(self) -> "np.ndarray[tuple[int, ...], np.dtype[np.intp]]":
        if self.layer.frames is None:
            return np.zeros(len(self.states), np.intp)
        return cell_at(self.layer.frames, self.evaluated.camera.scene.drivers, self.states.time)

    def from_origin(self) -> Floats:
        """Matrices [N, 3, 3] that take art pixels counted from the art's top left corner."""
        return from_corner(self.layer, self.matrix)

    def normalised(self) -> Floats:
        """As `from_origin`, with the last element 1."""
        matrix = self.from_origin()
        return matrix / matrix[:, 2:, 2:]

    def centre(self) -> tuple[Floats, Floats]:
        """Where the art's centre is seen [N, 2], and how many view pixels an art pixel across takes there [N]."""
        with np.errstate(divide="ignore", invalid="ignore"):
            ahead = self.matrix[:, 2, 2]
            at = self.matrix[:, :2, 2] / ahead[:, None]
            return at, np.linalg.norm(self.matrix[:, :2, 0], axis=1) / ahead

    def standing(self, least: float = 0.0) -> tuple[Floats, Floats, Floats]:
        """Where the sheet truly stands: position [N, 3] in scene pixels from the camera's zero position, L [N, 3, 3], and
        its true scale [N]. What is farther than at rate `least` is taken to stand there."""
        (x, y, z), scale = self.evaluated.stretched(least)
        count = len(self.states)
        at = np.stack([np.broadcast_to(value, count) for value in (x, y, z)], axis=1)
        stand = self.evaluated.stand or algebra.roll(self.evaluated.rotation)
        return at, _stacked(stand, count), np.broadcast_to(scale, count)


@dataclass(frozen=True)
class Staged:
    """A scene over N states: the camera's channels after all drivers, and the sheets in drawing order."""

    states: States
    camera: formula.Camera[Floats]
    sheets: tuple[Sheet, ...]

    def __getitem__(self, layer_id: str) -> Sheet:
        """The sheet of a layer."""
        return next(sheet for sheet in self.sheets if sheet.layer.id == layer_id)

    def eye(self) -> tuple[Floats, Floats]:
        """Where the camera is [N, 3] in scene pixels from its zero position, and R [N, 3, 3]."""
        count = len(self.states)
        if self.camera.turn is None:
            turn: Floats = np.broadcast_to(np.eye(3), (count, 3, 3))
        else:
            turn = _stacked(self.camera.turn, count)
        return np.stack(self.camera.eye, axis=1), turn


def _stacked(matrix: algebra.Matrix[Floats], count: int) -> Floats:
    return np.stack([np.stack([np.broadcast_to(v, count) for v in row], axis=-1) for row in matrix], axis=-2)


def stage(
    scene: Scene, states: States, motion: Motion | None = None, layers: tuple[Layer, ...] | None = None
) -> Staged:
    """The scene over N states; `layers`: only these, which need not be the scene's own."""
    motion = motion or Motion(scene)
    camera = formula.camera_of(scene, motion.over("camera", states))
    chosen = scene.layers if layers is None else layers
    sheets = []
    for layer in chosen:
        carried = [formula.Carried(by.at, by.over(states)) for by in motion.carriages(layer)]
        sheets.append(Sheet(layer, formula.sheet_of(camera, layer, motion.over(layer, states), carried), states))
    return Staged(states, camera, tuple(sheets))


def stage_at(
    scene: Scene, state: State, motion: Motion | None = None, layers: tuple[Layer, ...] | None = None
) -> Staged:
    """The scene at one state (N = 1)."""
    return stage(scene, States.of(state), motion, layers)


def framed(scene: Scene, layers: tuple[Layer, ...]) -> Staged:
    """Layers as framed: the camera at zero, every driver off."""
    plain = scene.model_copy(update={"camera": type(scene.camera)(), "tracks": (), "drivers": type(scene.drivers)()})
    return stage_at(plain, State(), Motion(plain), layers)


def bound_camera(scene: Scene, motion: Motion, cells: Cells) -> BoundCamera:
    """Bounds of the camera over N cells."""
    return formula.camera_of(scene, motion.over("camera", cells))


def bound_sheet(camera: BoundCamera, motion: Motion, layer: Layer, cells: Cells) -> BoundSheet:
    """Bounds of one sheet over the camera's N cells."""
    carried = [formula.Carried(by.at, by.over(cells)) for by in motion.carriages(layer)]
    return formula.sheet_of(camera, layer, motion.over(layer, cells), carried)


def bound(scene: Scene, cells: Cells, motion: Motion | None = None) -> tuple[BoundCamera, tuple[BoundSheet, ...]]:
    """The whole scene over N cells, as bounds of the same fields."""
    motion = motion or Motion(scene)
    camera = bound_camera(scene, motion, cells)
    return camera, tuple(bound_sheet(camera, motion, layer, cells) for layer in scene.layers)
