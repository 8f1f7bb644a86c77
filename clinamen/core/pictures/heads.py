"""A picture's head: what is known of a file without unpacking it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Head:
    """Size, file format, and whether there is an alpha channel."""

    width: int
    height: int
    format: str
    has_alpha: bool
