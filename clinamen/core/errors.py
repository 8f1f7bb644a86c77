"""What goes wrong, said in one sentence that a user can act on."""

from dataclasses import dataclass


class ClinamenError(Exception):
    """Something the user gave cannot be used; the text says which file or field, what is wrong and what to do."""


@dataclass(frozen=True)
class Problem:
    """One thing wrong in a document: `path` as in ``layers[2].depth``, `message` a sentence."""

    path: str
    message: str

    def __str__(self) -> str:
        return f"{self.path}: {self.message}" if self.path else self.message


class BadDocument(ClinamenError):
    """A scene document that cannot be read; `problems` lists every one with its path."""

    def __init__(self, problems: list[Problem], source: str = "") -> None:
        self.problems = problems
        self.source = source
        prefix = f"{source}: " if source else ""
        super().__init__("\n".join(f"{prefix}{problem}" for problem in problems))


class BadArt(ClinamenError):
    """A picture or archive that cannot be used, named in the message."""


class Busy(ClinamenError):
    """The machine has too much to do at this moment: no fault of what was given, and worth trying again."""


class BadEdit(ClinamenError):
    """An edit that the document does not allow, with the reason."""
