"""What falls and floats: a tile without a joint, seeded, that moves by whole tiles over a loop."""

from typing import ClassVar

from clinamen.core.made.kinds.base import Group, Made


class Falling(Made):
    """Base: a kind says how many things a tile of a thousand pixels square holds, how large they are, and how they fall."""

    group: ClassVar[Group] = "Weather"
    tiles: ClassVar[tuple[bool, bool]] = (True, True)

    def usual_size(self, view: tuple[int, int]) -> tuple[int, int]:
        side = max(256, min(1600, max(view)))
        return side, side
