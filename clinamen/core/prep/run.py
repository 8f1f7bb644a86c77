"""Run a recipe: an original through its steps, in order. Results of steps are kept by content, so that a change to the
last step costs that step alone."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import cv2
import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.pixels import shrink
from clinamen.core.prep import shape
from clinamen.core.prep.base import Around
from clinamen.core.prep.recipe import Recipe
from clinamen.core.prep.steps import AnyStep

VERSION = 3  # of the steps' work; raised when a step computes something else than before
KEPT_BYTES = 400_000_000
WORTH_KEEPING = 1.0  # s: at full size only what such steps made is kept
_kept: Bounded[Pixels] = Bounded(KEPT_BYTES, lambda pixels: pixels.nbytes)


def recipe_key(original: str, recipe: Recipe, others: dict[str, str]) -> str:
    """SHA-256 that names a prepared picture: of the original's own, the steps, and the keys of the art looked at."""
    steps = [step.model_dump(mode="json") for step in recipe.steps if step.on]
    looked = {layer: others[layer] for layer in sorted(recipe.looks_at)}
    text = json.dumps([VERSION, original, recipe.width, recipe.height, steps, looked], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def reduced(pixels: Pixels, scale: float) -> Pixels:
    """The original at a preview's scale."""
    width, height = shape.scaled_size(pixels.shape[1], pixels.shape[0], scale)
    return shrink(pixels, width, height) if scale < 1 else pixels


def run(
    recipe: Recipe, original: Pixels, around: Around | None = None, key: str = "", keys: dict[str, str] | None = None
) -> Pixels:
    """Art [h, w, 4] that a recipe makes of its original, which is given at the scale that `around` says.

    `key` names the original's content and `keys` the content of other layers' art: with them, the results of steps are
    kept and used again.
    """
    around = around or Around()
    steps = [step for step in recipe.steps if step.on]
    frames = list(recipe.model_copy(update={"steps": tuple(steps)}).frames())
    pixels = original
    for index, (step, frame) in enumerate(zip(steps, frames, strict=False)):
        part = replace(around, tick=_share_of(around.tick, index, len(steps)))
        work = partial(_work, pixels, step, part)
        if key and (around.draft or step.seconds(frame) > WORTH_KEEPING):
            so_far = recipe.model_copy(update={"steps": tuple(steps[: index + 1])})
            pixels = _kept.get((recipe_key(key, so_far, keys or {}), around.scale, around.draft), work)
        else:
            pixels = work()
        part.tick(1.0)
    made = frames[-1]
    width, height = shape.scaled_size(made.width, made.height, around.scale)
    if pixels.shape[:2] != (height, width):  # a preview's sizes are rounded step by step
        pixels = cv2.resize(pixels, (width, height), interpolation=cv2.INTER_LINEAR).astype(np.uint8)
    return pixels


def _work(pixels: Pixels, step: AnyStep, around: Around) -> Pixels:
    cv2.setRNGSeed(0)  # some of OpenCV's work draws random numbers: the same ones every time
    return step.work(pixels, around)


def _share_of(tick: Callable[[float], None], index: int, count: int) -> Callable[[float], None]:
    return lambda share: tick((index + share) / count)
