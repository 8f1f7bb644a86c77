"""Ground shadow: another layer's silhouette, coloured, softened, fading with distance from its feet, to be laid on the floor.

It is painted standing, feet below: lean and stretch of its layer lay it down, skew lets it fall to a side. The feet are the foot
line found in the alpha: the lowest row in which the silhouette is anywhere half opaque.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, amount
from clinamen.core.parts import Colour, LayerId, Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Shadow(Made):
    """`of`: the layer that throws it, `lit` by the key light, which lays it anew when it moves; `softness` at
    the feet and how much it `grows` by the head; `fades`: what is gone there."""

    title: ClassVar[str] = "Ground shadow"
    group: ClassVar[Group] = "Shadow"
    sharp: ClassVar[bool] = False
    blend: ClassVar[str] = "multiply"

    kind: Literal["shadow"] = "shadow"
    of: LayerId
    lit: bool = False
    colour: Colour = Field(default="#0a0c14", title="colour")
    opacity: Share = Field(default=0.6, title="opacity")
    softness: float = amount("softness", 4.0, 0, 500, 0.5, "px", 60)
    grows: float = amount("softer by the head", 10.0, 0, 500, 0.5, "px", 60)
    fades: Share = Field(default=0.6, title="fades by the head")

    def looks_at(self) -> LayerId:
        return self.of

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        """All cells of an actor, in a grid as its own; `width` and `height` are the whole strip's."""
        from clinamen.core.made.shadows import cast

        return cast(self, width, height, scale, sources)
