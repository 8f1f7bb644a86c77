"""Proof: checks of a scene over every driver state at once. `prove` runs the registry."""

from dataclasses import replace

from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.checks import edge as edge
from clinamen.core.checks import gap as gap
from clinamen.core.checks import ghost as ghost
from clinamen.core.checks.base import CHECKS, Finding, Subject
from clinamen.core.document import Scene

__all__ = ["CHECKS", "Finding", "Subject", "prove", "prove_subject"]

SEVERITIES = ("error", "warning", "note")


def prove(scene: Scene, sets: dict[str, OpaqueSet], with_fixes: bool = True) -> list[Finding]:
    """Findings of every registered check, worst first; `sets` holds the opaque set of each layer by id."""
    return prove_subject(Subject(scene, sets, with_fixes))


def prove_subject(subject: Subject) -> list[Finding]:
    """As `prove`, on a subject whose parts are used again elsewhere."""
    found = [finding for check in CHECKS.values() for finding in check.run(subject)]
    told = [f for f in found if not any(_tells_over(other, f) for other in found)]
    worded = [replace(f, moment=CHECKS[f.check].moment(subject.scene, f)) for f in told]
    return sorted(worded, key=lambda finding: SEVERITIES.index(finding.severity))


def _tells_over(finding: Finding, other: Finding) -> bool:
    return finding.check != other.check and CHECKS[finding.check].tells_over(finding, other)
