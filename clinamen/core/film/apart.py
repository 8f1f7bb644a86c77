"""A scene taken apart: each layer alone, the box it ever needs in the frame, and whether it moves at all."""

import math
from dataclasses import dataclass, replace

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Frame, Layer, Scene, seen_layers, ungrouped
from clinamen.core.film.course import Course
from clinamen.core.finish import finish_of
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, States
from clinamen.core.raster import Box
from clinamen.core.raster.laid import REACH
from clinamen.core.stage import Sheet, stage

AT_A_TIME = 2000  # states
STILL = 1e-6  # px: what moves less stands still


@dataclass(frozen=True)
class Piece:
    """A layer alone: a scene that shows nothing else, plain and unframed; its box in frame px, None where it is never seen."""

    layer: Layer
    scene: Scene
    box: Box | None
    moves: bool


def alone(scene: Scene, layer: Layer) -> Scene:
    """The scene with all but one layer hidden, that one laid plainly, and no frame around it. Who carries it carries it."""
    plain = [
        x.model_copy(update={"visible": True, "blend": "normal", "backdrop": None} if x.id == layer.id else {"visible": False})
        for x in scene.layers
    ]  # fmt: skip
    return ungrouped(scene).model_copy(update={"layers": tuple(plain), "frame": Frame()})


def not_apart(scene: Scene, told_in: str) -> list[str]:
    """A sentence for each thing of a scene that its layers alone do not show; blend modes are told in a file of this name."""
    layers = seen_layers(scene)
    frosted = ", ".join(layer.label for layer in layers if layer.backdrop is not None)
    blended = ", ".join(layer.label for layer in layers if layer.blend != "normal")
    said = [f"what frosts the layers behind it is left plain: {frosted}"] if frosted else []
    said += [f"blend modes are told in {told_in}, not drawn: {blended}"] if blended else []
    return said + (["the frame is left away"] if scene.frame != Frame() else [])


def moments_of(course: Course) -> list[State]:
    """Every state that a film of this course shows, the shutter's with it."""
    return [state for frame in range(course.count) for state in course.moments(frame)]


def pieces(scene: Scene, states: list[State], scale: float, size: tuple[int, int]) -> list[Piece]:
    """The visible layers, back to front, over these states, in frames of `size`."""
    motion, found = Motion(scene), []
    for layer in seen_layers(scene):
        box, told = None, None
        moves = False
        for first in range(0, len(states), AT_A_TIME):
            some = States.of(*states[first : first + AT_A_TIME])
            sheet = stage(scene, some, motion, (layer,)).sheets[0]
            now = _told(sheet)
            told = now[:1] if told is None else told
            moves = moves or bool(np.abs(now - told).max() > STILL)
            box = _joined(box, _box(scene, sheet, scale, size))
        found.append(Piece(layer, alone(scene, layer), box, moves))
    return found


def evened(piece: Piece, size: tuple[int, int]) -> Piece:
    """The same with a box of even sides, as far as the frame has room for one pixel more."""
    if piece.box is None:
        return piece
    left, top, right, bottom = piece.box
    right, bottom = min(size[0], right + (right - left) % 2), min(size[1], bottom + (bottom - top) % 2)
    left, top = max(0, left - (right - left) % 2), max(0, top - (bottom - top) % 2)
    return replace(piece, box=(left, top, right, bottom))


def _told(sheet: Sheet) -> Floats:
    """All that says how a sheet looks, a row for each state."""
    matrix = sheet.matrix.reshape(len(sheet.states), 9)
    more = [np.broadcast_to(x, len(matrix)) for x in (sheet.opacity, sheet.soft, sheet.disc, sheet.frame)]
    return np.column_stack([matrix, *more])


def _box(scene: Scene, sheet: Sheet, scale: float, size: tuple[int, int]) -> Box | None:
    """The frame pixels that a sheet can reach at its states."""
    seen = sheet.opacity > 0
    if not seen.any():
        return None
    if sheet.layer.repeats:
        return (0, 0, *size)
    finish = finish_of(scene, sheet.layer)
    grown = finish.margin if finish else 0
    half = np.array([sheet.layer.art.width / 2 + grown, sheet.layer.art.height / 2 + grown])
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
    rays = np.column_stack([corners, np.ones(4)]) @ sheet.matrix[seen].swapaxes(1, 2)
    if np.any(rays[..., 2] <= 0):
        return (0, 0, *size)
    points = rays[..., :2] / rays[..., 2:]
    soft = np.hypot(REACH * sheet.soft[seen], sheet.disc[seen] / 2)[:, None, None]
    low, high = (points - soft).min(axis=(0, 1)) * scale - 1, (points + soft).max(axis=(0, 1)) * scale + 1
    left, top = (max(0, math.floor(value)) for value in low)
    right, bottom = (min(most, math.ceil(value)) for value, most in zip(high, size, strict=True))
    return (left, top, right, bottom) if right > left and bottom > top else None


def _joined(one: Box | None, other: Box | None) -> Box | None:
    if one is None or other is None:
        return one or other
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])
