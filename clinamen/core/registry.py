"""A registry: entries by name, in the order in which they were added. A doubled or nameless entry is refused."""

from collections.abc import Iterator, Mapping
from typing import TypeVar

Entry = TypeVar("Entry")


class Registry(Mapping[str, Entry]):
    """Entries of one kind; `what` names the kind in messages."""

    def __init__(self, what: str) -> None:
        self.what = what
        self._entries: dict[str, Entry] = {}

    def add(self, name: str, entry: Entry) -> Entry:
        """Put an entry under its name; ValueError where it has none, or the name is taken."""
        if not name or name != name.strip():
            raise ValueError(f"{self.what}: an entry needs a name, not {name!r}")
        if name in self._entries:
            raise ValueError(f"{self.what}: {name!r} is registered twice")
        self._entries[name] = entry
        return entry

    def __getitem__(self, name: str) -> Entry:
        return self._entries[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._entries)

    def __len__(self) -> int:
        return len(self._entries)
