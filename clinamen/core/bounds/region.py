"""The uncovered region of the view at one state, as a picture: to say where a gap is and to mark it."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats
from clinamen.core.bounds.covering import covers
from clinamen.core.bounds.opaque import OPAQUE, OpaqueSet
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.stage import Sheet, corners, from_corner, project, stage_at

# pixels are counted from their centres by what warps them, from their corners here
TO_CENTRES = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
TO_CORNERS = np.linalg.inv(TO_CENTRES)
Rect = tuple[float, float, float, float]  # left, top, right, bottom on the view's plane, view px


def uncovered(
    scene: Scene,
    sets: dict[str, OpaqueSet],
    state: State,
    scale: float = 1.0,
    motion: Motion | None = None,
    part: Rect | None = None,
) -> NDArray[np.bool_]:
    """True where the background shows, [H·scale, W·scale], sampled at the centres of pixels: of the view, or of a `part` of its
    plane, which may reach beyond the view."""
    return uncovered_by(scene, sets, stage_at(scene, state, motion).sheets, 0, scale, part)


def uncovered_by(
    scene: Scene,
    sets: dict[str, OpaqueSet],
    sheets: Sequence[Sheet],
    row: int,
    scale: float = 1.0,
    part: Rect | None = None,
) -> NDArray[np.bool_]:
    """Return the same as `uncovered` for sheets that were evaluated at several states, at the state of index `row`."""
    width, height, zoom = _grid(scene, scale) if part is None else _grid_of(part, scale)
    open_view = np.ones((height, width), dtype=bool)
    seen = [sheet for sheet in sheets if hides(sheet, sets[sheet.layer.id], row)]
    for sheet in sorted(seen, key=lambda sheet: -sets[sheet.layer.id].area * sheet.layer.art.width):
        open_view &= ~_covered(sheet.layer, sets[sheet.layer.id], sheet.matrix[row], zoom, width, height)
        if not open_view.any():
            break
    return open_view


def hiding(sheet: Sheet, opaque: OpaqueSet, scene: Scene, scale: float) -> NDArray[np.bool_]:
    """True where a sheet over N states hides what is behind it, [N, H·scale, W·scale]."""
    width, height, zoom = _grid(scene, scale)
    hidden = np.zeros((len(sheet.states), height, width), bool)
    if covers(scene, sheet.layer, opaque):
        for row in np.flatnonzero(np.broadcast_to(sheet.opacity * 255 >= OPAQUE, len(hidden))):
            hidden[row] = _covered(sheet.layer, opaque, sheet.matrix[row], zoom, width, height)
    return hidden


def lying(scene: Scene, layer: Layer, opaque: OpaqueSet, matrix: Floats, scale: float) -> NDArray[np.bool_]:
    """True where a layer's opaque art would lie in the view under a matrix from its art's centre, [H·scale, W·scale]."""
    width, height, zoom = _grid(scene, scale)
    return _covered(layer, opaque, matrix, zoom, width, height)


def _grid(scene: Scene, scale: float) -> tuple[int, int, Floats]:
    """Width and height of the view's picture at a scale, and the matrix [3, 3] from view pixels to its."""
    width, height = max(1, round(scene.view.width * scale)), max(1, round(scene.view.height * scale))
    return width, height, np.diag([width / scene.view.width, height / scene.view.height, 1.0])


def _grid_of(part: Rect, scale: float) -> tuple[int, int, Floats]:
    """Width, height and matrix of the picture of a part of the view's plane."""
    left, top, right, bottom = part
    width, height = max(1, round((right - left) * scale)), max(1, round((bottom - top) * scale))
    zoom = np.diag([width / (right - left), height / (bottom - top), 1.0])
    zoom[:2, 2] = [-left * zoom[0, 0], -top * zoom[1, 1]]
    return width, height, zoom


