"""The raster beside what else could draw the same: python -m bench.raster. Interleaved rounds, medians; compare the ratios.

Today's tiles (draft and fine, one thread and all), the raster on OpenCV alone, Pillow laying the pictures unmoved, OpenCV warping
bytes, and the floor: memory copied, and every picture read and blended once.
"""

import os
import statistics
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from PIL import Image

from bench.scenes import LAYERS, art, organic, scene, turned
from clinamen.core.arrays import Pixels
from clinamen.core.compiled.jit import jit
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.states import State
from clinamen.core.pixels import premultiply, straighten
from clinamen.core.raster import frames, plain, render
from clinamen.core.raster.laid import laid_of
from clinamen.core.stage import stage_at

ROUNDS, SIZE = 5, (1920, 1080)
STATE = State(0.313)


class Held:
    """Pictures by layer, with keys."""

    def __init__(self, pictures: list[Pixels]) -> None:
        self.pictures = {f"layer-{i:02d}": pixels for i, pixels in enumerate(pictures)}
        self.name = str(id(self))

    def __call__(self, layer: Layer) -> Pixels:
        return self.pictures[layer.id]

    def key(self, layer: Layer) -> str:
        return self.name + layer.id


def made_of(count: int) -> Scene:
    """The pan with fewer layers: the farthest ones."""
    whole = scene()
    return whole.model_copy(update={"layers": whole.layers[:count]})


def on_opencv(made: Scene, load: Held, state: State = STATE) -> Pixels:
    """The raster as it draws where numba cannot be had."""
    planes = np.full((SIZE[1], SIZE[0], 4), [6 / 255, 34 / 255, 46 / 255, 1], np.float32)
    plain.draw(laid_of(made, stage_at(made, state), load, np.eye(3)), planes)
    return straighten(planes)


def warped(made: Scene, load: Held) -> None:
    """OpenCV warping premultiplied bytes whole, and blending them in bytes."""
    canvas = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for sheet in laid_of(made, stage_at(made, STATE), load, np.eye(3)):
        front = cv2.warpPerspective(
            sheet.load(), sheet.matrix, SIZE, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
        )
        rest = cv2.merge([255 - front[..., 3]] * 4)
        canvas = cv2.add(front, cv2.multiply(canvas, rest, scale=1 / 255))


@jit
def blended(layers, out, first, last):  # type: ignore[no-untyped-def]
    """Packed premultiplied layers [n, H, W], front first, each read and blended once, rows first … last − 1."""
    low, scale = np.uint32(255), np.float32(1 / 255)
    width = layers.shape[2]
    planes, rest = np.zeros((3, width), np.float32), np.zeros(width, np.float32)
    for y in range(first, last):
        planes[:] = 0
        rest[:] = 1
        for number in range(layers.shape[0]):
            line = layers[number, y]
            for channel in range(3):
                plane, shift = planes[channel], np.uint32(8 * channel)
                for x in range(width):
                    plane[x] += rest[x] * np.float32(np.int32((line[x] >> shift) & low)) * scale
            for x in range(width):
                rest[x] *= np.float32(1) - np.float32(np.int32(line[x] >> np.uint32(24))) * scale
        for x in range(width):
            red, green, blue = planes[0, x], planes[1, x], planes[2, x]
            out[y, x] = (
                np.uint32(red * 255)
                | (np.uint32(green * 255) << np.uint32(8))
                | (np.uint32(blue * 255) << np.uint32(16))
            )


