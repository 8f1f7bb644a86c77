"""How quickly layers go over the view: view pixels a second of their middle, for a driver that goes at some pace.

Looked for on a grid over the driver and at its keys, then closed in on around the best; other drivers at rest. What is out of the
view has no speed there.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Layer, Scene, bearers_of
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import AXES, State, States
from clinamen.core.stage import stage

NORMAL, QUICK = 1200.0, 4000.0  # px of page a second: reading on, and a flick (common practice, no source)
GRID, FINE = 129, 33
MOST_KEYS = 200  # beside which speeds are taken
ROUNDS = 3
STEP = 1e-5  # of a driver: over how little of it a speed is taken


@dataclass(frozen=True)
class Speed:
    """The top speed of a layer over a driver, in view px for all of the driver at once, and where it is."""

    whole: float
    at: float


def top_speed(scene: Scene, motion: Motion, layer: Layer, driver: str) -> Speed:
    """The top speed of one layer over "scroll" or "time"."""
    return top_speeds(scene, motion, (layer,), driver)[0]


def top_speeds(scene: Scene, motion: Motion, layers: tuple[Layer, ...], driver: str, worth: float = 0.0) -> list[Speed]:
    """The top speeds of layers over a driver; closed in on only where the grid shows one that is `worth` it."""
    keys: dict[str, set[float]] = {}
    for track in scene.tracks:
        if track.driver == driver:
            keys.setdefault(track.target, set()).update(key.at for key in track.keys)
    alike: dict[tuple[float, ...], list[Layer]] = {}  # layers whose keys are the same are looked at together
    for layer in layers:
        movers = ("camera", layer.id, *(bearer.id for bearer in bearers_of(scene, layer)))
        alike.setdefault(tuple(sorted(set().union(*(keys.get(id, ()) for id in movers)))), []).append(layer)
    tops = {}
    for at, some in alike.items():
        grid = _places(at, scene.drivers.end(driver))
        for layer, speeds in zip(some, speeds_at(scene, motion, tuple(some), driver, grid), strict=True):
            index = int(speeds.argmax())
            best = Speed(float(speeds[index]), float(grid[index]))
            tops[layer.id] = _closed_in(scene, motion, layer, driver, best) if best.whole > worth else best
    return [tops[layer.id] for layer in layers]


def _places(keys: tuple[float, ...], end: float) -> Floats:
    """Places of a driver to look at first: a grid, and both sides of every key."""
    if len(keys) > MOST_KEYS:
        keys = tuple(keys[i] for i in np.linspace(0, len(keys) - 1, MOST_KEYS).astype(int))
    beside = [at + side * 3 * STEP * end for at in keys for side in (-1, 1)]
    return np.unique(np.clip([*np.linspace(0, end, GRID), *beside], 0, end))


def _closed_in(scene: Scene, motion: Motion, layer: Layer, driver: str, best: Speed) -> Speed:
    end = scene.drivers.end(driver)
    wide = end / (GRID - 1)
    for _ in range(ROUNDS):
        places = np.clip(np.linspace(best.at - wide, best.at + wide, FINE), 0, end)
        speeds = speeds_at(scene, motion, (layer,), driver, places)[0]
        index = int(speeds.argmax())
        if speeds[index] > best.whole:
            best = Speed(float(speeds[index]), float(places[index]))
        wide /= FINE / 4
    return best


def speeds_at(scene: Scene, motion: Motion, layers: tuple[Layer, ...], driver: str, places: Floats) -> list[Floats]:
    """Speeds [N] of each layer at places of a driver, in view px for all of it at once; 0 where the layer is not before the
    camera or wholly out of the view."""
    end = scene.drivers.end(driver)
    before, after = (np.clip(places + side * STEP * end, 0, end) for side in (-1, 1))
    around = np.concatenate([before, after])
    view, found = np.array([scene.view.width, scene.view.height]), []
    for sheet in stage(scene, States.still(len(around), **{driver: around}), motion, layers).sheets:
        layer, (at, size) = sheet.layer, sheet.centre()
        jumps = motion.jumps((layer,))[AXES.index(driver)]  # to be elsewhere at once is no speed
        over = np.searchsorted(jumps, before, side="right") != np.searchsorted(jumps, after, side="right")
        one, two = at[: len(places)], at[len(places) :]
        with np.errstate(invalid="ignore"):
            speeds = np.linalg.norm(two - one, axis=1) / (after - before) * end
            half = np.hypot(layer.art.width, layer.art.height) / 2 * size[: len(places), None]
            seen = np.all((one + half > 0) & (one - half < view), axis=1) | layer.repeats
        seen &= (sheet.opacity[: len(places)] > 0) & ~over
        found.append(np.where(seen & np.isfinite(speeds), speeds, 0.0))
    return found


def state_on(driver: str, at: float) -> State:
    """The state with one driver at a place, the others at rest."""
    return State(scroll=at) if driver == "scroll" else State(time=at)
