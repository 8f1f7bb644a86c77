"""What a recipe is made of: each prep step as a part of the document, with what it does to size and place.

All lengths are pixels of the picture that the step is given. `step` names the kind; `on` switches it. The work itself
is done in the other modules of this package; this one must stay quick to import: no NumPy here.
"""

from collections.abc import Iterable
from typing import Annotated, Literal, NamedTuple, get_args

from pydantic import Field, model_validator

from clinamen.core.parts import Colour, Length, Part, Pixels, Share, Side

MAX_POINTS = 5000
SOFT_CUT = 0.5  # px; common practice, no source
GROW_HOLE = 10  # px; common practice, no source


class Frame(NamedTuple):
    """Size of a picture; where its centre lies from the original's, in original pixels; its pixels per original one."""

    width: int
    height: int
    dx: float = 0.0
    dy: float = 0.0
    zoom: float = 1.0

    def cropped(self, left: float, top: float, width: int, height: int) -> "Frame":
        """The frame of a window whose top left corner lies at (left, top) of this one."""
        return self._replace(
            width=width,
            height=height,
            dx=self.dx + (left + width / 2 - self.width / 2) / self.zoom,
            dy=self.dy + (top + height / 2 - self.height / 2) / self.zoom,
        )


class Point(Part):
    x: Pixels
    y: Pixels


class Node(Part):
    """A point of an outline with the Bézier handles that reach it and leave it, relative to the point."""

    x: Pixels
    y: Pixels
    in_x: Pixels = 0.0
    in_y: Pixels = 0.0
    out_x: Pixels = 0.0
    out_y: Pixels = 0.0


class Box(Part):
    x: Pixels
    y: Pixels
    width: Length = Field(gt=0)
    height: Length = Field(gt=0)


class Step(Part):
    """Base of all steps."""

    on: bool = True

    def frame(self, before: Frame) -> Frame:
        """Size and place after the step; most leave both alone."""
        return before

    def layers(self) -> tuple[str, ...]:
        """Ids of the layers whose art the step looks at."""
        return ()


class Cut(Step):
    """Base of cuts: what is chosen stays, the rest becomes clear; `invert` turns that round. `soften` in px."""

    invert: bool = False
    soften: Length = SOFT_CUT


class OutlineCut(Cut):
    """Cut along a closed outline of straight lines and cubic Béziers."""

    step: Literal["outline"] = "outline"
    nodes: tuple[Node, ...] = Field(min_length=3, max_length=MAX_POINTS)


class RectangleCut(Cut):
    """Cut out a rectangle, its corners rounded by `radius`."""

    step: Literal["rectangle"] = "rectangle"
    box: Box
    radius: Length = 0.0


class KeyCut(Cut):
    """Take a flat colour away: within `tolerance` (CIE76 ΔE) wholly, fading over `softness` more; `spill` takes the
    colour's cast off what stays."""

    step: Literal["key"] = "key"
    colour: Colour
    tolerance: float = Field(default=20.0, ge=0, le=200)
    softness: float = Field(default=20.0, ge=0, le=200)
    spill: Share = 1.0


class BrightnessCut(Cut):
    """Keep what is as bright as `low` to `high` (CIE L* from 0 to 1), fading over `softness` outside."""

    step: Literal["brightness"] = "brightness"
    low: Share = 0.5
    high: Share = 1.0
    softness: Share = 0.1


class Mark(Part):
    """A stroke that says what belongs to the subject and what does not."""

    belongs: bool
    radius: Length = Field(default=8.0, gt=0)
    points: tuple[Point, ...] = Field(min_length=1, max_length=MAX_POINTS)


class AssistedCut(Cut):
    """Cut a subject out of a box, helped by marks. `matting`: px on both sides of the edge whose alpha is refined."""

    step: Literal["assisted"] = "assisted"
    soften: Length = 0.0
    box: Box
    marks: tuple[Mark, ...] = Field(default=(), max_length=500)
    matting: Length = 6.0


class DifferenceCut(Cut):
    """Keep what differs from another layer's picture of the same place, by more than `tolerance` (ΔE)."""

    step: Literal["difference"] = "difference"
    layer: str
    tolerance: float = Field(default=12.0, ge=0, le=200)
    softness: float = Field(default=12.0, ge=0, le=200)

    def layers(self) -> tuple[str, ...]:
        return (self.layer,)


class Soften(Step):
    """Soften the edge: alpha blurred by a Gaussian of `radius` px (its standard deviation)."""

    step: Literal["soften"] = "soften"
    radius: Length = SOFT_CUT


class Grow(Step):
    """Move the edge outwards by `by` px, inwards where it is negative."""

    step: Literal["grow"] = "grow"
    by: Pixels = 1.0


class Smooth(Step):
    """Round off the edge's corners and notches smaller than `radius` px."""

    step: Literal["smooth"] = "smooth"
    radius: Length = 4.0


class Solid(Step):
    """A solid edge: alpha at or above `threshold` becomes 1, the rest 0."""

    step: Literal["solid"] = "solid"
    threshold: Share = 0.5


