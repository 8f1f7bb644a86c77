"""Checks of order, focus and softness: against what is measured in rendered pictures, their fixes, what they leave alone; and what is
accepted as intended."""

import numpy as np
import pytest

from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.checks import CHECKS, Finding, Subject, prove
from clinamen.core.checks.base import Severity, Where
from clinamen.core.checks.tally import tally
from clinamen.core.document import parse
from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit
from clinamen.core.motion.cells import cell_at
from clinamen.core.motion.states import State
from clinamen.core.pictures.telling import Telling
from clinamen.core.raster import render
from clinamen.core.stage import magnification, stage_at
from tests.conftest import fixed, layer, noise, scene, shelf_of, track

VIEW = {"width": 320, "height": 180}
ART = {"wall": noise(500, 300, 1), "back": noise(140, 100, 2), "front": noise(120, 90, 3)}
ART["front"][:, :30, 3] = 0


def made(front: dict | None = None, tracks=(), **fields):
    layers = [
        layer("wall", 500, 300, depth=900), layer("back", 140, 100, depth=0, framing={"x": -20}),
        layer("front", 120, 90, **{"depth": 250, "framing": {"x": 40}, **(front or {})}),
    ]  # fmt: skip
    return scene(*layers, view=VIEW, drivers={"scroll": {"length": 500}}, tracks=list(tracks), **fields)


def found(check: str, document):
    sets = shelf_of(ART, document).opaque_sets(document)
    return CHECKS[check].run(Subject(document, sets))


def test_the_tally_counts_by_check_what_counts_errors_first() -> None:
    def one(check: str, severity: Severity, layer: str = "", accepted: str | None = None) -> Finding:
        return Finding(check, severity, layer, State(), 1.0, "px", Where(0, 0, 1, 1), "", accepted=accepted)

    told = tally([one("edge", "warning", "a"), one("edge", "warning", "b"), one("gap", "error"), one("soft", "note"),
                  one("jump", "warning", accepted="so it is")])  # fmt: skip
    assert [(x.count, x.name, x.severity) for x in told] == [(1, "gap", "error"), (2, "cut edges", "warning")]
    assert tally([one("soft", "note")]) == []


def test_what_is_known_of_a_layer_is_worked_out_again_only_where_something_of_it_changed() -> None:
    art = shelf_of(ART)
    asked: list[str] = []

    def told(document) -> list[int]:
        art.scene = document
        subject = Subject(document, art.opaque_sets(document), art=Telling(art))

        def work(layers):
            asked.extend(x.id for x in layers)
            return [len(x.id) for x in layers]

        return subject.kept_of_each("length", document.layers, work)

    assert told(made()) == [4, 4, 5] and asked == ["wall", "back", "front"]
    assert told(made({"depth": 251})) == [4, 4, 5] and asked[3:] == ["front"], "only what was pushed back"
    assert told(made(camera={"zoom": 1.1})) == [4, 4, 5] and asked[4:] == ["wall", "back", "front"]
    assert told(made({"name": "Other", "depth": 251})) == [4, 4, 5] and asked[7:] == [], "a name moves nothing"


def seen(document, name: str, state: State) -> np.ndarray:
    """Where a layer alone is opaque in the rendered view."""
    only = document.model_copy(
        update={"layers": tuple(x.model_copy(update={"visible": x.id == name}) for x in document.layers)}
    )
    return render(only, state, shelf_of(ART, only).loader(only), transparent=True)[..., 3] >= 250


def test_order_finds_the_share_of_the_view_that_a_rendered_picture_shows() -> None:
    document = made(tracks=[track("front", "x", "scroll", (0, 0), (0.4, -30), (1, 160))])
    (finding,) = found("order", document)
    assert (finding.layer, finding.side, finding.severity) == ("front", "back", "warning")
    shares = {
        at: float((seen(document, "back", State(at)) & seen(document, "front", State(at))).mean())
        for at in np.linspace(0, 1, 41)
    }
    assert finding.amount == pytest.approx(100 * max(shares.values()), rel=0.06), "the worst of all states"
    assert shares[finding.state.scroll] == pytest.approx(max(shares.values()), rel=0.02)
    both = np.argwhere(seen(document, "back", finding.state) & seen(document, "front", finding.state))
    (top, left), (bottom, right) = both.min(axis=0), both.max(axis=0) + 1
    where = finding.where
    assert (
        np.abs(
            np.array([where.x, where.y, where.x + where.width, where.y + where.height]) - [left, top, right, bottom]
        ).max()
        < 4
    )
    assert "the depth that would be right is from as near as you like to 0 px" in finding.message


