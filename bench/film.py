"""Films: frames drawn and coded at once against each alone; two workers against one; and the memory of a worker over 4K art.

python -m bench.film [workers|memory|all]; everything in one run, on pictures made up here.
"""

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np

from bench.scenes import organic, scene
from clinamen.core.document import Scene
from clinamen.core.film.coder import Coder
from clinamen.core.film.film import Film, film_of
from clinamen.core.film.shooting import shot
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf

FRAMES, FEW, RATE = 300, 60, 25


def told(layers: int, size: tuple[int, int] | None = None) -> Scene:
    """The bench's scene with so many layers, a truck that stands at fractions of a pixel, and a clock that is long enough."""
    made = scene().to_json()
    step = max(1, len(made["layers"]) // layers)
    made["layers"] = made["layers"][::step][:layers]
    if size:
        for layer in made["layers"]:
            layer["art"].update(width=size[0], height=size[1])
            layer["framing"] = {"scale": 2400 / size[0]}
    made["drivers"] = {"time": {"duration": FRAMES / RATE, "fps": RATE, "loop": False}}
    made["tracks"] = [{"target": "camera", "channel": "x", "driver": "time", "keys": [{"at": 0, "value": -180.3}, {"at": FRAMES / RATE, "value": 211.7}]}]  # fmt: skip
    from clinamen.core import document

    return document.parse(made)


def shelf(of: Scene, draw=organic) -> ArtShelf:  # type: ignore[no-untyped-def]
    files = {
        x.art.file: encode_png(draw(index, x.art.width, x.art.height), level=1) for index, x in enumerate(of.layers)
    }
    return ArtShelf(files.__getitem__, scene=of)


def timed(work) -> float:  # type: ignore[no-untyped-def]
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def drawn(film: Film, on: ArtShelf, numbers: Sequence[int], threads: int) -> list[np.ndarray]:
    return list(shot(film.scene, on.loader(film.scene), film.course, numbers, threads=threads))


def all_of(film: Film, on: ArtShelf, count: int, threads: int) -> None:
    load = on.loader(film.scene)
    for _ in shot(film.scene, load, film.course, range(count), sampling=film.sampling, threads=threads):
        pass


def coded_alone(path: Path, film: Film, some: Sequence[np.ndarray]) -> None:
    with Coder(path, film.made_as, film.strip, threads=1) as coder:
        for number in range(FRAMES):
            coder.write(some[number % FEW])


def end_to_end(folder: Path) -> None:
    """300 frames of six layers at 1920 × 1080 into an MP4."""
    made = told(6)
    film, on = film_of(made), shelf(made)
    drawn(film, on, range(2), 1)  # art made ready
    some = drawn(film, on, range(FEW), 1)
    alone = timed(lambda: all_of(film, on, FRAMES, 1))
    coded = timed(partial(coded_alone, folder / "alone.mp4", film, some))
    for threads in (1, 2):
        both = timed(partial(film.make_part, folder / "both.mp4", (0, FRAMES), on, threads=threads))
        joined = timed(partial(film.join, folder / "film.mp4", [(folder / "both.mp4", FRAMES)]))
        print(
            f"300 frames, 6 layers: drawn alone {alone:.1f} s, coded alone {coded:.1f} s (one thread each); drawn on {threads}, coded "
            f"beside and put together {both + joined:.1f} s ({(both + joined) / max(alone, coded):.2f} x the larger)", flush=True,
        )  # fmt: skip


def aims(folder: Path) -> None:
    """24 layers inside a film, beside the raster alone."""
    made = told(24)
    film, on = film_of(made, format="mkv"), shelf(made)
    drawn(film, on, range(2), 1)
    for sampling in ("draft", "fine"):
        each = replace(film, sampling=sampling)
        for threads in (1, 2):
            took = timed(partial(all_of, each, on, 48, threads)) / 48
            print(
                f"24 layers, a truck at fractions of a pixel, {sampling}, {threads} threads: {1000 * took:.0f} ms a frame",
                flush=True,
            )


def workers(folder: Path) -> None:
    """One worker and two, each a process with its coder, kept to a core of its own as a machine of one core would be."""
    rates = {}
    for count in (1, 2, 1, 2):
        begun = time.perf_counter()
        running = [
            subprocess.Popen(
                [sys.executable, "-m", "bench.film", "worker", str(folder / f"{count}-{n}.mp4"), str(n), str(count)],
                stdout=subprocess.PIPE,
                text=True,
            )
            for n in range(count)
        ]
        spans = [[float(x) for x in each.communicate()[0].split()] for each in running]
        working = max(end for _, end in spans) - min(start for start, _ in spans)
        rates.setdefault(count, []).append(FRAMES / working)
        print(
            f"{count} workers: {FRAMES / working:.1f} frames a second, {time.perf_counter() - begun:.1f} s with their start",
            flush=True,
        )
    print(f"two workers against one: {max(rates[2]) / max(rates[1]):.2f} x", flush=True)


def worker(path: Path, number: int, count: int) -> None:
    """A part of the film of six layers; prints when its first frame was begun and its last was done."""
    os.sched_setaffinity(0, {number})
    made = told(6)
    film, on = film_of(made), shelf(made)
    drawn(film, on, range(2), 1)
    begun = time.time()
    film.make_part(path, (FRAMES * number // count, FRAMES * (number + 1) // count), on, threads=1)
    print(begun, time.time())


def memory(folder: Path) -> None:
    """A worker over 24 layers of 3840 × 2160 from PNG files."""
    made = told(24, (3840, 2160))
    files = folder / "art"
    files.mkdir()
    for index, layer in enumerate(made.layers):
        (files / Path(layer.art.file).name).write_bytes(encode_png(organic(index, 3840, 2160), level=1))
    (folder / "scene.json").write_text(json.dumps(made.to_json()))
    done = subprocess.run(
        [sys.executable, "-m", "bench.film", "over", str(folder)], capture_output=True, text=True, check=True
    )
    print(done.stdout.strip(), flush=True)


def over(folder: Path) -> None:
    from clinamen.core.exchange.opening import open_scene

    files = open_scene(folder / "scene.json")
    film, on = film_of(files.scene), ArtShelf(files.read, scene=files.scene)
    begun = time.perf_counter()
    film.make_part(folder / "film.mp4", (0, 24), on)
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    coder = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
    print(
        f"24 layers of 4K art, 24 frames: {time.perf_counter() - begun:.0f} s, {most:.2f} GB at most, its coder {coder:.2f} GB"
    )


def main() -> None:
    what = sys.argv[1] if len(sys.argv) > 1 else "all"
    if what == "worker":
        worker(Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]))
        return
    if what == "over":
        over(Path(sys.argv[2]))
        return
    with tempfile.TemporaryDirectory(prefix="clinamen-bench-") as room:
        for name, work in (("aims", aims), ("end", end_to_end), ("workers", workers), ("memory", memory)):
            if what in (name, "all"):
                work(Path(room))


if __name__ == "__main__":
    main()