class Fringe(Step):
    """Colours within `reach` px of the edge computed anew from the inside, so that no old background shows."""

    step: Literal["fringe"] = "fringe"
    reach: Length = 4.0


class Bleed(Step):
    """Edge colours carried `reach` px out under clear pixels, so that filtering never darkens an edge."""

    step: Literal["bleed"] = "bleed"
    reach: Length = 16.0


class Fill(Step):
    """Fill what a cut left open: grow the hole by `grow` px, then fill it `reach` px inwards from its outline.

    `behind` names the layer that was cut out: the proof then says whether the move uncovers more than is filled.
    """

    step: Literal["fill"] = "fill"
    method: Literal["smooth", "texture"] = "smooth"
    grow: Length = GROW_HOLE
    reach: Length = 40.0
    behind: str = ""


class Stroke(Part):
    """A retouch stroke. "clone" copies from (`from_x`, `from_y`) away, its light fitted in; "heal" fills the spot."""

    kind: Literal["clone", "heal"] = "heal"
    radius: Length = Field(default=20.0, gt=0)
    points: tuple[Point, ...] = Field(min_length=1, max_length=MAX_POINTS)
    from_x: Pixels = 0.0
    from_y: Pixels = 0.0


class Retouch(Step):
    """Strokes by hand over what a fill got wrong, in the order they were made."""

    step: Literal["retouch"] = "retouch"
    strokes: tuple[Stroke, ...] = Field(default=(), max_length=500)


class Extend(Step):
    """More art on each side. The last `overlap` px of the old art run softly into the new."""

    step: Literal["extend"] = "extend"
    left: int = Field(default=0, ge=0, le=60000)
    right: int = Field(default=0, ge=0, le=60000)
    top: int = Field(default=0, ge=0, le=60000)
    bottom: int = Field(default=0, ge=0, le=60000)
    method: Literal["repeat", "flip", "stretch", "fill"] = "stretch"
    overlap: int = Field(default=0, ge=0, le=4000)

    def frame(self, before: Frame) -> Frame:
        width, height = before.width + self.left + self.right, before.height + self.top + self.bottom
        return before.cropped(-self.left, -self.top, width, height)


class Crop(Step):
    """Keep a window of whole pixels."""

    step: Literal["crop"] = "crop"
    x: int = Field(ge=-60000, le=60000)
    y: int = Field(ge=-60000, le=60000)
    width: Side
    height: Side

    def frame(self, before: Frame) -> Frame:
        left, top = max(0, min(self.x, before.width - 1)), max(0, min(self.y, before.height - 1))
        right = max(left + 1, min(before.width, self.x + self.width))
        bottom = max(top + 1, min(before.height, self.y + self.height))
        return before.cropped(left, top, right - left, bottom - top)


class Flip(Step):
    """Mirror across ("x") or upside down ("y")."""

    step: Literal["flip"] = "flip"
    axis: Literal["x", "y"] = "x"


class Turn(Step):
    """Turn by quarters, clockwise."""

    step: Literal["turn"] = "turn"
    quarters: Literal[1, 2, 3] = 1

    def frame(self, before: Frame) -> Frame:
        return before._replace(width=before.height, height=before.width) if self.quarters != 2 else before


class Resize(Step):
    """Another size in pixels: averaged ("area") or by a Lanczos kernel; the framing keeps the size it is seen at."""

    step: Literal["resize"] = "resize"
    width: Side
    height: Side
    filter: Literal["area", "lanczos"] = "area"

    def frame(self, before: Frame) -> Frame:
        return before._replace(width=self.width, height=self.height, zoom=before.zoom * self.width / before.width)


class Canvas(Step):
    """Put the picture in the middle of a canvas; larger ones leave clear pixels around, smaller ones cut."""

    step: Literal["canvas"] = "canvas"
    width: Side
    height: Side

    def frame(self, before: Frame) -> Frame:
        return before.cropped(
            (before.width - self.width) // 2, (before.height - self.height) // 2, self.width, self.height
        )


class Match(Step):
    """Take on the tone and colour of another layer: mean and spread in CIE L*a*b*, by `strength`."""

    step: Literal["match"] = "match"
    layer: str
    strength: Share = 1.0

    def layers(self) -> tuple[str, ...]:
        return (self.layer,)


AnyStep = Annotated[
    OutlineCut | RectangleCut | KeyCut | BrightnessCut | AssistedCut | DifferenceCut
    | Soften | Grow | Smooth | Solid | Fringe | Bleed | Fill | Retouch | Extend
    | Crop | Flip | Turn | Resize | Canvas | Match,
    Field(discriminator="step"),
]  # fmt: skip
STEPS: dict[str, type[Step]] = {kind.model_fields["step"].default: kind for kind in get_args(get_args(AnyStep)[0])}


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
    def looks_at(self) -> set[str]:
        """Ids of the layers whose art the steps that are on look at."""
        return {layer for step in self.steps if step.on for layer in step.layers()}
