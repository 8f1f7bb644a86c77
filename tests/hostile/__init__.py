"""Hostile files, made when they are needed: one generator each, with the words that its refusal must hold.

A module here holds a family; `HOSTILE` lists all of them. A file whose words are empty is accepted, as what it can be.
"""

import importlib
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Hostile:
    """A file by its name, what makes its bytes, and the words that refuse it ("": it is taken)."""

    file: str
    make: Callable[[], bytes]
    says: str

    @property
    def id(self) -> str:
        return self.make.__name__


HOSTILE: list[Hostile] = []


def hostile(file: str, says: str) -> Callable[[Callable[[], bytes]], Callable[[], bytes]]:
    """Put a generator into the corpus."""

    def put(make: Callable[[], bytes]) -> Callable[[], bytes]:
        HOSTILE.append(Hostile(file, make, says))
        return make

    return put


for _module in pkgutil.iter_modules(__path__):
    importlib.import_module(f"{__name__}.{_module.name}")
