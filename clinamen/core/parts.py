"""What every part of a document is built from: strict models and bounded numbers. Quick to import: no NumPy here."""

import re
from collections.abc import Hashable, Mapping
from functools import lru_cache
from pathlib import PurePosixPath
from typing import Annotated, Any, ClassVar, Self

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    SerializerFunctionWrapHandler,
    model_serializer,
)

from clinamen.core.cached import cached_property

MAX_ART_SIDE = 60000


class Grows:
    """Marks a number that is a length in pixels of a picture, and so grows with it."""


class NamesLayer:
    """Marks a text that names another layer."""


def _stays_inside(value: str) -> str:
    path = PurePosixPath(value)
    outside = path.is_absolute() or ".." in path.parts or "\\" in value or "\0" in value
    if outside or re.match(r"^[A-Za-z][A-Za-z0-9+.-]*:", value):
        raise ValueError(f"must be a file beside the scene, not {value!r}; use a relative path without '..'")
    return value


FileName = Annotated[str, Field(max_length=400), AfterValidator(_stays_inside)]
Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]
Angle = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360)]
Share = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1)]
Place = Annotated[float, Field(allow_inf_nan=False, ge=-2 * MAX_ART_SIDE, le=2 * MAX_ART_SIDE), Grows()]
Length = Annotated[float, Field(allow_inf_nan=False, ge=0, le=MAX_ART_SIDE), Grows()]
WholePlace = Annotated[int, Field(ge=-MAX_ART_SIDE, le=MAX_ART_SIDE), Grows()]
WholeLength = Annotated[int, Field(ge=0, le=MAX_ART_SIDE), Grows()]
Side = Annotated[int, Field(ge=1, le=MAX_ART_SIDE), Grows()]
LayerName = Annotated[str, NamesLayer()]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
LayerId = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")]


def without_controls(text: str) -> str:
    """A name out of somebody's file, without the characters that no text can keep or show: NUL and its kin."""
    return "".join(each for each in text if each >= " " and each != "\x7f")


class Part(BaseModel):
    """Base of every part of the document: unknown fields refused, numbers finite, values not changed in place."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, ignored_types=(cached_property,))

    @cached_property
    def as_json(self) -> str:
        """This part as JSON text: what it says, to tell it from others by. Written once, as nothing in it changes in place."""
        return self.model_dump_json()

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with other values, which remembers nothing of what this one says."""
        made = super().model_copy(update=update, deep=deep)
        made.__dict__.pop("as_json", None)
        return made


def said(part: object) -> Hashable:
    """What a part says, or each of several, to tell it from others by: a part's own JSON, which it writes much quicker than its
    repr."""
    if isinstance(part, Part):
        return part.as_json
    return tuple(said(each) for each in part) if isinstance(part, list | tuple) else part


class Sparse(Part):
    """A part that leaves out of its text what came later and is not used, so that such documents read as they did before."""

    later: ClassVar[frozenset[str]] = frozenset()

    @model_serializer(mode="wrap")
    def _without_what_is_not_used(self, written: SerializerFunctionWrapHandler) -> dict[str, Any]:
        fields: dict[str, Any] = written(self)
        for name, default in _defaults(type(self)):
            if getattr(self, name) == default:
                fields.pop(name, None)
        return fields


@lru_cache(maxsize=64)
def _defaults(part: type[Sparse]) -> tuple[tuple[str, Any], ...]:
    return tuple((name, part.model_fields[name].default) for name in part.later)
