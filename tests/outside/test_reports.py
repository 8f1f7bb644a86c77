"""Reports of a proof by the formats' own rules: SARIF 2.1.0 (OASIS, sections 3.13, 3.14, 3.19, 3.27) and JUnit XML (junit-10.xsd, from
memory)."""

import json
from xml.etree import ElementTree as ET

import pytest

from clinamen.core.checks import CHECKS, prove
from clinamen.core.edits import apply
from clinamen.core.reports import REPORTS, Proved
from tests.conftest import full_sets, layer, scene, track


@pytest.fixture(scope="module")
def proved() -> Proved:
    """A wall that a truck leaves on one side: gaps and cut edges, with fixes."""
    made = scene(
        layer("wall", 400, 240), layer("near", 330, 190, depth=-100), title="A wall & a <gap>",
        view={"width": 320, "height": 180}, drivers={"scroll": {}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 400))],
    )  # fmt: skip
    findings = prove(made, full_sets(made))
    assert {"gap", "edge"} & {finding.check for finding in findings}
    return Proved(made, findings, "scenes/wall/scene.json")


def test_sarif_has_what_the_standard_requires(proved) -> None:
    told = json.loads(REPORTS["sarif"].write(proved))
    assert told["version"] == "2.1.0" and len(told["runs"]) == 1  # 3.13.2, 3.13.4
    (run,) = told["runs"]
    driver = run["tool"]["driver"]
    assert driver["name"] and [rule["id"] for rule in driver["rules"]] == list(CHECKS)  # 3.19.8, 3.19.23
    assert len(run["results"]) == len(proved.findings)
    for result, finding in zip(run["results"], proved.findings, strict=True):
        assert result["message"]["text"] == finding.message  # 3.27.11
        assert (
            result["level"] in ("none", "note", "warning", "error") and result["level"] == finding.severity
        )  # 3.27.10
        assert driver["rules"][result["ruleIndex"]]["id"] == result["ruleId"] == finding.check  # 3.27.6
        (place,) = result["locations"]
        assert place["physicalLocation"]["artifactLocation"]["uri"] == "scenes/wall/scene.json"
        assert place["logicalLocations"][0]["name"] == finding.layer
    prints = [result["partialFingerprints"]["finding/v1"] for result in run["results"]]
    assert len(set(prints)) == len(prints), "each finding is told from the others between two runs"


def test_junit_fails_where_an_error_was_found_and_nowhere_else(proved) -> None:
    suites = ET.fromstring(REPORTS["junit"].write(proved))
    (suite,) = suites
    assert suites.tag == "testsuites" and suite.get("name") == "A wall & a <gap>"
    cases = {case.get("name"): case for case in suite.iter("testcase")}
    assert list(cases) == list(CHECKS) and suite.get("tests") == str(len(CHECKS))
    errors = {finding.check for finding in proved.findings if finding.severity == "error"}
    failed = {name for name, case in cases.items() if case.find("failure") is not None}
    assert failed == errors and suite.get("failures") == str(len(errors))
    for finding in proved.findings:
        told = cases[finding.check].find("failure" if finding.severity == "error" else "system-out")
        assert finding.message in told.text


@pytest.mark.parametrize("word", REPORTS)
def test_a_scene_that_holds_reports_nothing(word: str) -> None:
    made = scene(
        layer("wall", 400, 240), view={"width": 320, "height": 180}, drivers={"pointer": {"reach_x": 9, "reach_y": 9}}
    )
    written = REPORTS[word].write(Proved(made, prove(made, full_sets(made)), "scene.json"))
    says = {"sarif": b'"results": []', "junit": b'failures="0"', "html": "✓ Holds everywhere".encode()}
    assert says[word] in written and b"<failure" not in written


def test_what_was_accepted_fails_no_build_and_is_told_as_suppressed(proved) -> None:
    made, first = proved.scene, next(x for x in proved.findings if x.severity == "error")
    for finding in proved.findings:
        if finding.severity == "error":
            values = {"finding": finding.named, "amount": str(finding.amount), "note": "a window"}
            made, _ = apply(made, "accept", values)
    taken = Proved(made, prove(made, full_sets(made)), proved.source)
    assert b'failures="0"' in REPORTS["junit"].write(taken)
    (run,) = json.loads(REPORTS["sarif"].write(taken))["runs"]
    result = next(x for x in run["results"] if x["ruleId"] == first.check)
    assert result["suppressions"] == [{"kind": "external", "justification": "a window"}]  # 3.27.23, 3.35