def floor(count: int, load: Held) -> Callable[[], object]:
    """Reading and blending `count` layers once, unmoved, on every thread."""
    layers = []
    for index in reversed(range(count)):
        crop = load.pictures[f"layer-{index:02d}"][110:1190, 240:2160]
        packed = (premultiply(crop) * 255 + 0.5).astype(np.uint8)
        layers.append(np.ascontiguousarray(packed).view(np.uint32)[..., 0])
    stack, out = np.stack(layers), np.empty((SIZE[1], SIZE[0]), np.uint32)
    cores = os.cpu_count() or 1
    edges = [SIZE[1] * part // (6 * cores) for part in range(6 * cores + 1)]
    pool = ThreadPoolExecutor(cores)
    return lambda: list(pool.map(lambda first, last: blended(stack, out, first, last), edges[:-1], edges[1:]))


def rounds(runs: dict[str, Callable[[], object]], slow: tuple[str, ...] = ()) -> dict[str, float]:
    """Median seconds of each, one after the other in every round; the `slow` are run in two rounds only."""
    taken: dict[str, list[float]] = {name: [] for name in runs}
    for number in range(-1, ROUNDS):
        for name, run in runs.items():
            if name in slow and number not in (0, 1):
                continue
            begun = time.perf_counter()
            run()
            if number >= 0:
                taken[name].append(time.perf_counter() - begun)
    return {name: statistics.median(values) for name, values in taken.items()}


def told(title: str, taken: dict[str, float], one: str) -> None:
    print(title)
    for name, seconds in taken.items():
        print(f"  {name:42s} {seconds * 1000:8.1f} ms   {taken[one] / seconds:6.1f}")


def main() -> None:
    cores = os.cpu_count() or 1
    for what, pictures in (
        ("organic art", [organic(i) for i in range(LAYERS)]),
        ("hills", [art(i) for i in range(LAYERS)]),
    ):
        load = Held(pictures)
        small = [Image.fromarray(np.ascontiguousarray(pixels[110:1190, 240:2160])) for pixels in pictures]

        def pillow(small: list[Image.Image] = small) -> None:
            canvas = Image.new("RGBA", SIZE, "#06222e")
            for picture in small:
                canvas.alpha_composite(picture)
            np.asarray(canvas)

        for move, made in (("a pan by a fraction", scene()), ("turned and receding", turned())):
            runs: dict[str, Callable[[], object]] = {
                "OpenCV alone, floats": lambda made=made, load=load: on_opencv(made, load),
                "Pillow, unmoved": pillow,
                "OpenCV, bytes": lambda made=made, load=load: warped(made, load),
            }
            for sampling in ("draft", "fine"):
                for threads in (1, cores):
                    runs[f"tiles, {sampling}, {threads} thread{'s' * (threads > 1)}"] = (
                        lambda made=made, load=load, sampling=sampling, threads=threads: render(
                            made, STATE, load, sampling=sampling, threads=threads
                        )
                    )
            told(
                f"{LAYERS} layers of {what}, {move}; ratio to OpenCV alone",
                rounds(runs, ("OpenCV alone, floats",)),
                "OpenCV alone, floats",
            )
            truth = on_opencv(made, load).astype(float)
            error = np.mean((render(made, STATE, load, sampling="draft") - truth) ** 2)
            print(f"  the draft beside OpenCV: {10 * np.log10(255**2 / error):.1f} dB")
        few = made_of(6)
        states = [State(0.3 + number / 500) for number in range(12)]
        memory = np.empty((24, SIZE[1], SIZE[0], 4), np.uint8)
        told(
            f"6 layers of {what}, {cores} threads; ratio to reading and blending each once",
            rounds(
                {
                    "each read and blended once, unmoved": floor(6, load),
                    "tiles, draft, shifted": lambda few=few, load=load: render(few, STATE, load, sampling="draft"),
                    "tiles, fine, shifted": lambda few=few, load=load: render(few, STATE, load),
                    "as much memory copied as 24 pictures hold": lambda memory=memory: memory.copy(),
                }
            ),
            "each read and blended once, unmoved",
        )
        told(
            f"12 frames of the pan, {LAYERS} layers of {what}; ratio to one thread",
            rounds(
                {
                    f"a frame on each of {threads} thread{'s' * (threads > 1)}": (
                        lambda threads=threads, load=load, states=states: list(
                            frames(scene(), states, load, threads=threads)
                        )
                    )
                    for threads in (1, cores)
                }
            ),
            "a frame on each of 1 thread",
        )


if __name__ == "__main__":
    main()
