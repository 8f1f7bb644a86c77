"""A scene at one state as a picture: each layer under its homography, laid over what is behind it.

Premultiplied throughout; pixel centres lie at half pixels, as in CSS and OpenGL; what lies behind the camera's plane is cut
away. Drawn in tiles by compiled code (`tiled`), or by OpenCV alone where that cannot be had (`plain`).
"""

import logging
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache
from typing import Any, Literal

import numpy as np

from clinamen.core.arrays import Pixels, Planes
from clinamen.core.document import Scene
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.pixels import straighten
from clinamen.core.raster import plain
from clinamen.core.raster.exposure import exposed
from clinamen.core.raster.framing import framed
from clinamen.core.raster.frost import frosted
from clinamen.core.raster.laid import Laid, Loader, laid_of
from clinamen.core.stage import stage_at

__all__ = ["Box", "Filter", "Laid", "Loader", "background", "draw", "frames", "render", "why_slow"]

Box = tuple[int, int, int, int]
Filter = Literal["fine", "draft"]  # a cubic fitted to the scale, or the four nearest pixels
_log = logging.getLogger(__name__)


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
    sampling: Filter = "fine",
    threads: int | None = None,
    box: Box | None = None,
) -> Pixels:
    """The view at `state`, [H·scale, W·scale, 4] uint8. `load` gives a layer's art [h, w, 4]; if it has a method `key` that
    names a layer's art by content, the art is kept ready for the next frame. `transparent` leaves the background out.
    `threads`: how many share the work; the picture is the same. `box`: only these pixels of it (left, top, right, bottom),
    unframed."""
    width, height = max(1, round(scene.view.width * scale)), max(1, round(scene.view.height * scale))
    zoom = np.diag([width / scene.view.width, height / scene.view.height, 1.0])
    colour = (0.0, 0.0, 0.0, 0.0) if transparent else (*(value / 255 for value in background(scene)), 1.0)
    left, top, right, bottom = box or (0, 0, width, height)
    zoom = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]]) @ zoom
    sheets = laid_of(scene, stage_at(scene, state, motion), load, zoom)
    picture = draw(sheets, (right - left, bottom - top), colour, None, sampling, threads)
    return framed(scene, picture, transparent) if box is None else picture


def frames(
    scene: Scene,
    states: Iterable[State | Sequence[State]],
    load: Loader,
    scale: float = 1.0,
    transparent: bool = False,
    sampling: Filter = "fine",
    threads: int | None = None,
    box: Box | None = None,
) -> Iterator[Pixels]:
    """As `render`, of one state after the other: a frame on each thread, handed over in their order, few of them ahead. Where
    several states are told of a frame, it is their mean in linear light, as a shutter sees them."""
    count, motion = threads or os.cpu_count() or 1, Motion(scene)

    def one(state: State | Sequence[State]) -> Pixels:
        moments = [state] if isinstance(state, State) else state
        return exposed(moments, lambda at: render(scene, at, load, scale, transparent, motion, sampling, 1, box))

    with ThreadPoolExecutor(count, thread_name_prefix="frame") as pool:
        under_way: deque[Future[Pixels]] = deque()
        try:
            for state in states:
                under_way.append(pool.submit(one, state))
                if len(under_way) > count:
                    yield under_way.popleft().result()
            while under_way:
                yield under_way.popleft().result()
        finally:
            for left in under_way:
                left.cancel()


def draw(
    sheets: list[Laid],
    size: tuple[int, int],
    colour: tuple[float, ...] = (0.0, 0.0, 0.0, 0.0),
    backdrop: Planes | None = None,
    sampling: Filter = "fine",
    threads: int | None = None,
) -> Pixels:
    """Sheets, back to front, on a canvas of `size` (width, height), over a premultiplied colour or a backdrop [H, W, 4] of
    premultiplied floats; [H, W, 4] uint8."""
    width, height = size
    if any(sheet.frost for sheet in sheets):
        ground = np.empty((height, width, 4), np.float32)
        ground[...] = colour if backdrop is None else backdrop
        return straighten(frosted(sheets, ground, lambda some, over: _over(some, over, sampling, threads)))
    compiled = _compiled()
    if not isinstance(compiled, str):
        canvas = compiled(width, height, sampling == "fine", threads or os.cpu_count() or 1)
        canvas.lay(sheets)
        return canvas.bytes(colour, backdrop)
    planes = np.empty((height, width, 4), np.float32)
    planes[...] = colour if backdrop is None else backdrop
    plain.draw(sheets, planes)
    return straighten(planes)


def _over(sheets: list[Laid], ground: Planes, sampling: Filter, threads: int | None) -> Planes:
    """Sheets over a ground of premultiplied floats, as such again."""
    compiled = _compiled()
    if isinstance(compiled, str):
        planes = ground.copy()
        plain.draw(sheets, planes)
        return planes
    canvas = compiled(ground.shape[1], ground.shape[0], sampling == "fine", threads or os.cpu_count() or 1)
    canvas.lay(sheets)
    drawn: Planes = canvas.floats(ground)
    return drawn


def why_slow() -> str:
    """Why pictures are drawn by OpenCV alone; empty where they are not."""
    found = _compiled()
    return found if isinstance(found, str) else ""


@cache
def _compiled() -> "Callable[..., Any] | str":
    """The canvas of compiled tiles, tried once; or a sentence on why it cannot be had."""
    try:
        from clinamen.core.raster.tiled import Canvas

        tried = Canvas(1, 1, True, 1)
        tried.lay(
            [Laid(lambda: np.zeros((2, 2, 4), np.uint8), None, 2, 2, np.eye(3), disc=disc) for disc in (0.0, 9.0)]
        )
        tried.bytes((0.0, 0.0, 0.0, 0.0), None)
        return Canvas
    except Exception as error:  # whatever keeps numba from compiling or from keeping what it compiled
        reason = " ".join(str(error).split())[:200] or type(error).__name__
        says = f"frames are drawn by OpenCV alone, many times slower: compiled code cannot be had here ({reason})"
        _log.warning(says)
        return says
