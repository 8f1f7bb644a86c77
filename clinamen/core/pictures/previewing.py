"""Previews of recipes, run in child processes of their own within limits of memory and time: a small document can ask for hours
or gigabytes. Who waits for one looks at it while the hand works, so these children stand behind nobody."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from clinamen.core.arrays import Pixels
from clinamen.core.pictures.pool import Pool
from clinamen.core.prep.recipe import Recipe

SECONDS = 10.0  # s of processor time for one preview
TOO_LONG = "its recipe takes more than {:g} s even for a preview; switch its last step off"


@dataclass(frozen=True)
class Reduced:
    """Art that a preview is made of: the original at `scale`, named `key` by its content; and the art of other layers that the
    recipe looks at, by layer id, at the same scale, with what names it."""

    original: Pixels
    scale: float
    key: str
    others: dict[str, Pixels]
    keys: dict[str, str]


@lru_cache(maxsize=1)
def _pool() -> Pool:
    return Pool(seconds=SECONDS, behind=0, ready_for=("recipe",), too_long=TOO_LONG)


def previewed(recipe: Recipe, reduced: Reduced, name: str) -> Pixels:
    """Return what a recipe makes of reduced art [h, w, 4]; BadArt, which says `name`, where that takes more than is allowed."""
    parts = {"": reduced.original, **reduced.others}
    options = {
        "recipe": recipe.model_dump(mode="json"), "scale": reduced.scale, "key": reduced.key, "keys": reduced.keys,
        "parts": {layer: list(pixels.shape) for layer, pixels in parts.items()},
    }  # fmt: skip
    data = b"".join(np.ascontiguousarray(pixels).tobytes() for pixels in parts.values())
    said, made = _pool().ask("recipe", data, name, options)
    return np.frombuffer(made, np.uint8).reshape([int(length) for length in said["shape"]])