def test_the_fix_of_an_order_is_the_least_that_mends_it() -> None:
    document = made()
    (finding,) = found("order", document)
    fix, drawn = finding.fixes
    assert drawn.kind == "order" and found("order", fixed(document, drawn)) == []
    assert found("order", fixed(document, fix)) == []
    values = {**fix.values, "depth": "3"}
    assert found("order", apply(document, fix.edit, values)[0]), "a little farther is wrong again"


@pytest.mark.parametrize(
    ("front", "why"),
    [
        ({"framing": {"x": 130}}, "no overlap"), ({"framing": {"x": 84}}, "only what is clear overlaps"), ({"depth": -50}, "it stands nearer"),
        ({"tilt": {"lean": 70}}, "it leans through depths"), ({"visible": False}, "it is not seen"), ({"opacity": 0.5}, "it hides nothing"),
    ],
)  # fmt: skip
def test_order_leaves_alone_what_is_no_fault(front, why: str) -> None:
    assert found("order", made(front)) == [], why


@pytest.mark.parametrize(("moved", "depth"), [(1, -300), (3, 900), (4, 700)])
def test_the_layer_that_was_moved_is_blamed_for_all_it_contradicts_and_has_both_ways_out(
    moved: int, depth: float
) -> None:
    depths = [800.0, 600, 400, 200, 0]
    depths[moved] = depth
    document = scene(*(layer(f"l{n}", 500, 300, depth=at) for n, at in enumerate(depths)), view=VIEW)
    sets = {x.id: opaque_set(None, 500, 300) for x in document.layers}

    def wrong(one):
        return CHECKS["order"].run(Subject(one, sets))

    (finding,) = wrong(document)
    assert finding.layer == f"l{moved}" and "more; the depth that would be right" in finding.message
    assert {fix.kind for fix in finding.fixes} == {"depth", "order"}
    for fix in finding.fixes:
        assert wrong(fixed(document, fix)) == []


def test_two_layers_that_were_moved_are_two_findings_and_each_is_mended_by_itself() -> None:
    depths = [800, -100, 600, 400, 950, 200, 0]
    document = scene(*(layer(f"l{n}", 500, 300, depth=at) for n, at in enumerate(depths)), view=VIEW)
    sets = {x.id: opaque_set(None, 500, 300) for x in document.layers}
    findings = CHECKS["order"].run(Subject(document, sets))
    assert {x.layer for x in findings} == {"l1", "l4"}
    for finding in findings:
        for fix in finding.fixes:
            (left,) = CHECKS["order"].run(Subject(fixed(document, fix), sets))
            assert left.layer != finding.layer
        assert finding.fixes


def test_an_order_that_turns_wrong_on_the_way_is_found_there() -> None:
    document = made({"depth": -50}, tracks=[track("front", "depth", "scroll", (0, 0), (1, 200))])
    (finding,) = found("order", document)
    assert finding.state.scroll == 1
    (fix,) = [fix for fix in finding.fixes if fix.kind == "depth"]
    assert found("order", fixed(document, fix)) == [], "near enough for the whole way"
    assert stage_at(document, finding.state)["front"].rate[0] < stage_at(document, finding.state)["back"].rate[0]


def test_focus_on_nothing_is_found_at_rest_and_at_keys_and_the_fix_focuses() -> None:
    lens = {"aperture": 0.2, "pixels_per_metre": 500}
    sharp = made(lens=lens)
    assert found("focus", sharp) == [], "the picture plane stands at the back"
    between = sharp.model_copy(update={"camera": sharp.camera.model_copy(update={"focus": 0.9})})
    (finding,) = found("focus", between)
    softest = [float(stage_at(between, State())[name].disc[0]) / 4 for name in ART]
    assert finding.amount == pytest.approx(min(softest)) and finding.amount > 1
    (fix,) = finding.fixes
    assert found("focus", fixed(between, fix)) == []
    pulled = made(lens=lens, tracks=[track("camera", "focus", "scroll", (0, 0), (0.5, -0.1), (1, 0))])
    assert [x.state.scroll for x in found("focus", pulled)] == [0.5]
    (late,) = found("focus", pulled)
    assert late.fixes[0].edit == "focus-at" and found("focus", fixed(pulled, late.fixes[0])) == []
    assert found("focus", made()) == [], "a lens that is closed softens nothing"


