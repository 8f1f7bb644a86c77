"""What steps are drawn with: points, outlines, boxes, strokes; and the frame that says how a picture's size and place change.

Quick to import: no NumPy here.
"""

from typing import Literal, NamedTuple

from pydantic import Field

from clinamen.core.parts import Length, Part, Place

MAX_POINTS = 5000
ALIKE = 0.01  # share by which two pictures' proportions may differ and still show one place


class Frame(NamedTuple):
    """Size of a picture; where its centre lies from the original's, in original pixels; its pixels per original one."""

    width: int
    height: int
    dx: float = 0.0
    dy: float = 0.0
    zoom: float = 1.0

    @property
    def megapixels(self) -> float:
        return self.width * self.height / 1e6

    def cropped(self, left: float, top: float, width: int, height: int) -> "Frame":
        """The frame of a window whose top left corner lies at (left, top) of this one."""
        return self._replace(
            width=width,
            height=height,
            dx=self.dx + (left + width / 2 - self.width / 2) / self.zoom,
            dy=self.dy + (top + height / 2 - self.height / 2) / self.zoom,
        )


class Other(NamedTuple):
    """Another layer as a step that looks at it is told of it: what it is called, and the size of its art."""

    label: str
    width: int
    height: int


class Point(Part):
    x: Place
    y: Place


class Node(Part):
    """A point of an outline with the Bézier handles that reach it and leave it, relative to the point."""

    x: Place
    y: Place
    in_x: Place = 0.0
    in_y: Place = 0.0
    out_x: Place = 0.0
    out_y: Place = 0.0


class Box(Part):
    x: Place
    y: Place
    width: Length = Field(gt=0)
    height: Length = Field(gt=0)


class Mark(Part):
    """A stroke that says what belongs to the subject and what does not."""

    belongs: bool
    radius: Length = Field(default=8.0, gt=0)
    points: tuple[Point, ...] = Field(min_length=1, max_length=MAX_POINTS)


class Stroke(Part):
    """A retouch stroke. "clone" copies from (`from_x`, `from_y`) away, its light fitted in; "heal" fills the spot from
    the place around it that fits best, or the next best ones, by `source`."""

    kind: Literal["clone", "heal"] = "heal"
    radius: Length = Field(default=20.0, gt=0)
    points: tuple[Point, ...] = Field(min_length=1, max_length=MAX_POINTS)
    from_x: Place = 0.0
    from_y: Place = 0.0
    source: int = Field(default=0, ge=0, le=1000)


def same_shape(width: int, height: int, other_width: int, other_height: int) -> bool:
    """True for sizes of one proportion, ALIKE and the rounding of a pixel aside."""
    one, other = width * other_height, other_width * height
    return abs(one - other) <= ALIKE * max(one, other) + max(width, height, other_width, other_height)
