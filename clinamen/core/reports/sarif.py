"""SARIF 2.1.0 (OASIS standard), as code hosts show findings: a rule for each check, a result for each finding."""

import hashlib
import json
from typing import Any

from clinamen.core.checks import CHECKS
from clinamen.core.checks.base import Finding
from clinamen.core.reports.base import Proved, Report


class Sarif(Report):
    id = "sarif"
    name = "SARIF"

    def write(self, proved: Proved) -> bytes:
        rules = [
            {"id": check.id, "name": check.id, "shortDescription": {"text": check.name.capitalize()},
             "fullDescription": {"text": check.description}}
            for check in CHECKS.values()
        ]  # fmt: skip
        order = list(CHECKS)
        run = {
            "tool": {"driver": {"name": "Clinamen", "rules": rules}},
            "columnKind": "unicodeCodePoints",
            "results": [_result(proved, finding, order.index(finding.check)) for finding in proved.findings],
        }
        told = {
            "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
            "version": "2.1.0", "runs": [run],
        }  # fmt: skip
        return json.dumps(told, indent=1, ensure_ascii=False).encode()


def _result(proved: Proved, finding: Finding, rule: int) -> dict[str, Any]:
    meant = finding.accepted is not None
    suppressed = {"suppressions": [{"kind": "external", "justification": finding.accepted}]} if meant else {}
    return {
        "ruleId": finding.check, "ruleIndex": rule, "level": finding.severity,
        "message": {"text": finding.message},
        "locations": [{
            "physicalLocation": {"artifactLocation": {"uri": proved.source}},
            "logicalLocations": [{"name": finding.layer, "kind": "object"}],
        }],
        "partialFingerprints": {"finding/v1": hashlib.sha256(finding.named.encode()).hexdigest()[:32]},
        "properties": finding.to_json(), **suppressed,
    }  # fmt: skip
