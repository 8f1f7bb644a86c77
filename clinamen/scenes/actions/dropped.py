"""A file as it was uploaded."""

from typing import Protocol


class Dropped(Protocol):
    """What is known of it, and its bytes."""

    @property
    def name(self) -> str | None: ...

    @property
    def size(self) -> int | None: ...

    def read(self) -> bytes: ...