def hides(sheet: Sheet, opaque: OpaqueSet, row: int = 0) -> bool:
    """True where a sheet can hide what is behind it, at one of its states."""
    opacity = np.broadcast_to(sheet.opacity, len(sheet.states))[row]
    return covers(sheet.evaluated.camera.scene, sheet.layer, opaque) and bool(opacity * 255 >= OPAQUE)


def _covered(
    layer: Layer,
    opaque: OpaqueSet,
    centred: Floats,
    zoom: Floats,
    width: int,
    height: int,
) -> NDArray[np.bool_]:
    """True where a layer covers a picture of the view, by its matrix from art pixels about the art's centre to view pixels."""
    matrix: Floats = zoom @ from_corner(layer, centred)
    if opaque.mask is None and not layer.repeats:
        quad, depth = project(zoom @ centred, corners(layer))
        if np.all(depth > 0):
            # centres of pixels lie at half: a shift of 8 in 1/16 px keeps them out of the polygon's rounding
            filled = np.zeros((height, width), np.uint8)
            cv2.fillConvexPoly(filled, np.round((quad - 0.5) * 16).astype(np.int32), 1, lineType=cv2.LINE_8, shift=4)
            return filled > 0
    inverse: Floats = np.asarray(np.linalg.inv(matrix), float)
    across, down, at_corner = inverse[2]
    ahead = at_corner + min(across * width, 0.0) + min(down * height, 0.0) > 0  # at all four corners
    if ahead and not layer.repeats:
        return _warped(opaque, inverse, width, height)
    return _looked_up(layer, opaque, inverse, width, height)


def _warped(opaque: OpaqueSet, inverse: Floats, width: int, height: int) -> NDArray[np.bool_]:
    mask = opaque.mask if opaque.mask is not None else np.ones((opaque.height, opaque.width), np.uint8)
    flags = cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
    return cv2.warpPerspective(mask, TO_CORNERS @ inverse @ TO_CENTRES, (width, height), flags=flags) > 0


def _looked_up(layer: Layer, opaque: OpaqueSet, inverse: Floats, width: int, height: int) -> NDArray[np.bool_]:
    """Pixel by pixel: for repeats, and for sheets that the camera's own plane cuts."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    w = inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        a = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) / w
        b = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) / w
    a, inside_x = _wrap(a, layer.art.width, layer.repeat.x)
    b, inside_y = _wrap(b, layer.art.height, layer.repeat.y)
    inside = inside_x & inside_y & (w > 0)
    if opaque.mask is None:
        return inside
    a, b = np.where(inside, a, 0), np.where(inside, b, 0)
    hit = opaque.mask[np.minimum(b.astype(int), layer.art.height - 1), np.minimum(a.astype(int), layer.art.width - 1)]
    return inside & (hit > 0)


def _wrap(at: Floats, size: int, repeat: str) -> tuple[Floats, NDArray[np.bool_]]:
    if repeat == "none":
        return at, (at >= 0) & (at < size)
    if repeat == "tile":
        wrapped = np.mod(at, size)
    else:
        wrapped = size - np.abs(np.mod(at, 2 * size) - size)
    return wrapped, np.isfinite(at)


def distance_to_art(sheet: Sheet, opaque: OpaqueSet, point: tuple[float, float]) -> float:
    """View pixels from a view point to the nearest opaque outline of one layer, exact under perspective; inf if the
    outline runs behind the camera."""
    half = np.array([opaque.width, opaque.height]) / 2
    if opaque.mask is None:
        outlines = [corners(sheet.layer)]
    else:
        found, _ = cv2.findContours(opaque.mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        outlines = [outline[:, 0] + 0.5 - half for outline in found if len(outline) > 2]
    nearest = float("inf")
    for outline in outlines:
        shown, ahead = project(sheet.matrix[0], outline)
        if np.all(ahead > 0):
            signed = cv2.pointPolygonTest(shown.astype(np.float32)[:, None], point, True)
            nearest = min(nearest, abs(float(signed)))
    return nearest