def test_many_layers_that_are_shown_too_large_are_one_note_with_one_press() -> None:
    scales = [1.1 + 0.05 * n for n in range(9)]
    layers = [layer(f"l{n}", 60, 40, depth=100.0 * n, framing={"scale": scale}) for n, scale in enumerate(scales)]
    document = scene(*layers, view=VIEW)
    sets = {each.id: opaque_set(None, 60, 40) for each in document.layers}
    (finding,) = CHECKS["soft"].run(Subject(document, sets))
    assert finding.message.startswith("9 layers are shown larger than their own pixels: l8 is shown at 1.5 times")
    (fix,) = finding.fixes
    assert fix.text == "Scale 9 layers down, by up to 32.1 %" and set(finding.closers) == {
        x.id for x in document.layers
    }
    better, _ = apply(document, fix.edit, fix.values)
    assert CHECKS["soft"].run(Subject(better, sets)) == []
    fewer = document.model_copy(update={"layers": document.layers[:7]})
    assert len(CHECKS["soft"].run(Subject(fewer, sets))) == 7, "few are told one by one"


def test_a_soft_layer_is_made_smaller_only_where_none_of_its_sides_comes_into_the_view_by_that() -> None:
    width = 1.2 * VIEW["width"] / 1.3
    height = 1.2 * VIEW["height"] / 1.3
    wall = layer("wall", round(width), round(height), framing={"scale": 1.3})
    prop = layer("prop", 60, 40, framing={"scale": 1.3})
    document = scene(wall, prop, view=VIEW)
    sets = {"wall": opaque_set(None, round(width), round(height)), "prop": opaque_set(None, 60, 40)}
    presses = {each.layer: [fix.text for fix in each.fixes] for each in CHECKS["soft"].run(Subject(document, sets))}
    assert presses == {"wall": [], "prop": ["Scale prop to 1.018"]}, "a wall of 92 % of the view's size would end in it"


def test_soft_says_how_much_larger_art_is_shown_and_what_it_would_need() -> None:
    document = made(
        {"depth": -100, "framing": {"scale": 2.5}}, tracks=[track("camera", "z", "scroll", (0, 0), (1, 60))]
    )
    finding = found("soft", document)[0]
    assert (finding.layer, finding.severity, finding.state.scroll) == ("front", "note", 1)
    matrix = stage_at(document, State(1.0))["front"].matrix[0]
    assert finding.amount == pytest.approx(magnification(matrix, np.zeros(2)))
    width = round(120 * finding.amount)
    assert f"{width} × " in finding.message and f"{round(360 * finding.amount)} × " in finding.message
    larger = document.to_json()
    larger["layers"][2]["art"].update(width=round(width * 1.01), height=round(90 * finding.amount * 1.01))
    larger["layers"][2]["framing"]["scale"] = 2.5 * 120 / round(width * 1.01)
    bigger = parse(larger)
    sets = {x.id: shelf_of(ART, document).opaque_sets(document)[x.id] for x in document.layers}
    assert "front" not in [x.layer for x in CHECKS["soft"].run(Subject(bigger, sets))], "art of that size is sharp"


def proved(document):
    return prove(document, shelf_of(ART, document).opaque_sets(document))


def test_what_is_accepted_stays_accepted_until_it_gets_worse() -> None:
    document = made()
    finding = next(x for x in proved(document) if x.check == "order")
    assert finding.counts and "accepted" not in finding.to_json()
    told = {"finding": finding.named, "amount": str(finding.amount), "note": " the  gate opens inwards "}
    taken, says = apply(document, "accept", told)
    (again,) = [x for x in proved(taken) if x.check == "order"]
    assert says == "Accepted as intended" and again.accepted == "the gate opens inwards" and not again.counts
    assert again.to_json()["accepted"] == "the gate opens inwards" and proved(taken)[-1] == again, (
        "what counts comes first"
    )
    assert parse(taken.to_json()).accepted == taken.accepted
    worse, _ = apply(taken, "framing", {"layer": "front", "x": "10"})
    (found_again,) = [x for x in proved(worse) if x.check == "order"]
    assert found_again.amount > 1.05 * finding.amount and found_again.counts
    back, _ = apply(taken, "unaccept", {"finding": finding.named})
    assert back.accepted == () and next(x for x in proved(back) if x.check == "order").counts


