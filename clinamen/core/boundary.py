"""The boundary: what the core itself had no words for, but a user can act on, becomes one of its own sentences, the same on
the page and on the command line.
"""

from collections.abc import Callable
from typing import TypeVar

from pydantic import ValidationError

from clinamen.core.document.reading import problems_of
from clinamen.core.errors import BadArt, BadEdit, ClinamenError

T = TypeVar("T")
NUL = "\x00"


def worded(error: Exception, source: str = "") -> ClinamenError | None:
    """The sentence for an exception; None where it is a fault of the program."""
    place = f"{source}: " if source else ""
    if isinstance(error, ClinamenError):
        return error
    if isinstance(error, ValidationError):
        return BadArt(f"{place}{next(iter(problems_of(error)))}; correct it and try again")
    if isinstance(error, RecursionError):
        return BadArt(f"{place}is nested too deeply to be read; make it flatter")
    if isinstance(error, MemoryError):
        return BadArt(f"{place}needs more memory than there is here; make it smaller")
    return None


def within(source: str, work: Callable[[], T]) -> T:
    """What `work` returns; what goes wrong in it is said in the core's own sentences where there are any."""
    try:
        return work()
    except Exception as error:
        known = worded(error, source)
        if known is None or known is error:
            raise
        raise known from None


class Asked(dict[str, str]):
    """The values of an edit: one that is needed and not there is said by its name."""

    def __missing__(self, name: str) -> str:
        raise BadEdit(f"{name}: is missing; say what it shall be")


def without_nul(name: str, value: str) -> None:
    """BadEdit for text that holds a NUL, which nothing here can keep."""
    if NUL in name or NUL in value:
        raise BadEdit(f"{name.replace(NUL, '')}: holds a NUL character, which cannot be kept; take it out")
