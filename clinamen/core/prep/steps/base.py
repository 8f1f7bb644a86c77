"""What a prep step is. A new one is one module beside this one, named in the package's list: its model with its words, what
it does to size and place, what it starts with, and its work.

A field with a `title` stands on the step's card under that name; a length says "px" by itself, "words" in
`json_schema_extra` say what each choice is called. Quick to import: the work imports what it needs when it runs.
"""

from collections.abc import Mapping, Sequence, Set
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Length, Part
from clinamen.core.prep.shapes import Box, Frame, Other

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around

Group = Literal["Cut", "Edge", "Behind", "Extend", "Shape", "Colour"]
Tool = Literal["", "outline", "box", "crop", "assisted", "pick", "retouch"]
Edges = tuple[float, float, float, float]
QUICK = 0.1  # s a megapixel, of a step that looks at each pixel a few times
SOFT_CUT = 0.5  # px; common practice, no source


class Step(Part):
    """Base of all steps. `title` is what people call it, `group` where it is offered, `tool` what the hand does on the
    light table while it is chosen; previews with a `heavy` step are made smaller, so that nobody waits for them."""

    title: ClassVar[str]
    group: ClassVar[Group]
    tool: ClassVar[Tool] = ""
    heavy: ClassVar[bool] = False

    on: bool = True

    @property
    def kind(self) -> str:
        """The word in documents."""
        return kind_of(type(self))

    @property
    def lower(self) -> str:
        """What people call it, within a sentence."""
        return self.title[0].lower() + self.title[1:]

    def frame(self, before: Frame) -> Frame:
        """Size and place after the step; most leave both alone."""
        return before

    def layers(self) -> tuple[str, ...]:
        """Ids of the layers whose art the step looks at."""
        return ()

    def waits(self, frame: Frame, others: Mapping[str, Other]) -> str:
        """What keeps the step from its work on a picture of this frame, in a sentence, and what to do; "" where nothing does.
        A step that waits leaves the picture as it is."""
        return ""

    def seconds(self, frame: Frame) -> float:
        """About how long the work takes at full size on a picture of this frame, in seconds on an ordinary machine: tells who
        waits how long it will be. Measured, see the bench."""
        return QUICK * frame.megapixels

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        """The picture [h, w, 4] after the step."""
        raise NotImplementedError

    def revised(self, changed: Set[str], before: Frame) -> "Step":
        """The step after these fields of it were set on a picture of this frame: where one number follows from another."""
        return self

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        """What a new step starts with on art of this size, where its own defaults cannot know; `others`: other layers."""
        return {}


class Cut(Step):
    """Base of cuts: what is chosen stays, the rest becomes clear; `invert` turns that round. `soften` in px."""

    group: ClassVar[Group] = "Cut"

    invert: bool = Field(default=False, title="keep the rest instead")
    soften: Length = Field(default=SOFT_CUT, title="edge softened")

    def kept_box(self) -> Edges | None:
        """A box (left, top, right, bottom) that holds all that stays; None where it may be anywhere."""
        return None


class BoxCut(Cut):
    """Base of cuts that keep what is in a box, at first the whole picture."""

    box: Box

    def kept_box(self) -> Edges | None:
        box = self.box
        return None if self.invert else (box.x, box.y, box.x + box.width, box.y + box.height)

    @classmethod
    def start(cls, width: int, height: int, others: Sequence[str]) -> dict[str, Any]:
        return {"box": {"x": 0, "y": 0, "width": width, "height": height}}


def kind_of(step: type[Step]) -> str:
    """The word of a kind of step in documents."""
    return str(step.model_fields["step"].default)
