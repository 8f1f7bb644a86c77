"""Steps that are baked into the art that the editor shows, as the text of an address, and back."""

import json
from collections.abc import Sequence

import numpy as np
from pydantic import TypeAdapter, ValidationError

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadEdit
from clinamen.core.look.steps.together import Together

_STEPS: TypeAdapter[tuple[Together, ...]] = TypeAdapter(tuple[Together, ...])


def text_of(steps: Sequence[Together]) -> str:
    """The steps as text."""
    return json.dumps([step.model_dump(mode="json") for step in steps], separators=(",", ":"))


def looks_of(text: str) -> tuple[Together, ...]:
    """The steps that a text names; BadEdit where it names none."""
    try:
        return _STEPS.validate_json(text) if text else ()
    except ValidationError:
        raise BadEdit("look: is not a list of steps; ask for the art as the page does") from None


def dressed(pixels: Pixels, steps: Sequence[Together]) -> Pixels:
    """Pixels [h, w, 4] uint8 after the steps."""
    planes = pixels.astype(np.float32) / np.float32(255)
    for step in steps:
        planes = step.work(planes, 1.0)
    return np.rint(planes * 255).astype(np.uint8)
