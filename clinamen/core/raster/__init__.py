"""A scene at one state as a picture: each layer warped by its homography and laid over what is behind it.

Premultiplied and bilinear throughout; art that is shown much smaller is first averaged down, so nothing shimmers. What
lies behind the camera's plane is cut away. Pixel centres lie at half pixels, as in CSS and OpenGL.
"""

import math
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats, Pixels
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.pixels import premultiply, straighten
from clinamen.core.raster.blending import Planes, blend_over
from clinamen.core.stage import Sheet, corners, magnification, project, stage_at

Loader = Callable[[Layer], Pixels]

_TO_CENTRES = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
_FROM_CENTRES = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])
BLUR_REACH = 3  # standard deviations: how far softness carries
MOST_AVERAGED = 64  # art is averaged down at most this often before it is sampled


def background(scene: Scene) -> tuple[int, int, int]:
    """The view's background as (red, green, blue)."""
    code = scene.view.background
    return int(code[1:3], 16), int(code[3:5], 16), int(code[5:7], 16)


def render(
    scene: Scene,
    state: State,
    load: Loader,
    scale: float = 1.0,
    transparent: bool = False,
    motion: Motion | None = None,
) -> Pixels:
    """The view at `state`, [H·scale, W·scale, 4] uint8. `load` gives a layer's art [h, w, 4]; `transparent` leaves the
    background out."""
    width, height = max(1, round(scene.view.width * scale)), max(1, round(scene.view.height * scale))
    zoom = np.diag([width / scene.view.width, height / scene.view.height, 1.0])
    canvas = np.zeros((height, width, 4), np.float32)
    if not transparent:
        canvas[...] = [*(value / 255 for value in background(scene)), 1.0]
    for sheet in stage_at(scene, state, motion).sheets:
        if sheet.layer.visible and sheet.opacity[0] > 0:
            _lay(canvas, sheet, load(sheet.layer), zoom)
    return straighten(canvas)


def _lay(canvas: Planes, sheet: Sheet, art: Pixels, zoom: Floats) -> None:
    """Draw one sheet onto the canvas, touching only the part it can reach."""
    layer = sheet.layer
    matrix = zoom @ sheet.from_origin()[0]
    blur = float(sheet.blur[0]) * zoom[0, 0]
    window = _window(sheet, zoom, canvas.shape, blur)
    if window is None:
        return
    x0, y0, x1, y1 = window
    margin = math.ceil(BLUR_REACH * blur)  # what lies beyond the canvas still shines into it
    shift = np.array([[1, 0, margin - x0], [0, 1, margin - y0], [0, 0, 1.0]])
    # vector art comes at another size than the layer's own: the matrix is brought to its pixels
    finer = np.diag([layer.art.width / art.shape[1], layer.art.height / art.shape[0], 1.0])
    drawn = _sample(art, shift @ matrix @ finer, layer, (x1 - x0 + 2 * margin, y1 - y0 + 2 * margin))
    if blur > 0:
        drawn = cv2.GaussianBlur(drawn, (0, 0), blur, borderType=cv2.BORDER_CONSTANT)
        drawn = drawn[margin : margin + y1 - y0, margin : margin + x1 - x0]
    drawn *= np.float32(sheet.opacity[0])
    canvas[y0:y1, x0:x1] = blend_over(canvas[y0:y1, x0:x1], drawn, sheet.blend)


def _window(sheet: Sheet, zoom: Floats, shape: tuple[int, ...], blur: float) -> tuple[int, int, int, int] | None:
    height, width = shape[:2]
    points, ahead = project(zoom @ sheet.matrix[0], corners(sheet.layer))
    repeats = sheet.layer.repeats
    if repeats or np.any(ahead <= 0):
        return None if np.all(ahead <= 0) and not repeats else (0, 0, width, height)
    margin = 1 + BLUR_REACH * blur
    x0, y0 = np.floor(np.clip(points.min(axis=0) - margin, -1e9, 1e9))
    x1, y1 = np.ceil(np.clip(points.max(axis=0) + margin, -1e9, 1e9))
    x0, y0, x1, y1 = max(0, int(x0)), max(0, int(y0)), min(width, int(x1)), min(height, int(y1))
    return (x0, y0, x1, y1) if x1 > x0 and y1 > y0 else None