def test_what_cannot_be_accepted_is_said() -> None:
    for name, values, says in (
        ("accept", {"amount": "1"}, "finding: is not named"), ("accept", {"finding": "gap/wall/left", "amount": "much"}, "amount"),
        ("unaccept", {"finding": "gap/wall/left"}, "is not accepted any more"),
    ):  # fmt: skip
        with pytest.raises(BadEdit, match=says):
            apply(made(), name, values)


def looped(*layers, tracks=(), **fields):
    clock = {"time": {"duration": 2, "fps": 25, "loop": True}}
    return scene(*layers, view=VIEW, drivers=clock, tracks=list(tracks), **fields)


def leaps(document) -> dict[str, float]:
    sets = {x.id: opaque_set(None, x.art.width, x.art.height) for x in document.layers}
    return {x.layer: x.amount for x in CHECKS["close"].run(Subject(document, sets))}


def test_a_loop_that_does_not_close_leaps_by_what_two_frames_show() -> None:
    going = [track("back", "x", "time", (0, 0), (2, 40)), track("front", "rotation", "time", (0, 0), (2, 360))]
    document = looped(layer("back", 140, 100), layer("front", 120, 90), tracks=going)
    assert leaps(document) == {"back": pytest.approx(40)}, "a whole turn has closed"
    closed = looped(layer("back", 140, 100), tracks=[track("back", "x", "time", (0, 0), (1, 40), (2, 0))])
    assert leaps(closed) == {}
    faded = looped(layer("back", 140, 100), tracks=[track("back", "opacity", "time", (0, 1), (2, 0.4))])
    assert leaps(faded) == {"back": pytest.approx(60)}
    (finding,) = CHECKS["close"].run(Subject(faded, {"back": opaque_set(None, 140, 100)}))
    assert finding.unit == "% of opacity" and finding.short == "changes its opacity by 60 % where time begins again"
    once = looped(layer("back", 140, 100), tracks=going[:1]).to_json()
    once["drivers"]["time"]["loop"] = False
    assert leaps(parse(once)) == {}, "what does not begin again does not leap"


@pytest.mark.parametrize(
    ("fps", "play", "leaps"), [(8, "cycle", 0), (7, "cycle", 2), (8, "to-and-fro", 2), (7, "once", 0)]
)
def test_an_actors_cycle_that_does_not_divide_the_loop_leaps_by_the_cells_it_leaves_out(fps, play, leaps) -> None:
    """Four cells in a loop of two seconds: the cell shown last and the one shown first say by how many it leaps."""

    def one(**frames):
        strip = {"columns": 4, "rows": 1, "count": 4, "play": play, **frames}
        return looped(layer("back", 140, 100, frames=strip))

    document = one(fps=fps)
    sets = {"back": opaque_set(None, 140, 100)}
    found_now = CHECKS["close"].run(Subject(document, sets))
    assert [round(x.amount, 3) for x in found_now] == ([leaps] if leaps else [])
    for finding in found_now:
        assert finding.unit == ("cell" if leaps == 1 else "cells")
        cured = fixed(document, finding.fixes[0])
        assert CHECKS["close"].run(Subject(cured, sets)) == []
        frames = cured.layers[0].frames
        around = cell_at(frames, cured.drivers, np.array([0.5 / frames.fps, 2 - 0.5 / frames.fps]))
        beside = cell_at(frames, cured.drivers, np.array([1.5 / frames.fps]))
        assert around[1] in (3, beside[0]), "the last cell shown is the one before the first"


