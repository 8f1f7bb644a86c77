"""Proof: checks of a scene over every driver state at once. `prove` runs the registry."""

from dataclasses import replace

from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.checks import close as close
from clinamen.core.checks import cut as cut
from clinamen.core.checks import edge as edge
from clinamen.core.checks import focus as focus
from clinamen.core.checks import fringe as fringe
from clinamen.core.checks import gap as gap
from clinamen.core.checks import ghost as ghost
from clinamen.core.checks import jump as jump
from clinamen.core.checks import level as level
from clinamen.core.checks import order as order
from clinamen.core.checks import repeat as repeat
from clinamen.core.checks import seam as seam
from clinamen.core.checks import slide as slide
from clinamen.core.checks import soft as soft
from clinamen.core.checks import speed as speed
from clinamen.core.checks import wait as wait
from clinamen.core.checks import weight as weight
from clinamen.core.checks.base import CHECKS, Finding, Subject
from clinamen.core.document import Scene
from clinamen.core.pictures.telling import Telling

__all__ = ["CHECKS", "Finding", "Subject", "eased", "prove", "prove_subject", "prove_whole"]

SEVERITIES = ("error", "warning", "note")


def prove(
    scene: Scene, sets: dict[str, OpaqueSet], with_fixes: bool = True, art: Telling | None = None
) -> list[Finding]:
    """Findings of every registered check, worst first; `sets` holds the opaque set of each layer by id, `art` tells of its
    pixels."""
    return prove_whole(Subject(scene, sets, with_fixes, art=art))


def prove_whole(subject: Subject) -> list[Finding]:
    """As `prove`, on a subject whose parts are used again elsewhere."""
    return eased(subject, prove_subject(subject))


def prove_subject(subject: Subject) -> list[Finding]:
    """As `prove`, on a subject whose parts are used again elsewhere, and not `eased` yet."""
    found = [finding for check in CHECKS.values() for finding in check.run(subject)]
    told = [f for f in found if not any(_tells_over(other, f) for other in found)]
    judged = [_judged(subject.scene, finding) for finding in _worded(subject, told)]
    return sorted(judged, key=lambda finding: (finding.accepted is not None, SEVERITIES.index(finding.severity)))


def eased(subject: Subject, findings: list[Finding]) -> list[Finding]:
    """Findings with the drivers that do not matter to a worst state put to rest: for reading, not for the verdict, so a
    drag's preview goes without."""
    return _worded(subject, [CHECKS[finding.check].eased(subject, finding) for finding in findings])


def _judged(scene: Scene, finding: Finding) -> Finding:
    """A finding that was accepted as intended says so, as long as it has not become worse."""
    met = next((each for each in scene.accepted if each.holds(finding.named, finding.amount)), None)
    return finding if met is None else replace(finding, accepted=met.note)


def _worded(subject: Subject, findings: list[Finding]) -> list[Finding]:
    return [replace(f, moment=CHECKS[f.check].moment(subject.scene, f)) for f in findings]


def _tells_over(finding: Finding, other: Finding) -> bool:
    return finding.check != other.check and CHECKS[finding.check].tells_over(finding, other)
