"""Proof: checks of a scene over every driver state at once. `prove` runs the registry."""

from clinamen.core.document import Scene
from clinamen.core.proof import edge as edge
from clinamen.core.proof import gap as gap
from clinamen.core.proof import ghost as ghost
from clinamen.core.proof.base import CHECKS, Finding, Subject
from clinamen.core.proof.opaque import OpaqueSet


def prove(scene: Scene, sets: dict[str, OpaqueSet], with_fixes: bool = True) -> list[Finding]:
    """Findings of every registered check, worst first; `sets` holds the opaque set of each layer by id."""
    return prove_subject(Subject(scene, sets, with_fixes))


def prove_subject(subject: Subject) -> list[Finding]:
    """As `prove`, on a subject whose parts are used again elsewhere."""
    order = {"error": 0, "warning": 1, "note": 2}
    findings = [finding for check in CHECKS.values() for finding in check.run(subject)]
    # the sides at which a gap's closers end are that same gap seen from the layer: said once
    in_gaps = {(closer, gap.side) for gap in findings if gap.check == "gap" for closer in gap.closers}
    findings = [f for f in findings if f.check == "gap" or (f.layer, f.side) not in in_gaps]
    return sorted(findings, key=lambda finding: order[finding.severity])