@pytest.mark.parametrize(("repeat", "closes"), [("none", False), ("tile", True), ("mirror", False)])
def test_art_that_repeats_closes_after_whole_repeats(repeat: str, closes: bool) -> None:
    goes = [track("back", "x", "time", (0, 0), (2, 140))]
    assert (leaps(looped(layer("back", 140, 100, repeat={"x": repeat, "y": "none"}), tracks=goes)) == {}) is closes


def test_what_leaps_out_of_sight_leaps_unseen() -> None:
    walks = [track("front", "x", "time", (0, -400), (2, 400))]
    assert leaps(looped(layer("front", 120, 90), tracks=walks)) == {}
    stays = [track("front", "x", "time", (0, -400), (2, 100))]
    assert leaps(looped(layer("front", 120, 90), tracks=stays))["front"] == pytest.approx(500)
    laid = looped(
        layer("front", 120, 900, tilt={"lean": 85}), tracks=[track("front", "x", "time", (0, -4000), (2, 4000))]
    )
    assert leaps(laid) == {}, "also a floor that goes on behind the camera"


def test_a_way_that_strays_is_noted_and_made_level() -> None:
    ways = [track("front", "x", "scroll", (0, 0), (1, 200)), track("front", "y", "scroll", (0, 0), (0.5, 9), (1, 0))]
    document = made(tracks=ways)
    (finding,) = found("level", document)
    rate = float(stage_at(document, State())["front"].rate[0])
    assert finding.amount == pytest.approx(9 * rate) and finding.state.scroll == 0.5 and finding.severity == "note"
    assert found("level", fixed(document, finding.fixes[0])) == []
    assert found("level", made(tracks=[ways[0], track("front", "y", "scroll", (0, 0), (1, 80))])) == [], "that is meant"


def test_art_that_is_too_large_for_a_texture_or_for_a_phones_memory_is_noted() -> None:
    def heavy(*sizes: tuple[int, int]):
        document = scene(*(layer(f"l{n}", *size) for n, size in enumerate(sizes)), view=VIEW)
        sets = {x.id: opaque_set(None, x.art.width, x.art.height) for x in document.layers}
        return [(x.layer, round(x.amount), x.unit) for x in CHECKS["weight"].run(Subject(document, sets))]

    assert heavy((4096, 100), (300, 300)) == []
    assert heavy((4097, 100), (100, 8200)) == [("l1", 8200, "px"), ("l0", 4097, "px")]
    assert heavy(*[(4000, 4000)] * 9) == [("l0", 576, "MB"), ("l0", 9, "times over")]


def test_a_hold_jumps_by_what_the_pictures_before_and_after_show() -> None:
    document = made(
        tracks=[
            track("camera", "x", "scroll", (0, 0, "hold"), (0.4, 90), (1, 200)),
            track("front", "y", "scroll", (0, 0), (0.4, 5), (1, 0)),
        ]
    )
    (finding,) = found("jump", document)
    before, after = (stage_at(document, State(at)).sheets for at in (0.4 - 1e-9, 0.4 + 1e-9))
    moved = {
        x.layer.id: np.linalg.norm(x.centre()[0][0] - y.centre()[0][0]) for x, y in zip(before, after, strict=True)
    }
    assert finding.amount == pytest.approx(max(moved.values()), abs=0.01) and moved[finding.layer] == max(
        moved.values()
    )
    assert finding.state.scroll == 0.4 and "and 2 more with it" in finding.message and finding.severity == "note"
    smooth = made(tracks=[track("camera", "x", "scroll", (0, 0, "linear"), (0.4, 300, "ease-in"), (1, -200))])
    assert found("jump", smooth) == [], "a bend is no jump"


