"""How long the verdict takes after an edit: 24 layers of 4K art, 200 small ones, long tracks; and how it grows.

python -m bench.verdict
"""

import resource
import statistics
import time
from collections.abc import Callable

import numpy as np

from bench.scenes import organic
from clinamen.core import document
from clinamen.core.checks import CHECKS, Subject, prove_subject
from clinamen.core.document import Scene
from clinamen.core.edits import apply
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pictures.telling import Telling

TURNS = 7


def scene(count: int, size: tuple[int, int], keys: int = 2) -> Scene:
    """So many layers of a size over a backdrop, a camera that goes across and along over scroll and time."""
    width, height = size
    places = np.linspace(0, 1, keys)
    way = [{"at": float(at), "value": float(160 * at + 12 * np.sin(at * keys)), "ease": "ease-in-out"} for at in places]
    layers = [{"id": "back", "art": {"file": "back.png", "width": width, "height": height}, "depth": "infinite",
               "framing": {"scale": 2400 / width}}]  # fmt: skip
    layers += [
        {"id": f"sheet-{n}", "art": {"file": f"{n % 6}.png", "width": width, "height": height},
         "depth": 9000 / (n + 1) - 300, "framing": {"scale": 2500 / width}}
        for n in range(count - 1)
    ]  # fmt: skip
    return document.parse({
        "layers": layers, "drivers": {"scroll": {}, "pointer": {"reach_x": 20, "reach_y": 12}, "time": {"duration": 12}},
        "tracks": [{"target": "camera", "channel": "x", "driver": "scroll", "keys": way},
                   {"target": "camera", "channel": "y", "driver": "time", "keys": [{"at": 0, "value": 0}, {"at": 12, "value": 30}]}],
    })  # fmt: skip


def shelf(size: tuple[int, int]) -> ArtShelf:
    """Six organic pictures and a backdrop."""
    width, height = size
    files = {f"{n}.png": encode_png(organic(n, width, height), level=1) for n in range(6)}
    back = np.full((height, width, 4), 255, np.uint8)
    return ArtShelf({**files, "back.png": encode_png(back, level=1)}.__getitem__)


def proved(made: Scene, art: ArtShelf) -> float:
    """Seconds that the verdict takes."""
    art.scene = made
    start = time.perf_counter()
    prove_subject(Subject(made, art.opaque_sets(made), False, art=Telling(art)))
    return time.perf_counter() - start


def edited(made: Scene, art: ArtShelf, edit: Callable[[Scene, int], Scene]) -> tuple[float, float]:
    """Median and longest over several edits, each on the scene that the one before left."""
    took = []
    for turn in range(TURNS):
        made = edit(made, turn)
        took.append(proved(made, art))
    return statistics.median(took), max(took)


def moved(made: Scene, turn: int) -> Scene:
    """One layer pushed back."""
    return apply(made, "depth", {"layer": "sheet-4", "depth": str(1500 + 17 * turn)})[0]


def panned(made: Scene, turn: int) -> Scene:
    """The camera's way changed."""
    return apply(made, "travel", {"driver": "scroll", "channel": "x", "end": str(150 + turn), "ease": "ease-in-out"})[0]


def named(made: Scene, turn: int) -> Scene:
    """A name changed."""
    return apply(made, "layer", {"layer": "sheet-4", "name": f"Sheet {turn}"})[0]


def main() -> None:
    for label, count, size, keys in (("24 layers of 4K art", 24, (3840, 2160), 2), ("24 layers of 1200 × 675", 24, (1200, 675), 2),
                                     ("200 layers of 1200 × 675", 200, (1200, 675), 2), ("24 layers, 500 keys", 24, (1200, 675), 500)):  # fmt: skip
        art, made = shelf(size), scene(count, size, keys)
        first = proved(made, art)
        told = ", ".join(
            f"{what} {1000 * median:.0f} ms median, {1000 * longest:.0f} longest"
            for what, (median, longest) in (
                ("a layer moved", edited(made, art, moved)), ("the camera moved", edited(made, art, panned)),
                ("a name changed", edited(made, art, named)),
            )
        )  # fmt: skip
        print(f"{label}: first {1000 * first:.0f} ms (with reading the art); after that {told}")
        print(f"    memory at most so far: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")
        art.scene = made
        subject = Subject(moved(made, 99), art.opaque_sets(made), False, art=Telling(art))
        for check in CHECKS.values():
            start = time.perf_counter()
            check.run(subject)
            spent = 1000 * (time.perf_counter() - start)
            if spent > 5:
                print(f"    {check.id}: {spent:.0f} ms")


if __name__ == "__main__":
    main()
