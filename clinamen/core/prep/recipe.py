"""A recipe: steps in order on an original. Quick to import: no NumPy here."""

from collections.abc import Iterable

from pydantic import Field, model_validator

from clinamen.core.parts import Part, Side
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps import AnyStep

KEEPING = 0.15  # s a megapixel


class Recipe(Part):
    """Steps in order on an original of `width` × `height` pixels."""

    width: Side
    height: Side
    steps: tuple[AnyStep, ...] = Field(default=(), max_length=200)

    @model_validator(mode="after")
    def size_is_possible(self) -> "Recipe":
        for frame in self.frames():
            if frame.width * frame.height > 64_000_000 or max(frame.width, frame.height) > 60_000:
                raise ValueError(f"makes {frame.width} × {frame.height} px; at most 64 megapixels are possible")
        return self

    def frames(self) -> Iterable[Frame]:
        """The frame of the original, then after each step."""
        frame = Frame(self.width, self.height)
        yield frame
        for step in self.steps:
            frame = step.frame(frame) if step.on else frame
            yield frame

    @property
    def final(self) -> Frame:
        return list(self.frames())[-1]

    @property
    def seconds(self) -> float:
        """About how long it takes to run the steps that are on at full size, and to keep what comes of them."""
        steps = sum(step.seconds(frame) for step, frame in zip(self.steps, self.frames(), strict=False) if step.on)
        return steps + KEEPING * self.final.megapixels if steps else 0.0

    @property
    def looks_at(self) -> set[str]:
        """Ids of the layers whose art the steps that are on look at."""
        return {layer for step in self.steps if step.on for layer in step.layers()}
