"""Times of motion: python -m bench.motion. Compiling tracks, evaluating many states, ranges of a long drift."""

import time

import numpy as np

from bench.core import seconds
from bench.scenes import scene
from clinamen.core import document
from clinamen.core.document import Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import Cells, States
from clinamen.core.stage import stage

CHANNELS = ("x", "y", "scale", "rotation", "lean", "turn", "opacity", "depth", "blur")


def crowded(layers: int = 199, tracks: int = 1990, keys: int = 100) -> Scene:
    """Very many tracks."""
    made = []
    for number in range(tracks):
        rows = [
            {"at": i / (keys - 1), "value": 1.5 + float(np.sin(i * number + 1)), "ease": "smooth"} for i in range(keys)
        ]
        channel = CHANNELS[number % len(CHANNELS)]
        made.append({"target": f"l{number // len(CHANNELS)}", "channel": channel, "driver": "scroll", "keys": rows})
    names = [{"id": f"l{i}", "art": {"file": "a.png", "width": 10, "height": 10}} for i in range(layers)]
    own = [track for track in made if int(track["target"][1:]) < layers]
    return document.parse({"layers": names, "drivers": {"scroll": {}}, "tracks": own})


def main() -> None:
    made = crowded()
    print(f"compiling {len(made.tracks)} tracks of 100 keys: {seconds(lambda: Motion(made), 3):.2f} s")
    states = States.still(10_000, scroll=np.linspace(0, 1, 10_000))
    print(f"24 layers at 10 000 states: {seconds(lambda: stage(scene(), states), 3):.2f} s")
    drift = {"target": "camera", "channel": "x", "driver": "time", "drift": {"reach": 30, "pace": 3.0, "seed": 1}}
    drifting = Motion(document.parse({"layers": [], "drivers": {"time": {"duration": 120}}, "tracks": [drift]}))
    low = np.linspace(0, 119, 10_000)
    still = Interval(np.zeros(10_000), np.zeros(10_000))
    cells = Cells(still, still, still, Interval(low, low + 1))
    begun = time.perf_counter()
    drifting.over("camera", cells)
    print(f"exact ranges of a drift of {len(drifting.curves('camera')[0].keys)} keys over 10 000 cells: "
          f"{time.perf_counter() - begun:.2f} s the first time, {seconds(lambda: drifting.over('camera', cells), 3):.3f} s after")  # fmt: skip


if __name__ == "__main__":
    main()
