"""Tally: how many findings of each check count, as a verdict says them, checks with errors first."""

from collections.abc import Iterable
from dataclasses import dataclass

from clinamen.core.checks.base import CHECKS, Finding, Severity


@dataclass(frozen=True)
class Tally:
    """So many findings of one check, by the name that fits the count, and the gravest severity among them."""

    count: int
    name: str
    severity: Severity


def tally(findings: Iterable[Finding]) -> list[Tally]:
    """What counts, check by check; what is only noted or accepted is no fault."""
    found: dict[str, list[Finding]] = {}
    for finding in findings:
        if finding.counts:
            found.setdefault(finding.check, []).append(finding)
    counts = []
    for check in CHECKS.values():
        if of_it := found.get(check.id):
            worst: Severity = "error" if any(f.severity == "error" for f in of_it) else of_it[0].severity
            counts.append(Tally(len(of_it), check.name if len(of_it) == 1 else check.plural, worst))
    return sorted(counts, key=lambda each: each.severity != "error")
