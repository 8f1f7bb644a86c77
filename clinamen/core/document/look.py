"""What a whole scene looks through and is lit by: air, light, the film; and what of it a layer takes."""

from typing import ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Colour, Finite, Part, Sparse


class Air(Part):
    """What stands between eye and layers: its colour, and the distance in scene pixels at which 2 % of the contrast is left
    (meteorological visibility); null where the air is clear."""

    colour: Colour = "#c9d6df"
    visibility: float | None = Field(default=None, gt=0, le=1e12)


class KeyLight(Part):
    """A light at a place of the framing (view pixels from the view's centre) and a depth; at `reach` scene pixels from it a sheet
    gets half of what it gets beside it."""

    x: Finite = 0.0
    y: Finite = 0.0
    depth: Finite = 0.0
    reach: float = Field(default=1000.0, gt=0, le=1e9)
    level: float = Field(default=1.0, ge=0, le=100)
    colour: Colour = "#ffffff"


class Light(Part):
    """What falls on every sheet alike, `ambient` of `colour`, and a key light; 1 of white changes nothing."""

    ambient: float = Field(default=1.0, ge=0, le=100)
    colour: Colour = "#ffffff"
    key: KeyLight | None = None


class Film(Part):
    """How long a frame is open in degrees (360 a whole frame), and at how many moments of that it is drawn."""

    shutter: float = Field(default=0.0, ge=0, le=720)
    samples: int = Field(default=8, ge=1, le=256)


class Frame(Part):
    """What of the view is left open: `aspect` (width over height; null: all of it) between bars, with `corners` rounded (view
    pixels) or as an ellipse; outside lies `colour`."""

    aspect: float | None = Field(default=None, ge=0.1, le=10)
    corners: float = Field(default=0.0, ge=0, le=16384)
    shape: Literal["box", "ellipse"] = "box"
    colour: Colour = "#000000"

    def opening(self, width: float, height: float) -> tuple[float, float, float, float]:
        """Left, top, width and height of what is open, before a view of this size."""
        if self.aspect is None:
            return 0.0, 0.0, width, height
        wide, high = min(width, height * self.aspect), min(height, width / self.aspect)
        return (width - wide) / 2, (height - high) / 2, wide, high


class Takes(Sparse):
    """Which of the scene's air, focus and light a layer takes on."""

    later: ClassVar[frozenset[str]] = frozenset({"air", "focus", "light"})

    air: bool = True
    focus: bool = True
    light: bool = True


class Backdrop(Part):
    """What a layer does to all that is behind it: `blur` (σ in view pixels), `saturation`."""

    blur: float = Field(default=0.0, ge=0, le=1000)
    saturation: float = Field(default=1.0, ge=0, le=10)


__all__ = ["Air", "Backdrop", "Film", "Frame", "KeyLight", "Light", "Takes"]
