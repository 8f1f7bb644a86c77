"""Fill: what a cut left open; the hole grown by `grow` px, then filled `reach` px inwards from its outline.

`behind` names the layer that was cut out: the proof then says whether the move uncovers more than is filled.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import LayerName, Length
from clinamen.core.prep.shapes import Frame
from clinamen.core.prep.steps.base import Group, Step

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.prep.base import Around

GROW_HOLE = 10  # px; common practice, no source
SMOOTH, TEXTURE = 0.7, 1.0  # s a megapixel


class Fill(Step):
    """What a cut left open; the hole grown by `grow` px, then filled `reach` px inwards from its outline. `behind`
    names the layer that was cut out: the proof then says whether the move uncovers more than is filled.
    """

    title: ClassVar[str] = "Fill behind"
    group: ClassVar[Group] = "Behind"

    step: Literal["fill"] = "fill"
    method: Literal["smooth", "texture"] = Field(
        default="smooth",
        title="how",
        json_schema_extra={"words": {"smooth": "run colours on", "texture": "by texture"}},
    )
    grow: Length = Field(default=GROW_HOLE, title="hole grown")
    reach: Length = Field(default=40.0, title="reach")
    behind: LayerName = Field(default="", title="behind")

    def seconds(self, frame: Frame) -> float:
        return (SMOOTH if self.method == "smooth" else TEXTURE) * frame.megapixels

    def work(self, pixels: "Pixels", around: "Around") -> "Pixels":
        from clinamen.core.prep.fill import fill

        return fill(pixels, self, around)
