"""JUnit XML, as builds show tests: a suite of checks, a case for each, failed where it found an error.

Warnings, notes and what was accepted are no failures; they stand in the case's output. By the schema that Jenkins' xunit plugin
publishes (junit-10.xsd), from memory.
"""

from xml.etree import ElementTree as ET

from clinamen.core.checks import CHECKS
from clinamen.core.checks.base import Finding
from clinamen.core.reports.base import Proved, Report


class JUnit(Report):
    id = "junit"
    name = "JUnit XML"

    def write(self, proved: Proved) -> bytes:
        failed = {check for check in CHECKS if any(f.check == check and _fails(f) for f in proved.findings)}
        title = proved.scene.title or proved.source
        counts = {"tests": str(len(CHECKS)), "failures": str(len(failed)), "errors": "0"}
        suites = ET.Element("testsuites", counts)
        suite = ET.SubElement(suites, "testsuite", {"name": title, **counts})
        for check in CHECKS.values():
            case = ET.SubElement(suite, "testcase", {"name": check.id, "classname": proved.source})
            found = [finding for finding in proved.findings if finding.check == check.id]
            wrong = [finding for finding in found if _fails(finding)]
            if wrong:
                more = f" and {len(wrong) - 1} more" if len(wrong) > 1 else ""
                failure = ET.SubElement(case, "failure", {"type": check.id, "message": wrong[0].message + more})
                failure.text = "\n".join(_line(finding) for finding in wrong)
            if len(found) > len(wrong):
                output = ET.SubElement(case, "system-out")
                output.text = "\n".join(_line(finding) for finding in found if not _fails(finding))
        ET.indent(suites)
        return ET.tostring(suites, encoding="utf-8", xml_declaration=True)


def _fails(finding: Finding) -> bool:
    return finding.severity == "error" and finding.counts


def _line(finding: Finding) -> str:
    if finding.accepted is not None:
        return f"accepted as intended: {finding.message}" + (f" ({finding.accepted})" if finding.accepted else "")
    cures = "; ".join(fix.text for fix in finding.fixes)
    return f"{finding.severity}: {finding.message}" + (f" (to mend it: {cures})" if cures else "")
