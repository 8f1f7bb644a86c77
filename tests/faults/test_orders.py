"""Any edit with any values is done, or refused in one sentence: no value that a browser could send ends in a fault of the program."""

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from clinamen.core.edits import EDITS, apply
from clinamen.core.errors import ClinamenError
from tests.conftest import ROOT, layer, scene, track

SENT = sorted({
    name
    for file in (ROOT / "clinamen/core/edits").glob("*.py")
    for name in re.findall(r'values(?:\[|\.get\()"(\w+)"', file.read_text())
})  # fmt: skip
JUNK = ["", " ", "0", "1", "-1", "²", "١٢", "1e300", "-1e300", "inf", "nan", "1e-300", "9" * 300, "0.5", "50 mm", "x", "y", "null", "[]",
        "{}", "[1]", '{"a": 1}', "[[[[]]]]", "\ud800", "🦑", "a\tb", "<b>", "../..", "true", "on", "infinite", "camera", "back", "front",
        "scroll", "time", "pointer", "depth", "opacity", "linear", "hold", "#123456", "#zzz", "0,0 1,1", "back front", "0 1", "crop", "key",
        "left", "tile", "cycle", "normal", "rain", "far", '{"kind": "text"}', '[{"at": 1}]']  # fmt: skip


def made():
    return scene(
        layer("back", 400, 300, depth=900, group="Far"), layer("front", 300, 200, depth=100, frames={"columns": 2, "rows": 2, "count": 3, "fps": 8}),
        drivers={"scroll": {"length": 900}, "pointer": {}, "time": {"duration": 4}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 90)), track("back", "opacity", "time", (0, 1), (4, 0))],
    )  # fmt: skip


@pytest.mark.parametrize("name", sorted(EDITS))
@settings(max_examples=6, derandomize=True)
@given(
    values=some.dictionaries(some.sampled_from(SENT), some.sampled_from(JUNK), max_size=6),
    on=some.sampled_from(["back", "front", "none"]),
)
def test_any_values_are_heeded_or_refused_in_a_sentence(name: str, values: dict[str, str], on: str) -> None:
    try:
        edited, says = apply(made(), name, {"layer": on, "target": on, **values})
    except ClinamenError as error:
        assert str(error).strip() and "\n" not in str(error)
    else:
        assert says and edited.to_json()
