"""The proof of small scenes that have everything: six to eight layers of ragged art, carried, drifting, tilted, actors, under scroll,
pointer and looping time.

python -m bench.small --scenes 24
"""

import argparse
import time
from typing import Any

import numpy as np
from scipy import ndimage

from clinamen.core.checks.base import CHECKS, Subject
from clinamen.core.document import Scene
from clinamen.core.pictures.telling import Telling
from tests.conftest import layer, scene, shelf_of, track

VIEW = {"width": 1280, "height": 720}
LEAF = 40  # px between two places at which the edge of ragged art is drawn anew


def ragged(width: int, height: int, rng: np.random.Generator, cover: float) -> np.ndarray:
    """Art of one colour whose outline is torn, and which has holes where `cover` is small."""
    rough = rng.random((max(3, height // LEAF), max(3, width // LEAF)))
    torn = ndimage.zoom(rough, (height / rough.shape[0], width / rough.shape[1]), order=1)[:height, :width]
    y, x = np.mgrid[0:height, 0:width]
    inward = np.minimum.reduce([x, width - 1 - x, y, height - 1 - y]) / min(width, height)
    art = np.full((height, width, 4), 255, np.uint8)
    art[..., :3] = rng.integers(40, 220, 3)
    art[..., 3] = np.clip((torn + 2 * inward - (1 - cover)) * 8, 0, 1) * 255
    return art


def small_scene(seed: int) -> tuple[Scene, dict[str, np.ndarray]]:
    rng = np.random.default_rng(seed)
    timed = bool(rng.random() < 0.7)
    layers: list[dict[str, Any]] = []
    art, tracks = dict[str, np.ndarray](), list[Any]()
    for name in "abcdefgh"[: rng.integers(6, 9)]:
        back = name == "a"
        width, height = (1500, 860) if back else (int(rng.integers(300, 1500)), int(rng.integers(200, 800)))
        fields: dict[str, Any] = {"depth": 1200.0} if back else {
            "depth": float(rng.choice([1200, 600, 200, 0, -200])),
            "framing": {"x": float(rng.integers(-80, 80)), "y": float(rng.integers(-50, 50)), "rotation": float(rng.choice([0, 0, 8]))},
        }  # fmt: skip
        art[name] = ragged(width, height, rng, 0.95 if back else float(rng.choice([0.5, 0.8])))
        if not back and rng.random() < 0.4:
            fields["tilt"] = {"lean": float(rng.integers(-20, 40)), "turn": float(rng.integers(-25, 25))}
        if not back and rng.random() < 0.4:
            fields["carrier"] = str(rng.choice(["raft", "float"]))
        if timed and not back and rng.random() < 0.2:
            width, height = width // 3, height // 2
            art[name] = art[name][: 2 * height, : 3 * width]
            fields["frames"] = {"columns": 3, "rows": 2, "count": 6, "fps": 8}
        layers.append(layer(name, width, height, **fields))
        if rng.random() < 0.4:
            tracks.append(
                track(name, "x", "scroll", (0, 0, "ease"), (0.5, float(rng.integers(-60, 60)), "smooth"), (1, 0))
            )
        if timed and rng.random() < 0.4:
            drift = {"reach": float(rng.integers(3, 20)), "pace": 0.5, "seed": int(rng.integers(1, 99))}
            tracks.append({"target": name, "channel": "y", "driver": "time", "drift": drift})
    tracks.append(track("camera", "x", "scroll", (0, 0, "ease-in-out"), (1, float(rng.integers(-200, 200)))))
    tracks.append(track("camera", "z", "scroll", (0, 0), (1, float(rng.integers(-150, 200)))))
    if rng.random() < 0.4:
        tracks.append(track("camera", "roll", "scroll", (0, 0), (1, float(rng.integers(-6, 6)))))
    if timed:
        tracks.append(
            track("raft", "rotation", "time", (0, 0, "ease"), (4, float(rng.integers(-12, 12)), "ease"), (8, 0))
        )
        tracks.append(
            {"target": "float", "channel": "y", "driver": "time", "drift": {"reach": 10, "pace": 0.4, "seed": 5}}
        )
    drivers: dict[str, Any] = {"scroll": {"length": 3000}, "pointer": {"reach_x": 60, "reach_y": 30}}
    drivers |= {"time": {"duration": 8, "loop": True}} if timed else {}
    carriers = [{"id": "raft", "at": {"x": 20, "y": 10}}, {"id": "float", "at": {"x": 0, "y": 40}, "carrier": "raft"}]
    return scene(*layers, view=VIEW, drivers=drivers, tracks=tracks, carriers=carriers), art


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenes", type=int, default=24)
    parser.add_argument("--fixes", action="store_true", help="with every fix computed")
    given = parser.parse_args()
    taken = []
    for seed in range(given.scenes):
        made, art = small_scene(seed)
        shelf = shelf_of(art, made)
        subject = Subject(made, shelf.opaque_sets(made), given.fixes, art=Telling(shelf))
        by_check, still_open = dict[str, float](), 0
        for name, check in CHECKS.items():
            begun = time.process_time()
            still_open += sum("up to" in finding.message for finding in check.run(subject))
            by_check[name] = time.process_time() - begun
        taken.append(sum(by_check.values()))
        told = ", ".join(f"{name} {seconds:.2f}" for name, seconds in by_check.items() if seconds > 0.1)
        print(f"{seed}: {len(made.layers)} layers, {taken[-1]:.2f} s ({told}), {still_open} left open", flush=True)
    print(f"median {np.median(taken):.2f} s, at most {max(taken):.2f} s of processor time")


if __name__ == "__main__":
    main()
