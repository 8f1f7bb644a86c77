"""Film grain: grey noise about the middle, laid as an overlay."""

from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.made.kinds.base import Group, Made, Seed, amount
from clinamen.core.parts import Share

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources


class Grain(Made):
    """Grey noise about the middle, to be laid as an overlay; `grain` is the size of a grain."""

    title: ClassVar[str] = "Film grain"
    group: ClassVar[Group] = "Film"
    sharp: ClassVar[bool] = False
    tiles: ClassVar[tuple[bool, bool]] = (True, True)
    blend: ClassVar[str] = "overlay"
    starts_with: ClassVar[dict[str, Any]] = {"strength": 0.03}  # felt more than seen; common practice, no source

    kind: Literal["grain"] = "grain"
    grain: float = amount("grain", 1.5, 0.5, 40, 0.1, "px", 8)
    strength: Share = Field(default=0.35, title="strength")
    seed: Seed = Field(default=1, title="seed")

    def usual_size(self, view: tuple[int, int]) -> tuple[int, int]:
        return 512, 512

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        from clinamen.core.made.noise import grains

        return grains(width, height, scale, self.grain, self.strength, self.seed)
