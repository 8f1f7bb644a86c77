"""What a report is: a proof written down in a format that others read. A new one is one module: subclass Report, name it in the
package's list."""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from clinamen.core.checks import Finding, Subject
from clinamen.core.document import Scene
from clinamen.core.registry import Registry


@dataclass(frozen=True)
class Proved:
    """A scene, what was found in it, and the file it came from as a build names it; `subject`: what the proof looked at, for
    reports that draw it."""

    scene: Scene
    findings: Sequence[Finding]
    source: str
    subject: Subject | None = None


class Report(ABC):
    """One report. `id` is the word of the command line, `name` what people call it."""

    id: ClassVar[str]
    name: ClassVar[str]

    @abstractmethod
    def write(self, proved: Proved) -> bytes:
        """The report's file."""


REPORTS: Registry[Report] = Registry("reports")
