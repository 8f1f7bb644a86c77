"""What the painting of made art may look at."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels


@dataclass(frozen=True)
class Sources:
    """What painting may look at: `art` gives another layer's art as cells [h, w, 4], one of what is no actor, and the columns and
    rows of their grid."""

    art: "Callable[[str], tuple[list[Pixels], int, int]]"