@pytest.mark.parametrize("loop", [False, True])
def test_a_turn_within_one_frame_is_found_over_time_and_eased(loop: bool) -> None:
    """A layer goes right at 150 px a second and, at 1 s, left as quickly; in a loop it turns at the seam too."""

    def one(first: str, second: str = "linear"):
        ways = [track("back", "x", "time", (0, 0, first), (1, 150, second), (2, 0))]
        return scene(layer("back", 140, 100), view=VIEW, tracks=ways, drivers={"time": {"duration": 2, "loop": loop}})

    turns = [x for x in CHECKS["jump"].run(Subject(one("linear"), {})) if x.side.startswith("turn")]
    assert [round(x.state.time, 6) for x in turns] == ([1, 2] if loop else [1])
    for turn in turns:
        assert (turn.amount, turn.unit, turn.severity) == (pytest.approx(300, rel=1e-3), "px/s", "note")
        cured = fixed(one("linear"), turn.fixes[0])
        assert all(x.side != turn.side for x in CHECKS["jump"].run(Subject(cured, {})))
    slow = scene(layer("back", 140, 100), view=VIEW, tracks=[track("back", "x", "time", (0, 0), (1, 20), (2, 0))],
                 drivers={"time": {"duration": 2, "loop": loop}})  # fmt: skip
    assert CHECKS["jump"].run(Subject(slow, {})) == [], "what hardly goes may turn"
    assert [x.side for x in CHECKS["jump"].run(Subject(one("ease-out", "ease-in"), {})) if x.state.time == 1] == []


def test_time_that_ends_while_something_goes_stops_dead() -> None:
    clock = {"time": {"duration": 2, "fps": 25, "loop": False}}
    ways = lambda ease: [track("back", "x", "time", (0, 0, ease), (2, 300))]  # noqa: E731
    one = lambda ease: scene(layer("back", 140, 100), view=VIEW, drivers=clock, tracks=ways(ease))  # noqa: E731
    (finding,) = CHECKS["jump"].run(Subject(one("linear"), {}))
    assert (finding.amount, finding.unit) == (pytest.approx(150, rel=1e-3), "px/s") and "stops dead" in finding.message
    assert CHECKS["jump"].run(Subject(one("ease-in-out"), {})) == []


def test_a_stack_with_cut_edges_is_one_finding_with_one_press_whose_cost_is_said() -> None:
    """Twelve sheets as large as the view before a camera that goes aside: the cause is one, and so are the cures."""
    stack = [layer(f"l{n}", 640, 360, depth=100.0 * n, framing={"scale": 1.02}) for n in range(12)]
    document = scene(
        *stack,
        view={"width": 640, "height": 360},
        drivers={"scroll": {}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 60))],
    )
    sets = {x.id: opaque_set(None, 640, 360) for x in document.layers}

    def cut(one, of: dict):
        return CHECKS["edge"].run(Subject(one, of))

    (finding,) = cut(document, sets)
    assert finding.layer == "l0" and finding.amount == pytest.approx(60 - 6.4, abs=0.6), "the worst of them"
    assert finding.message.startswith("12 layers come into the view with a cut edge: the right edge of l0 comes ")
    assert set(finding.closers) == {x.id for x in document.layers}
    scale, extend = finding.fixes
    assert scale.text.startswith("Scale 12 layers, by up to ") and " s to prepare" in extend.text
    assert cut(fixed(document, scale), sets) == []
    extended = fixed(document, extend)
    larger = {x.id: opaque_set(None, x.art.width, x.art.height) for x in extended.layers}
    assert cut(extended, larger) == [] and extended.layers[0].art.width > 690
    few = document.model_copy(update={"layers": document.layers[:7]})
    assert len(cut(few, sets)) == 7, "few are told one by one"
    (eased,) = [x for x in prove(document, sets) if x.check == "edge"]
    assert eased.message.startswith("12 layers come into the view") and eased.fixes == finding.fixes


def test_a_film_is_told_of_no_loop_no_pointer_and_no_phone() -> None:
    """The same scene as a page has all of these faults, and a film has the gap that its own move shows."""
    document = scene(
        layer("a", 4400, 400, framing={"scale": 0.15}), view=VIEW, drivers={"time": {"duration": 2, "loop": True}, "pointer": {"reach_x": 90}},
        tracks=[track("a", "x", "time", (0, 0), (1, 400, "linear"), (2, 40))],
    )  # fmt: skip
    sets = {"a": opaque_set(None, 4400, 400)}

    def told(purpose: str) -> dict[str, float]:
        one, _ = apply(document, "purpose", {"purpose": purpose})
        return {x.check: max(x.amount, 0) for x in prove(one, sets, False) if x.side not in ("turn 1",)}

    page, film = told("page"), told("film")
    assert {"gap", "close", "weight"} <= set(page) and "jump" in page
    assert set(film) & {"close", "weight", "jump"} == set()
    assert 0 < film["gap"] < page["gap"] - 20, "without what the pointer opens"
