"""What a kind of made art is. A new one is one module beside this one, named in the package's list: its model with its words,
what it starts with, how it moves if it moves by itself, and its painting.

Lengths are art pixels. The same numbers and seed give the same picture on every machine. Quick to import: painting
imports what it needs when it runs.
"""

from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import LayerId, Part

if TYPE_CHECKING:
    from clinamen.core.arrays import Pixels
    from clinamen.core.made.sources import Sources

Group = Literal["Words", "Plain", "Weather", "Film", "Shadow"]
Seed = Annotated[int, Field(ge=0, le=2**31 - 1)]


def amount(
    title: str, default: float, low: float, high: float, step: float = 1.0, unit: str = "px", usual: float = 0.0
) -> Any:
    """A number with a name of its own, from `low` to `high`, nudged by `step`; a slider ends at `usual`."""
    extra: dict[str, Any] = {"step": step, "unit": unit, **({"usual": usual} if usual else {})}
    return Field(default=default, ge=low, le=high, title=title, json_schema_extra=extra)


class Made(Part):
    """Base of all kinds. `title` is what people call it; `sharp`: painted anew at every size, so that it is never soft; `tiles`:
    it goes on along x and y; `blend`: how a new layer of it is laid; `starts_with`: fields of a new one that are not a document's
    defaults."""

    title: ClassVar[str]
    group: ClassVar[Group]
    sharp: ClassVar[bool] = True
    tiles: ClassVar[tuple[bool, bool]] = (False, False)
    blend: ClassVar[str] = "normal"
    starts_with: ClassVar[dict[str, Any]] = {}

    @property
    def word(self) -> str:
        """The word in documents."""
        return word_of(type(self))

    def usual_size(self, view: tuple[int, int]) -> tuple[int, int]:
        """Width and height of a new layer of it, before a view of this size."""
        return view

    def falls(self) -> tuple[float, float] | None:
        """How fast it moves by itself, in px a second across and down; None for what keeps still."""
        return None

    def paint(self, width: int, height: int, scale: float, sources: "Sources") -> "Pixels":
        """Straight pixels [h, w, 4] of the art of this size at `scale` pixels an art pixel."""
        raise NotImplementedError

    def looks_at(self) -> LayerId | None:
        """The layer whose art it is made from."""
        return None


def word_of(kind: type[Made]) -> str:
    """The word of a kind in documents."""
    return str(kind.model_fields["kind"].default)
