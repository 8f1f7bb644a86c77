"""A layer: one flat sheet of art, how it is framed, how it stands, and how it is laid over what is behind it."""

from typing import ClassVar, Literal, get_args

from pydantic import Field, model_validator

from clinamen.core.document.ground import Foot
from clinamen.core.document.look import Backdrop, Takes
from clinamen.core.look.steps import AnyLook
from clinamen.core.made.kinds import AnyMade
from clinamen.core.parts import MAX_ART_SIDE, Angle, FileName, Finite, LayerId, Part, Sparse
from clinamen.core.prep.recipe import Recipe

Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "add",
]  # fmt: skip
BLEND_MODES: tuple[str, ...] = get_args(Blend)
Repetition = Literal["none", "tile", "mirror"]


class Art(Sparse):
    """The picture a layer shows: a file beside the document, or made from a few numbers; and its size in art pixels (after the
    layer's recipe)."""

    later: ClassVar[frozenset[str]] = frozenset({"file", "made"})

    file: FileName = ""
    made: AnyMade | None = None
    width: int = Field(ge=1, le=MAX_ART_SIDE)
    height: int = Field(ge=1, le=MAX_ART_SIDE)

    @model_validator(mode="after")
    def is_one_of_both(self) -> "Art":
        if not self.file and self.made is None:
            raise ValueError("file: is missing; name a file beside the scene, or say what is made")
        if self.file and self.made is not None:
            raise ValueError("made: stands beside a file; take one of both out")
        return self

    @property
    def group(self) -> str:
        """The group of what is made, as "Weather" or "Film"; "" of a file."""
        return self.made.group if self.made else ""

    @property
    def called(self) -> str:
        """The art in a message: its file, or what is made."""
        return self.file or (self.made.title if self.made else "")


class Framing(Sparse):
    """Where the layer sits as the resting camera sees it: view pixels from the view centre, degrees clockwise. Before that its
    art is made `stretch` times as high, and each art pixel down moves tan(`skew`) across."""

    later: ClassVar[frozenset[str]] = frozenset({"stretch", "skew"})

    x: Finite = 0.0
    y: Finite = 0.0
    scale: float = Field(default=1.0, gt=0, le=10000)
    rotation: Finite = 0.0
    stretch: float = Field(default=1.0, gt=0, le=1000)
    skew: float = Field(default=0.0, ge=-89, le=89)


class Tilt(Part):
    """How a layer stands, in degrees: `lean` back (90 lies on the floor), `turn` about its vertical axis."""

    lean: Angle = 0.0
    turn: Angle = 0.0


class Repeat(Part):
    x: Repetition = "none"
    y: Repetition = "none"


class Anchor(Part):
    """The point of the art that stays put while tracks scale and turn the layer: art pixels from the art's centre."""

    x: Finite = 0.0
    y: Finite = 0.0


class Frames(Part):
    """An actor's strip: the file is a grid of cells, `columns` × `rows`, first row first, of which `count` are shown, `fps` a
    second of the scene's time, `offset` seconds in. The layer's art is one cell."""

    columns: int = Field(ge=1, le=1000)
    rows: int = Field(ge=1, le=1000)
    count: int = Field(ge=1, le=100_000)
    fps: float = Field(default=12.0, gt=0, le=240)
    offset: float = Field(default=0.0, ge=-36000, le=36000)
    play: Literal["cycle", "once", "to-and-fro"] = "cycle"

    @model_validator(mode="after")
    def fits_the_grid(self) -> "Frames":
        if self.count > self.columns * self.rows:
            most = self.columns * self.rows
            raise ValueError(
                f"{self.columns} × {self.rows} cells hold {most}, not {self.count}; lower count or add rows"
            )
        return self


class Layer(Sparse):
    """`group` names the group a layer belongs to; groups within groups by " / ". `recipe`: what is done to the file. `carrier`:
    the carrier or layer that it goes along with. `foot`: where it meets the ground, which says its depth."""

    later: ClassVar[frozenset[str]] = frozenset(
        {"anchor", "carrier", "foot", "frames", "look", "locked", "takes", "backdrop"}
    )

    id: LayerId
    name: str = Field(default="", max_length=200)
    group: str = Field(default="", max_length=200)
    art: Art
    recipe: Recipe | None = None
    depth: Finite | Literal["infinite"] = 0.0
    framing: Framing = Framing()
    tilt: Tilt = Tilt()
    opacity: float = Field(default=1.0, ge=0, le=1)
    blend: Blend = "normal"
    visible: bool = True
    repeat: Repeat = Repeat()
    anchor: Anchor = Anchor()
    carrier: LayerId | None = None
    foot: Foot | None = None
    frames: Frames | None = None
    look: tuple[AnyLook, ...] = Field(default=(), max_length=100)
    locked: bool = False
    takes: Takes = Takes()
    backdrop: Backdrop | None = None

    @model_validator(mode="after")
    def made_art_is_as_it_is(self) -> "Layer":
        if self.art.made is not None and self.recipe is not None:
            raise ValueError("made art has no recipe; change its numbers, or take recipe out")
        return self

    @model_validator(mode="after")
    def an_actor_is_plain(self) -> "Layer":
        if self.frames is None:
            return self
        if self.recipe is not None:
            raise ValueError("an actor's cells are brought in ready; take recipe out, or frames")
        if self.repeats:
            raise ValueError("an actor does not repeat; set repeat to none, or take frames out")
        if max(self.strip) > MAX_ART_SIDE:
            raise ValueError(f"its strip would be {self.strip[0]} × {self.strip[1]} px, which is too large")
        return self

    @property
    def strip(self) -> tuple[int, int]:
        """Width and height of the file's picture: the art, or all cells of an actor."""
        columns, rows = (self.frames.columns, self.frames.rows) if self.frames else (1, 1)
        return self.art.width * columns, self.art.height * rows

    @property
    def repeats(self) -> bool:
        """True where the art goes on along either axis."""
        return self.repeat.x != "none" or self.repeat.y != "none"

    @property
    def label(self) -> str:
        return self.name or self.id
