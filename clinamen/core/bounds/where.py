"""A place on the view."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Where:
    """A rectangle of the view, in view pixels."""

    x: float
    y: float
    width: float
    height: float

    def to_json(self) -> dict[str, float]:
        return {name: round(getattr(self, name), 2) for name in ("x", "y", "width", "height")}
