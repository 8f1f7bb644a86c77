"""How quickly layers go over the view: view pixels a second of their middle, for a driver that goes at some pace.

Looked for on a grid over the driver and at its keys, then closed in on around the best; other drivers at rest. What is out of the
view has no speed there.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, States
from clinamen.core.stage import stage

NORMAL, QUICK = 1200.0, 4000.0  # px of page a second: reading on, and a flick (common practice, no source)
GRID, FINE = 257, 33
ROUNDS = 3
STEP = 1e-5  # of a driver: over how little of it a speed is taken


@dataclass(frozen=True)
class Speed:
    """The top speed of a layer over a driver, in view px for all of the driver at once, and where it is."""

    whole: float
    at: float


def top_speed(scene: Scene, motion: Motion, layer: Layer, driver: str) -> Speed:
    """The top speed of one layer over "scroll" or "time"."""
    end = scene.drivers.end(driver)
    keys = sorted({key.at for track in scene.tracks if track.driver == driver for key in track.keys})
    beside = [at + side * 3 * STEP * end for at in keys for side in (-1, 1)]
    places = np.unique(np.clip([*np.linspace(0, end, GRID), *beside], 0, end))
    wide = end / (GRID - 1)
    best = Speed(0.0, 0.0)
    for _ in range(ROUNDS):
        speeds = speeds_at(scene, motion, layer, driver, places)
        index = int(speeds.argmax())
        if speeds[index] > best.whole:
            best = Speed(float(speeds[index]), float(places[index]))
        places = np.clip(np.linspace(best.at - wide, best.at + wide, FINE), 0, end)
        wide /= FINE / 4
    return best


def speeds_at(scene: Scene, motion: Motion, layer: Layer, driver: str, places: Floats) -> Floats:
    """Speeds [N] at places of a driver, in view px for all of it at once; 0 where the layer is not before the camera or
    wholly out of the view."""
    end = scene.drivers.end(driver)
    step = STEP * end
    before = np.clip(places - step, 0, end)
    after = np.clip(places + step, 0, end)
    around = np.concatenate([before, after])
    sheet = stage(scene, States.still(len(around), **{driver: around}), motion, (layer,)).sheets[0]
    at, size = sheet.centre()
    one, two = at[: len(places)], at[len(places) :]
    with np.errstate(invalid="ignore"):
        speeds = np.linalg.norm(two - one, axis=1) / (after - before) * end
    half = np.hypot(layer.art.width, layer.art.height) / 2 * size[: len(places), None]
    view = np.array([scene.view.width, scene.view.height])
    seen = np.all((one + half > 0) & (one - half < view), axis=1) if not layer.repeats else np.ones(len(places), bool)
    seen &= sheet.opacity[: len(places)] > 0
    return np.where(seen & np.isfinite(speeds), speeds, 0.0)


def state_on(driver: str, at: float) -> State:
    """The state with one driver at a place, the others at rest."""
    return State(scroll=at) if driver == "scroll" else State(time=at)
