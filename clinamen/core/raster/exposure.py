"""A frame as a shutter sees it: the mean, in linear light, of the scene at moments while it is open.

The shutter opens at the frame's own moment and stays open for `film.shutter` / 360 of a frame of the scene's time; moments lie in
the middle of even parts of that. A scene without time, or a shutter of 0, is drawn at its moment.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.document import Scene
from clinamen.core.look.working import coded, linear
from clinamen.core.motion.states import State


def moments(scene: Scene, state: State) -> list[State]:
    """The states that a frame is drawn at."""
    time, film = scene.drivers.time, scene.film
    if time is None or film.shutter == 0 or film.samples == 1:
        return [state]
    open_for = film.shutter / 360 / time.fps
    return [replace(state, time=state.time + (i + 0.5) / film.samples * open_for) for i in range(film.samples)]


def exposed(states: Sequence[State], draw: Callable[[State], Pixels]) -> Pixels:
    """The frame [h, w, 4] over these moments; `draw` gives the picture at one."""
    if len(states) == 1:
        return draw(states[0])
    table = linear(np.arange(256) / 255).astype(np.float32)
    total: np.ndarray[tuple[int, ...], np.dtype[np.float32]] | None = None
    for moment in states:
        picture = draw(moment)
        light = np.empty(picture.shape, np.float32)
        light[..., 3] = picture[..., 3] / 255
        light[..., :3] = table[picture[..., :3]] * light[..., 3:]
        total = light if total is None else total + light
    assert total is not None
    total /= len(states)
    alpha = total[..., 3:]
    colour = np.divide(total[..., :3], alpha, out=np.zeros_like(total[..., :3]), where=alpha > 0)
    return np.rint(255 * np.concatenate([coded(colour), alpha], axis=2)).astype(np.uint8)
