"""What a whole scene looks through and is lit by: air, light, the film; and what of it a layer takes."""

from typing import ClassVar

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


__all__ = ["Air", "Backdrop", "Film", "KeyLight", "Light", "Takes"]
