"""Faults of the core: what covers, whose findings are told over, limits of numbers, values that many wait for."""

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from clinamen.core import document
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.checks import CHECKS, base, prove, prove_subject
from clinamen.core.checks.base import Check, Finding, Subject, Where
from clinamen.core.document import BLEND_MODES
from clinamen.core.drawing import fan, ladder, plan
from clinamen.core.edits import apply
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.core.motion.states import State
from clinamen.core.registry import Registry
from tests.conftest import full_sets, layer, scene, track


@pytest.mark.parametrize("mode", [mode for mode in BLEND_MODES if mode != "normal"])
def test_a_lone_layer_that_is_blended_does_not_cover(mode: str) -> None:
    made = scene(layer("glow", 2000, 1200, blend=mode))
    (finding,) = [f for f in prove(made, full_sets(made)) if f.check == "gap"]
    assert finding.amount == 1920, "its background shows everywhere"


def test_a_blended_layer_over_a_covering_one_is_no_gap() -> None:
    made = scene(layer("sky", 2000, 1200), layer("glow", 2000, 1200, blend="screen"))
    assert not [f for f in prove(made, full_sets(made)) if f.check == "gap"]


def test_a_layer_half_clear_does_not_cover() -> None:
    made = scene(layer("sky", 2000, 1200, opacity=0.97))
    assert [f.check for f in prove(made, full_sets(made))] == ["gap"]


class Odd(Check):
    """A check that speaks of the same layer at no side."""

    id, name, plural, description = "odd", "odd", "odds", "for this test"

    def run(self, subject: Subject) -> list[Finding]:
        return [Finding("odd", "note", "near", State(), 1, "px", Where(0, 0, 1, 1), "odd", "")]

    def short(self, finding: Finding) -> str:
        return "odd"


def test_only_what_a_check_says_it_tells_over_is_left_out(monkeypatch) -> None:
    """A gap inside the view has no side; findings of other checks without a side were dropped with it."""
    monkeypatch.setattr(base.CHECKS, "_entries", {**base.CHECKS._entries, "odd": Odd()})
    holed = np.full((1400, 2400), 255, np.uint8)
    holed[600:800, 1100:1200] = 0
    made = scene(layer("near", 2400, 1400))
    found = prove_subject(Subject(made, {"near": opaque_set(holed, 2400, 1400)}))
    assert {(f.check, f.side) for f in found} == {("gap", ""), ("odd", "")}


def test_a_cut_edge_that_is_the_gaps_own_side_is_said_once() -> None:
    made = scene(layer("back", 2000, 1300), drivers={"pointer": {"reach_x": 90, "reach_y": 0}})
    found = prove(made, full_sets(made))
    assert {(f.check, f.side) for f in found} == {("gap", "left"), ("gap", "right")}


def test_every_finding_has_words_of_its_check() -> None:
    made = scene(
        layer("back", 2000, 1300), layer("front", 2000, 1100, depth=-200), drivers={"pointer": {"reach_x": 90}}
    )
    for finding in prove(made, full_sets(made)):
        assert finding.short and finding.moment.startswith("pointer") and finding.name == CHECKS[finding.check].name


EXTREME = {
    "all but touching the camera": {"layers": [layer("a", 900, 700, depth=-2666.3)]},
    "a very long lens on a wide view": {
        "view": {"width": 16000, "height": 4000}, "lens": {"focal_length": 10000},
        "layers": [layer("a", 900, 700, depth=-4e6), layer("b", 900, 700, depth=9e8)],
    },
    "a travel of a million": {
        "layers": [layer("a", 900, 700)], "drivers": {"scroll": {}},
        "tracks": [track("camera", "x", "scroll", (0, -1e6), (1, 1e6))],
    },
    "the smallest and the largest": {
        "layers": [layer("a", 1, 1, framing={"scale": 10000}), layer("b", 60000, 1, framing={"x": 1e9, "scale": 1e-6})],
    },
}  # fmt: skip


@pytest.mark.parametrize("fields", EXTREME.values(), ids=EXTREME)
def test_drawings_have_a_bounded_number_of_marks_whatever_the_numbers(fields) -> None:
    made = scene(*fields["layers"], **{k: v for k, v in fields.items() if k != "layers"})
    drawn = ladder.draw(made)
    assert 2 <= len(drawn.ticks) <= 20
    sheets = plan.draw(made, full_sets(made))
    assert len(sheets.ticks) <= 24 and all(np.isfinite([bar.x, bar.start, bar.end]).all() for bar in sheets.bars)
    curves = fan.draw(made)
    assert len(curves.up) <= 12 and len(curves.across) <= 12


REFUSED = {
    "depth": ({"layers": [layer("a", 9, 9, depth=-2666.6666666)]}, r"layers\[0\]\.depth: .* all but touch"),
    "view": ({"view": {"width": 16384, "height": 16384}}, r"view: 16384 × 16384 px is more than 64 megapixels"),
    "two tracks": (
        {
            "layers": [layer("a", 9, 9)],
            "tracks": [track("a", "x", "scroll", (0, 1)), track("a", "x", "scroll", (0, 2))],
        },
        r"tracks\[1\]: a x scroll has a track already \(tracks\[0\]\)",
    ),
}


@pytest.mark.parametrize(("data", "says"), REFUSED.values(), ids=REFUSED)
def test_numbers_past_a_limit_are_refused_in_words(data, says) -> None:
    with pytest.raises(BadDocument, match=says):
        document.parse(data)


def test_a_typed_rate_has_a_limit() -> None:
    with pytest.raises(BadEdit, match="rate: 1\u202f000\u202f000 is out of range; type a number from 0 to"):
        apply(scene(layer("a", 9, 9)), "depth", {"layer": "a", "rate": "1e6"})


def test_a_value_that_many_wait_for_is_worked_out_once() -> None:
    kept: Bounded[int] = Bounded(100, lambda value: 1)
    made, ready = [], threading.Barrier(8)

    def make() -> int:
        made.append(1)
        threading.Event().wait(0.1)
        return 7

    def ask(_: int) -> int:
        ready.wait()
        return kept.get("key", make)

    with ThreadPoolExecutor(8) as threads:
        assert list(threads.map(ask, range(8))) == [7] * 8
    assert len(made) == 1


def test_what_failed_is_tried_again_by_who_waited() -> None:
    kept: Bounded[int] = Bounded(100, lambda value: 1)
    tries = []

    def make() -> int:
        tries.append(1)
        if len(tries) == 1:
            raise ValueError("the first time")
        return 3

    with pytest.raises(ValueError):
        kept.get("key", make)
    assert kept.get("key", make) == 3


def test_registries_refuse_doubled_and_nameless_entries() -> None:
    made: Registry[int] = Registry("things")
    made.add("one", 1)
    for name in ("one", "", " one"):
        with pytest.raises(ValueError, match="things: "):
            made.add(name, 2)