def _sample(art: Pixels, matrix: Floats, layer: Layer, size: tuple[int, int]) -> Planes:
    """Premultiplied samples [h, w, 4] of the art under a matrix from art pixels to the window's pixels."""
    source, matrix = _averaged(premultiply(art), matrix, size)
    if not layer.repeats:
        return _warp(source, matrix, size)
    return _warp_repeated(source, matrix, layer, size)


def _averaged(source: Planes, matrix: Floats, size: tuple[int, int]) -> tuple[Planes, Floats]:
    """Halve art that is shown at half its size or less, so that bilinear sampling misses nothing."""
    middle = np.linalg.inv(matrix) @ np.array([size[0] / 2, size[1] / 2, 1.0])
    if middle[2] <= 0:
        return source, matrix
    near = np.clip(middle[:2] / middle[2], 0, [source.shape[1], source.shape[0]])
    if (matrix @ np.array([*near, 1.0]))[2] <= 0:
        return source, matrix
    scale = magnification(matrix, near)
    steps = 1
    while scale * steps <= 0.5 and steps < MOST_AVERAGED and min(source.shape[:2]) > 2 * steps:
        steps *= 2
    if steps == 1:
        return source, matrix
    width, height = max(1, source.shape[1] // steps), max(1, source.shape[0] // steps)
    grow = np.diag([source.shape[1] / width, source.shape[0] / height, 1.0])
    return cv2.resize(source, (width, height), interpolation=cv2.INTER_AREA), matrix @ grow


def _warp(source: Planes, matrix: Floats, size: tuple[int, int]) -> Planes:
    # OpenCV puts whole coordinates at pixel centres, and its warp would mirror what lies behind the camera
    between = _FROM_CENTRES @ matrix @ _TO_CENTRES
    out = cv2.warpPerspective(source, between, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    behind = _behind(np.linalg.inv(matrix).astype(float), size)
    if behind is not None:
        out[behind] = 0
    return out


def _behind(inverse: Floats, size: tuple[int, int]) -> NDArray[np.bool_] | None:
    """True where a pixel's ray meets the sheet's plane behind the camera; None if nowhere."""
    width, height = size
    view = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1]], dtype=float)
    if np.all(view @ inverse[2] > 0):
        return None
    y, x = np.mgrid[0:height, 0:width] + 0.5
    return inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2] <= 0


def _warp_repeated(source: Planes, matrix: Floats, layer: Layer, size: tuple[int, int]) -> Planes:
    """As `_warp` for art that repeats: art coordinates are folded back before they are looked up."""
    inverse = np.linalg.inv(matrix)
    y, x = np.mgrid[0 : size[1], 0 : size[0]] + 0.5
    w = inverse[2, 0] * x + inverse[2, 1] * y + inverse[2, 2]
    w = np.where(w > 0, w, np.nan)
    a = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) / w
    b = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) / w
    padded = cv2.copyMakeBorder(source, 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    padded = _wrap_border(padded, layer)
    a = _fold(a, source.shape[1], layer.repeat.x)
    b = _fold(b, source.shape[0], layer.repeat.y)
    maps = [np.nan_to_num(axis + 0.5, nan=-9.0).astype(np.float32) for axis in (a, b)]
    return cv2.remap(padded, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)


def _fold(at: Floats, length: int, repeat: str) -> Floats:
    if repeat == "none":
        return at
    if repeat == "tile":
        return np.mod(at, length)
    return length - np.abs(np.mod(at, 2 * length) - length)


def _wrap_border(padded: Planes, layer: Layer) -> Planes:
    """Fill the one-pixel frame so that bilinear samples across a joint see the neighbour tile."""
    for axis, repeat in ((1, layer.repeat.x), (0, layer.repeat.y)):
        view = np.moveaxis(padded, axis, 0)
        if repeat == "tile":
            view[0], view[-1] = view[-2].copy(), view[1].copy()
        elif repeat == "mirror":
            view[0], view[-1] = view[1].copy(), view[-2].copy()
    return padded
