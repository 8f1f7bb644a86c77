"""Labels: the words of a drawing placed so that none lies over another.

Those that ask first have their place; what finds none waits until it is pointed at.
"""

from collections.abc import Iterable
from typing import Literal

LETTER, HIGH = 6.8, 11.0  # page px: how wide and how high a letter is
APART = 2.0  # page px between two labels

Side = Literal["", "start", "end"]  # where words begin or end at their place; in the middle of it
Box = tuple[float, float, float, float]  # left, top, right, bottom


class Labels:
    """The places that are taken on one drawing."""

    def __init__(self) -> None:
        self.taken: list[Box] = []

    def keep_off(self, x: float, y: float, reach: float) -> None:
        """Leave a square for something that is no label."""
        self.taken.append((x - reach, y - reach, x + reach, y + reach))

    def place(self, text: str, x: float, heights: Iterable[float], side: Side = "") -> float | None:
        """The first of some base lines at which the text lies over nothing; None where there is none."""
        wide = LETTER * len(text)
        left = x - {"": wide / 2, "start": 0.0, "end": wide}[side]
        for base in heights:
            box = left - APART, base - HIGH, left + wide + APART, base + APART
            if not any(_over(box, other) for other in self.taken):
                self.taken.append(box)
                return base
        return None


def _over(one: Box, other: Box) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]
