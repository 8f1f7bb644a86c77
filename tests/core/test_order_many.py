"""A stack drawn the other way round: one finding, one press, in bounded time; and the press by itself, which keeps groups whole."""

import pytest

from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.checks.base import CHECKS, Finding, Subject
from clinamen.core.checks.contradictions import MOST_PAIRS
from clinamen.core.document.carrying import WITHIN
from clinamen.core.edits.registry import apply
from clinamen.core.errors import BadEdit
from tests.conftest import layer, scene, track

VIEW = {"width": 640, "height": 360}


def stacked(depths, *, tracks=(), **more):
    """Sheets of 500 × 300 in drawing order, at these depths; `more`: what layers say besides, by their place."""
    layers = [layer(f"l{n}", 500, 300, depth=depth, **more.get(f"l{n}", {})) for n, depth in enumerate(depths)]
    return scene(*layers, view=VIEW, tracks=list(tracks), drivers={"scroll": {"length": 1000}})


def orders(document, fixes=True) -> list[Finding]:
    sets = {x.id: opaque_set(None, x.art.width, x.art.height) for x in document.layers}
    return CHECKS["order"].run(Subject(document, sets, fixes))


def pressed(document, fix):
    return apply(document, fix.edit, dict(fix.values))[0]


def names(document) -> list[str]:
    return [each.id for each in document.layers]


def test_a_stack_drawn_the_other_way_round_is_one_finding_that_one_press_ends() -> None:
    document = stacked([100.0 * n for n in range(12)])
    (finding,) = orders(document)
    assert finding.severity == "warning" and set(finding.closers) <= set(names(document))
    assert len(finding.closers) == 11 and finding.message.startswith("11 layers are out of order: ")
    (fix,) = finding.fixes
    after = pressed(document, fix)
    assert names(after) == names(document)[::-1] and orders(after) == []


def test_eight_findings_or_more_become_one_and_seven_stay_their_own() -> None:
    depths = [1000.0 - 100 * n for n in range(9)]
    assert len(orders(stacked(depths[:1] + depths[:0:-1]))) == 7
    assert len(orders(stacked(depths[::-1]))) == 1


def test_a_large_stack_is_looked_at_in_part_and_the_sentence_says_which() -> None:
    count = 80
    document = stacked([10.0 * n for n in range(count)])
    (finding,) = orders(document)
    pairs = count * (count - 1) // 2
    assert (
        f"of {pairs} pairs of layers that may be out of order the {MOST_PAIRS} nearest in drawing order"
        in finding.message
    )
    assert orders(pressed(document, finding.fixes[0])) == []


def test_a_large_stack_of_which_nothing_overlaps_is_a_note_that_says_what_was_not_looked_at() -> None:
    aside = {f"l{n}": {"framing": {"x": 10_000 * (n + 1)}} for n in range(80)}
    (finding,) = orders(stacked([10.0 * n for n in range(80)], **aside))
    assert (
        not finding.counts
        and "none of them is wrong" in finding.message
        and finding.message.startswith("Of 3160 pairs")
    )


def test_drawing_by_depth_is_offered_too_where_it_leaves_one_that_goes_through_others() -> None:
    crossing = [track("l11", "depth", "scroll", (0, 0), (1, -1500))]
    (finding,) = orders(stacked([100.0 * n for n in range(12)], tracks=crossing))
    (fix,) = finding.fixes
    (left,) = orders(pressed(stacked([100.0 * n for n in range(12)], tracks=crossing), fix))
    assert fix.edit == "order-by-depth" and left.layer == "l11" != finding.layer and not left.closers


def test_where_a_group_forbids_drawing_by_depth_the_layer_named_first_is_mended_by_itself() -> None:
    hut = {"l0": {"group": "hut"}, "l1": {"tilt": {"lean": 80}, "group": "hut"}}
    document = stacked([*(100.0 * n for n in range(9, 0, -1)), *(100.0 * n for n in range(20, 10, -1))], **hut)
    (finding,) = orders(document)
    assert finding.fixes and "order-by-depth" not in {fix.edit for fix in finding.fixes}
    for fix in finding.fixes:
        left = orders(pressed(document, fix))
        assert left and all(finding.layer not in (each.layer, *each.closers) for each in left)


def test_layers_whose_ways_in_depth_never_meet_are_no_suspects() -> None:
    ways = [track(f"l{n}", "depth", "scroll", (0, 0), (1, -4)) for n in range(80)]
    assert orders(stacked([1000 - 10.0 * n for n in range(80)], tracks=ways)) == []


def test_one_that_leans_and_one_that_is_hidden_keep_their_places_when_the_rest_is_drawn_by_depth() -> None:
    depths = [100.0 * n for n in range(12)]
    document = stacked(depths, l0={"tilt": {"lean": 80}}, l5={"visible": False})
    (finding,) = orders(document)
    after = names(pressed(document, finding.fixes[0]))
    assert after[0] == "l0" and after[5] == "l5"
    assert [each for each in after if each not in ("l0", "l5")] == [f"l{n}" for n in range(11, 0, -1) if n != 5]


def test_drawn_by_depth_a_group_stays_side_by_side_where_its_farthest_stands() -> None:
    grouped = {f"l{n}": {"group": "trees"} for n in (1, 2)} | {
        "l3": {"group": f"trees{WITHIN}near"},
        "l4": {"group": f"trees{WITHIN}near"},
    }
    document = stacked([0.0, 500, 100, 50, 400, 300], **grouped)
    values = {"layers": " ".join(names(document))}
    after, says = apply(document, "order-by-depth", values)
    assert names(after) == ["l1", "l4", "l3", "l2", "l5", "l0"], "the group first: its farthest stands at 500"
    assert says == "6 layers drawn by depth"
    assert {each.id: each.group for each in after.layers} == {each.id: each.group for each in document.layers}


def test_drawn_by_depth_nothing_comes_between_the_layers_of_a_group() -> None:
    document = stacked([0.0, 100, 200, 300], l1={"group": "trees"}, l2={"group": "trees"})
    with pytest.raises(BadEdit, match="trees would be drawn in two parts"):
        apply(document, "order-by-depth", {"layers": "l0 l1"})


def test_an_infinite_sheet_is_drawn_first_and_sheets_of_one_depth_keep_their_order() -> None:
    document = stacked([100.0, 300, "infinite", 300, 100])
    assert names(apply(document, "order-by-depth", {"layers": " ".join(names(document))})[0]) == [
        "l2",
        "l1",
        "l3",
        "l0",
        "l4",
    ]
