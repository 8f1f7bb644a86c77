"""What a look step is. A new one is one module beside this one, named in the package's list: its model with its words, its work
on pixels, and the same as primitives of an SVG filter, by which the editor shows it at once.

Lengths are scene pixels. Colours are sRGB values as they are coded (IEC 61966-2-1) unless a step says otherwise. A step that
works on each pixel by itself gives a matrix or tables; both its work and its filter are made of those.
"""

from typing import TYPE_CHECKING, Any, ClassVar, Literal

from pydantic import Field

from clinamen.core.parts import Part

if TYPE_CHECKING:
    from clinamen.core.arrays import Floats, Planes
    from clinamen.core.look.filters import Filter

Group = Literal["Colour", "Tone", "Edge", "Light", "Softness"]


def amount(
    title: str, default: float, low: float, high: float, step: float = 0.01, unit: str = "", usual: float = 0.0
) -> Any:
    """A number with a name of its own, from `low` to `high`, nudged by `step`; a slider ends at `usual`."""
    extra: dict[str, Any] = {"step": step, "unit": unit, **({"usual": usual} if usual else {})}
    return Field(default=default, ge=low, le=high, title=title, json_schema_extra=extra)


class LookStep(Part):
    """Base of all look steps. `title` is what people call it, `group` where it is offered."""

    title: ClassVar[str]
    group: ClassVar[Group]

    on: bool = True

    @property
    def kind(self) -> str:
        """The word in documents."""
        return kind_of(type(self))

    @property
    def lower(self) -> str:
        """What people call it, within a sentence."""
        return self.title[0].lower() + self.title[1:]

    def reach(self) -> float:
        """Scene pixels by which it reaches beyond what it works on."""
        return 0.0

    def work(self, planes: "Planes", scale: float) -> "Planes":
        """Straight planes [h, w, 4] within 0…1 after the step, at `scale` pixels a scene pixel."""
        raise NotImplementedError

    def filter(self, made: "Filter", scale: float) -> None:
        """Add the step's primitives to an SVG filter whose unit is 1/`scale` scene pixels; nothing where it has no words."""


class MatrixStep(LookStep):
    """Base of steps that are one matrix for coded colours, as feColorMatrix has it."""

    def matrix(self) -> "Floats":
        """[3, 4]: for red, green and blue, with what is added in the last column."""
        raise NotImplementedError

    def work(self, planes: "Planes", scale: float) -> "Planes":
        from clinamen.core.look.working import multiplied

        return multiplied(planes, self.matrix())

    def filter(self, made: "Filter", scale: float) -> None:
        made.matrix(self.matrix())


class TableStep(LookStep):
    """Base of steps that are a curve for each colour channel, told at 256 even places from 0 to 1."""

    def tables(self) -> "Floats":
        """[3, 256] within 0…1."""
        raise NotImplementedError

    def work(self, planes: "Planes", scale: float) -> "Planes":
        from clinamen.core.look.working import looked_up

        return looked_up(planes, self.tables())

    def filter(self, made: "Filter", scale: float) -> None:
        made.tables(self.tables())


def kind_of(step: type[LookStep]) -> str:
    """The word of a kind of step in documents."""
    return str(step.model_fields["step"].default)
