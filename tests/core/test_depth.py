"""Depth: spacing, neighbours, the ground, planes, lens and groups, each held against where the one evaluation puts things."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clinamen.core.bounds.needs import Needs
from clinamen.core.checks import prove
from clinamen.core.document import parse
from clinamen.core.drawing import ladder, plan, turntable
from clinamen.core.drawing.standing import standing
from clinamen.core.edits import apply
from clinamen.core.edits.depth import resting_rate
from clinamen.core.edits.lens import angles_of, asked_lens, rate_changes, shortest_lens
from clinamen.core.errors import BadEdit
from clinamen.core.ground import PLANES, foot_at
from clinamen.core.motion.states import State
from clinamen.core.optics import rate_of
from clinamen.core.pictures.showing import showing
from clinamen.core.raster import render
from clinamen.core.readout import read_layer
from clinamen.core.shifting import plainly_shifted
from clinamen.core.stage import corners, framed, project, stage_at
from tests.conftest import full_sets, layer, noise, scene, shelf_of, track


def four(**fields):
    return scene(
        layer("sky", 1920, 1080, depth="infinite"), layer("hills", 2200, 900, depth=4000), layer("reef", 1800, 700, depth=900),
        layer("kelp", 600, 900), layer("fish", 200, 100, depth=-500), **{"drivers": {"scroll": {}}, **fields},
    )  # fmt: skip


def rates(made) -> dict[str, float]:
    return {x.id: resting_rate(made, x) for x in made.layers}


def test_each_spacing_keeps_the_ends_and_steps_as_it_says() -> None:
    made = four()
    distance = made.lens_distance
    before = rates(made)
    for name in ("depth", "rate", "ratio"):
        after = rates(apply(made, "spread", {"by": name})[0])
        assert (after["hills"], after["fish"]) == pytest.approx((before["hills"], before["fish"]), rel=1e-3)
        steps = [after[x] for x in ("hills", "reef", "kelp", "fish")]
        even = {"depth": 1 / np.array(steps), "rate": np.array(steps), "ratio": np.log(steps)}[name]
        assert np.diff(even) == pytest.approx(np.full(3, np.diff(even).mean()), rel=2e-3), name
    doubled = rates(apply(made, "spread", {"by": "ratio", "ratio": "2"})[0])
    away = [distance / doubled[x] for x in ("fish", "kelp", "reef", "hills")]
    assert np.array(away[1:]) / away[:-1] == pytest.approx([2, 2, 2], rel=1e-3)
    assert rates(apply(made, "spread", {"by": "rate"})[0])["sky"] == 0, "infinity stays"


@settings(max_examples=30, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_chance_stays_in_its_band_in_order_and_is_the_same_again(seed: int) -> None:
    values = {"by": "random", "seed": str(seed), "nearest": "100 px", "farthest": "3 000"}
    once, again = (apply(four(), "spread", values)[0] for _ in range(2))
    depths = [once.layer(x).depth for x in ("hills", "reef", "kelp", "fish")]
    assert depths == sorted(depths, reverse=True) and depths == [
        again.layer(x).depth for x in ("hills", "reef", "kelp", "fish")
    ]
    assert min(depths) >= 100 and max(depths) <= 3000


def test_spacing_by_drawing_order_cures_what_stands_the_wrong_way_round() -> None:
    mixed = scene(*(layer(name, 400, 300, depth=depth) for name, depth in (("a", 0), ("b", 2000), ("c", 500))))
    after = rates(apply(mixed, "spread", {"by": "order"})[0])
    assert after["a"] < after["b"] < after["c"]


def test_spacing_takes_the_chosen_and_leaves_the_locked() -> None:
    made = four()
    some, _ = apply(made, "spread", {"by": "rate", "many": "hills reef kelp"})
    assert some.layer("fish") == made.layer("fish") and some.layer("reef") != made.layer("reef")
    locked, _ = apply(made, "layer", {"layer": "reef", "locked": "1"})
    spread, says = apply(locked, "spread", {"by": "depth"})
    assert spread.layer("reef").depth == 900 and says.startswith("3 layers")
    with pytest.raises(BadEdit, match="^farthest: does not lie behind"):
        apply(made, "spread", {"by": "rate", "nearest": "500", "farthest": "100"})
    with pytest.raises(BadEdit, match="^seed: "):
        apply(made, "spread", {"by": "random", "seed": "often"})


def test_a_hand_stops_at_the_neighbours_and_a_typed_number_does_not() -> None:
    made = four()
    for at, stops in (("0.999", "hills"), ("0.0", "kelp")):
        pushed, _ = apply(made, "depth", {"layer": "reef", "at": at, "near": "1.5", "stops": "1"})
        assert resting_rate(pushed, pushed.layer("reef")) == pytest.approx(rates(made)[stops], abs=1e-4)
    passed, _ = apply(made, "depth", {"layer": "reef", "at": "0.0", "near": "1.5", "stops": "0"})
    assert resting_rate(passed, passed.layer("reef")) == pytest.approx(1.5, abs=1e-3)
    typed, _ = apply(made, "depth", {"layer": "reef", "depth": "9 000", "stops": "1"})
    assert typed.layer("reef").depth == 9000
    nudged, says = apply(made, "depth", {"layer": "reef", "rate": "1.4", "nudge": "1", "stops": "1"})
    assert nudged.layer("reef").depth == 0, "the arrow keys are a hand too"
    assert says == "reef stops at kelp, at depth 0"


def test_many_move_by_as_much_as_the_one_in_hand() -> None:
    moved, says = apply(four(), "depth", {"layer": "reef", "depth": "1 200", "many": "hills reef kelp"})
    assert [moved.layer(x).depth for x in ("hills", "reef", "kelp", "fish")] == [4300, 1200, 300, -500]
    assert says == "3 layers moved 300 px farther"


def test_a_layer_takes_the_rate_of_another() -> None:
    matched, _ = apply(four(), "depth", {"layer": "fish", "as": "reef"})
    assert matched.layer("fish").depth == 900
    assert apply(four(), "depth", {"layer": "fish", "as": "sky"})[0].layer("fish").depth == "infinite"


@settings(max_examples=40, deadline=None)
@given(y=st.floats(-200, 500), horizon=st.floats(-300, -210), eye=st.floats(50, 2000))
def test_what_stands_on_the_ground_moves_at_its_place_below_the_horizon(y: float, horizon: float, eye: float) -> None:
    """Single view metrology (Criminisi, Reid and Zisserman 2000): heights over one eye height go as places below the horizon."""
    made = scene(layer("tree", 200, 400, framing={"x": 40, "y": y - 200}), ground={"horizon": horizon, "eye": eye})
    stood, _ = apply(made, "foot", {"layer": "tree"})
    assert resting_rate(stood, stood.layer("tree")) == pytest.approx((y - horizon) / eye, rel=1e-3)


def test_a_foot_is_the_lowest_opaque_place_inside_the_view() -> None:
    """A figure 300 px high on a canvas of 900; once whole in the view, once cut off by its lower edge at 540."""
    for down, stands in ((0.0, 300.0), (400.0, 540.0)):
        made = scene(layer("tree", 200, 900, framing={"y": down}), ground={"horizon": -100, "eye": 500})
        alpha = np.zeros((900, 200), np.uint8)
        alpha[450:750, 150:170] = 255
        alpha[750:800, 40:60] = 200  # shows, and is not opaque
        found = showing(made, made.layer("tree"), alpha)
        stood, _ = apply(made, "foot", {"layer": "tree", **found.as_values()})
        tree = stood.layer("tree")
        assert tree.foot is not None and foot_at(tree) == pytest.approx((60, stands), abs=1)
        assert resting_rate(stood, tree) == pytest.approx((stands + 100) / 500, abs=0.003)


def test_a_foot_is_dragged_moved_with_its_layer_and_taken_away() -> None:
    made = scene(layer("tree", 200, 400), ground={"horizon": -100, "eye": 500})
    stood, _ = apply(made, "foot", {"layer": "tree", "x": "960", "y": "840"})  # 300 px below the middle
    assert resting_rate(stood, stood.layer("tree")) == pytest.approx(0.8, abs=1e-4)
    lower, _ = apply(stood, "framing", {"layer": "tree", "y": "50"})
    assert resting_rate(lower, lower.layer("tree")) == pytest.approx(0.9, abs=1e-4)
    higher_eye, _ = apply(stood, "ground", {"eye": "800"})
    assert resting_rate(higher_eye, higher_eye.layer("tree")) == pytest.approx(0.5, abs=1e-4)
    dragged, _ = apply(stood, "ground", {"horizon_at": "640"})
    assert resting_rate(dragged, dragged.layer("tree")) == pytest.approx(0.4, abs=1e-4)
    meets, _ = apply(stood, "ground", {"meets_at": "740"})
    assert meets.ground.eye == pytest.approx(300)
    by_hand, _ = apply(stood, "depth", {"layer": "tree", "depth": "77"})
    assert by_hand.layer("tree").foot is None and by_hand.layer("tree").depth == 77
    with pytest.raises(BadEdit, match="^foot: is not below the horizon"):
        apply(stood, "foot", {"layer": "tree", "x": "960", "y": "400"})
    leaning, _ = apply(stood, "tilt", {"layer": "tree", "lean": "20"})
    assert leaning.layer("tree").foot is None
    with pytest.raises(BadEdit, match="let it stand upright first"):
        apply(leaning, "foot", {"layer": "tree"})
    assert "foot" not in made.to_json()["layers"][0] and "ground" not in scene(layer("a", 9, 9)).to_json()


@settings(max_examples=60, deadline=None)
@given(
    hand=st.sampled_from(["turn", "lean"]), end=st.sampled_from(["low", "high"]), depth=st.floats(-800, 3000),
    across=st.floats(60, 900), there=st.floats(0.1, 1.9), x=st.floats(-300, 50), y=st.floats(-300, 50),
)  # fmt: skip
def test_a_sheet_turned_by_hand_runs_through_where_the_hand_is(hand, end, depth, across, there, x, y) -> None:
    """Planes are planes in place and rate: the hand's place, the sheet's middle and its end lie on one line."""
    made = scene(layer("card", 300, 300, depth=depth, framing={"x": x, "y": y, "scale": 0.5}))
    values = {"layer": "card", "hand": hand, "end": end, "at": str(1 - there / 2), "near": "2", "across": str(across)}
    turned, _ = apply(made, "tilt", values)
    angle = turned.layer("card").tilt.turn if hand == "turn" else turned.layer("card").tilt.lean
    if angle % 90 == 0:
        return  # near enough to straight to have snapped
    side = 0 if hand == "turn" else 1
    (stands,) = standing(turned)
    one, two = stands.points(np.array([[0.0, 0.0], np.eye(2)[side]]))
    far = two[[side, 2]] - one[[side, 2]]
    to_hand = np.array([across, there]) - one[[side, 2]]
    crossed = abs(far[0] * to_hand[1] - far[1] * to_hand[0]) / np.linalg.norm(far) / max(np.linalg.norm(to_hand), 1e-9)
    assert crossed < 2e-3


@pytest.mark.parametrize("kind", PLANES)
def test_a_plane_reaches_from_the_views_edge_to_where_it_vanishes(kind: str) -> None:
    made = scene(layer("board", 1200, 800), ground={"horizon": -60, "eye": 700}, view={"width": 1600, "height": 900})
    laid, _ = apply(made, "lay-out", {"layer": "board", "plane": kind})
    sheet = framed(laid, laid.layers).sheets[0]
    points, ahead = project(sheet.matrix[0], corners(laid.layers[0]))
    assert (ahead > 0).all(), "all of it stands before the eye"
    away = points - (800, 450)
    axis, side = (
        (1, 1 if kind == "floor" else -1) if kind in ("floor", "ceiling") else (0, 1 if "right" in kind else -1)
    )
    size, vanishes = (900, -60) if axis else (1600, 0)
    assert np.sum(np.isclose(away[:, axis], side * size / 2, atol=0.5)) == 2, "two corners at the view's edge"
    ends = sorted(set(np.round(away[:, axis], 2)), key=lambda at: abs(at - vanishes))
    assert abs(ends[0] - vanishes) == pytest.approx(0.01 * size, abs=0.5), "as near to where it vanishes as it says"
    eye = 700 if axis else 800
    k_of = resting_rate(laid, laid.layers[0]) * laid.lens_distance / ahead
    assert k_of == pytest.approx(np.abs(away[:, axis] - vanishes) / eye, rel=1e-3), (
        "every corner moves as its place says"
    )
    wide = np.ptp(away[np.isclose(away[:, axis], side * size / 2, atol=1)][:, 1 - axis])
    assert wide == pytest.approx(1.5 * (1600 if axis else 900), rel=1e-3)
    upright, _ = apply(laid, "lay-out", {"layer": "board", "plane": "upright"})
    assert upright.layers[0].tilt.lean == upright.layers[0].tilt.turn == 0


def test_a_floor_laid_to_the_horizon_is_drawn_as_a_line_from_it() -> None:
    made = scene(layer("board", 1200, 800), ground={"horizon": -60, "eye": 700})
    laid, _ = apply(made, "lay-out", {"layer": "board", "plane": "floor"})
    drawn = plan.draw(laid, full_sets(laid), "y")
    (bar,) = drawn.bars
    (far_x, far_y), (near_x, near_y) = bar.ends
    assert far_x == pytest.approx(drawn.right, abs=12) and far_y == pytest.approx(
        drawn.middle - 60 / drawn.across, abs=3
    )
    assert near_x < far_x and near_y > far_y and bar.outline


def test_angles_of_view_are_the_handbooks() -> None:
    """36 × 24 mm: 50 mm sees 39.6° across, 27.0° up and down, 46.8° from corner to corner (handbook values, from memory)."""
    made = scene(layer("a", 9, 9), view={"width": 1800, "height": 1200})
    assert list(angles_of(made).values()) == pytest.approx([39.6, 27.0, 46.8], abs=0.05)
    for name, angle in (("angle", "54.4°"), ("angle_aslant", "63.4°")):
        assert asked_lens(made, {name: angle}).focal_length == pytest.approx(35, abs=0.05)
    with pytest.raises(BadEdit, match="angle of view"):
        asked_lens(made, {"angle_down": "190°"})


def test_a_lens_keeps_the_rates_or_the_depths_and_says_what_it_does_to_them() -> None:
    made = four()
    kept, _ = apply(made, "lens", {"focal_length": "100", "lens_keeps": "depths"})
    assert [x.depth for x in kept.layers] == [x.depth for x in made.layers]
    told = rate_changes(made, asked_lens(made, {"focal_length": "100"}))
    assert {each.layer.id: each.after for each in told} == pytest.approx(rates(kept))
    assert {each.layer.id: each.before for each in told} == pytest.approx(rates(made))
    longer = 1920 * 100 / 36
    assert rates(kept)["reef"] == pytest.approx(longer / (longer + 900))
    assert rates(apply(made, "lens", {"focal_length": "100"})[0]) == pytest.approx(rates(made), abs=1e-4)


def test_a_lens_too_short_for_a_sheet_is_said_with_the_shortest_that_works() -> None:
    made = four()  # the fish is 500 px before the picture plane
    told = {each.layer.id: each.after for each in rate_changes(made, asked_lens(made, {"focal_length": "9"}))}
    assert told["fish"] is None and told["reef"] is not None
    shortest = shortest_lens(made)
    assert shortest == pytest.approx(36 * 500 / 1920, abs=0.1), "by hand: its distance is that of the fish"
    seen = rate_changes(made, asked_lens(made, {"focal_length": f"{shortest:g}"}))
    assert all(each.after is not None for each in seen)
    less = rate_changes(made, asked_lens(made, {"focal_length": f"{shortest - 0.1:g}"}))
    assert any(each.after is None for each in less)


def test_what_is_pushed_back_and_what_moves_in_depth_keep_their_rates_through_another_lens() -> None:
    made, _ = apply(grouped(), "group-shift", {"group": "House", "shift": "400"})
    moving = made.to_json()["tracks"] + [track("cat", "depth", "scroll", (0, 0), (1, 250))]
    made = parse({**made.to_json(), "tracks": moving})
    for name, values in (("lens", {"angle": "70"}), ("view", {"width": "480"})):
        changed, _ = apply(made, name, values)
        for state in (State(), State(1.0)):
            before, after = (
                {s.layer.id: float(s.rate[0]) for s in stage_at(each, state).sheets} for each in (made, changed)
            )
            assert after == pytest.approx(before, abs=1e-4)


def test_true_size_is_kept_from_where_a_layer_really_stands() -> None:
    made, _ = apply(grouped(), "group-shift", {"group": "House", "shift": "400"})
    nearer, _ = apply(made, "depth", {"layer": "roof", "depth": "100", "hold": "size"})
    true = [each.layer("roof").framing.scale / rates(each)["roof"] for each in (made, nearer)]
    assert true[0] == pytest.approx(true[1], rel=1e-3)


def grouped():
    return scene(
        layer("wall", 400, 240), layer("roof", 120, 80, group="House", depth=300), layer("cat", 60, 40, group="House / Attic", depth=200),
        view={"width": 320, "height": 180}, drivers={"scroll": {}}, tracks=[track("camera", "x", "scroll", (0, 0), (1, 20))],
    )  # fmt: skip


def test_a_group_is_hidden_as_one_everywhere_and_shown_again_as_it_was() -> None:
    made = grouped()
    made, _ = apply(made, "layer", {"layer": "roof", "visible": "0"})
    hidden, says = apply(made, "group-as-one", {"group": "House", "visible": "0"})
    assert says == "House hidden" and hidden.layer("cat").visible
    art = {"wall": noise(400, 240, 1), "roof": noise(120, 80, 2), "cat": noise(60, 40, 3)}
    without = made.model_copy(update={"layers": made.layers[:1]})
    drawn, alone = (render(each, State(), shelf_of(art, each).loader(each)) for each in (hidden, without))
    assert (drawn == alone).all()
    assert all(finding.layer == "wall" for finding in prove(hidden, full_sets(hidden)))
    back, _ = apply(hidden, "group-as-one", {"group": "House", "visible": "1"})
    assert back == made and not back.groups


def test_a_group_is_locked_renamed_and_pushed_back_as_one() -> None:
    made = grouped()
    locked, _ = apply(made, "group-as-one", {"group": "House", "locked": "1"})
    with pytest.raises(BadEdit, match="cat is locked"):
        apply(locked, "depth", {"layer": "cat", "depth": "5"})
    hidden, _ = apply(made, "group-as-one", {"group": "House", "visible": "0"})
    named, _ = apply(hidden, "rename-group", {"group": "House", "to": "Barn"})
    assert [x.group for x in named.layers] == ["", "Barn", "Barn / Attic"] and named.groups[0].name == "Barn"
    pushed, says = apply(made, "group-shift", {"group": "House", "shift": "400 px"})
    assert says.startswith("House 400 px farther")
    distance = made.lens_distance
    assert rates(pushed) == pytest.approx({"wall": 1, "roof": rate_of(700, distance), "cat": rate_of(600, distance)})
    at_rest = [stage_at(each, State())["roof"].matrix for each in (made, pushed)]
    assert at_rest[0] == pytest.approx(at_rest[1]), "it looks the same at rest"
    rungs = {rung.layer.id: rung for rung in ladder.draw(pushed).rungs}
    assert rungs["roof"].depth == "+700", "where it really stands"
    again, _ = apply(pushed, "group-shift", {"group": "House", "shift": "0"})
    assert len(again.carriers) == 1 and rates(again) == pytest.approx(rates(made))
    own, _ = apply(pushed, "depth", {"layer": "roof", "depth": "1 000"})
    assert own.layer("roof").depth == 600, "a depth that is typed is where it then stands"
    with pytest.raises(BadEdit, match="no longer in the scene"):
        apply(made, "group-as-one", {"group": "Shed", "visible": "0"})


def test_what_goes_along_with_a_layer_keeps_its_place_when_that_is_pushed_back() -> None:
    made = scene(layer("boat", 300, 100, depth=200), layer("man", 40, 80, depth=150, carrier="boat", framing={"x": 30, "y": -60}),
                 drivers={"scroll": {}}, tracks=[track("boat", "x", "scroll", (0, 0), (1, 200))])  # fmt: skip
    for hold in ("framing", "size"):
        pushed, _ = apply(made, "depth", {"layer": "boat", "depth": "2 000", "hold": hold})
        for each in (State(), State(1.0)):
            assert stage_at(pushed, each)["man"].matrix == pytest.approx(stage_at(made, each)["man"].matrix)


def test_plain_shifting_moves_each_layer_by_its_rate_and_grows_none() -> None:
    made = four(tracks=[track("camera", "x", "scroll", (0, 0), (1, 300)), track("camera", "z", "scroll", (0, 0), (1, 600)),
                        track("camera", "yaw", "scroll", (0, 0), (1, 10))])  # fmt: skip
    plain, end = plainly_shifted(made), State(1.0)
    for name, rate in rates(made).items():
        rest, there = (stage_at(plain, each)[name].centre() for each in (State(), end))
        assert there[0][0] - rest[0][0] == pytest.approx([-300 * rate, 0], abs=1e-6)
        assert there[1] == pytest.approx(rest[1])
    assert stage_at(made, end)["fish"].centre()[1] > 1.1, "in perspective it grows"


@settings(max_examples=30, deadline=None)
@given(lean=st.floats(-60, 60), turn=st.floats(-60, 60), depth=st.floats(-500, 5000))
def test_cards_stand_on_the_turntable_where_they_are_seen_and_at_their_rate(
    lean: float, turn: float, depth: float
) -> None:
    made = scene(
        layer("card", 640, 360, depth=depth, tilt={"lean": lean, "turn": turn}, framing={"x": 100, "scale": 0.8})
    )
    table = turntable.draw(made, 400)
    (card,) = table.cards
    matrix = np.array([float(v) for v in card.matrix.split(",")]).reshape(4, 4).T
    at = matrix @ [0, 0, 0, 1]
    at = at[:3] / at[3]
    sheet = framed(made, made.layers).sheets[0]
    points, ahead = project(sheet.matrix[0], corners(made.layers[0]))
    scale = table.width / 1920
    near = plan.nearest_rate(made)
    rate = float(sheet.rate[0]) * made.lens_distance / ahead[0]
    assert at[:2] == pytest.approx((points[0] - (960, 540)) * scale, abs=1e-3 * max(1, math.hypot(*points[0])))
    assert at[2] == pytest.approx((rate / near - 0.5) * table.long, abs=0.05)


def test_the_readout_says_where_a_layer_stands_with_what_carries_it() -> None:
    pushed, _ = apply(grouped(), "group-shift", {"group": "House", "shift": "400"})
    reading = read_layer(pushed, pushed.layer("roof"), full_sets(pushed)["roof"], Needs(pushed))
    assert reading.depth == 700 and reading.rate == pytest.approx(rates(pushed)["roof"])
    hidden, _ = apply(pushed, "group-as-one", {"group": "House", "visible": "0"})
    assert {rung.layer.id: rung.seen for rung in ladder.draw(hidden).rungs} == {
        "wall": True,
        "roof": False,
        "cat": False,
    }


def test_what_is_said_of_a_group_stays_when_something_else_is_said_of_it() -> None:
    """Its look, its lock, its carrier: each edit sets its own and leaves the others, and the order of groups."""
    made, _ = apply(grouped(), "look-add", {"group": "House", "step": "hue"})
    made, _ = apply(made, "group-as-one", {"group": "House / Attic", "visible": "0"})
    made, _ = apply(made, "new-carrier", {"name": "Raft"})
    carried, _ = apply(made, "carry", {"group": "House", "carrier": made.carriers[0].id})
    hidden, _ = apply(carried, "group-as-one", {"group": "House", "visible": "0"})
    house = hidden.groups[0]
    assert (house.name, len(house.look), house.carrier, house.visible) == ("House", 1, made.carriers[0].id, False)
    alone, _ = apply(hidden, "carry", {"group": "House", "carrier": ""})
    assert len(alone.groups[0].look) == 1 and alone.groups[0].carrier is None and not alone.groups[0].visible
    bare, _ = apply(grouped(), "carry", {"group": "House", "carrier": "wall"})
    assert apply(bare, "carry", {"group": "House", "carrier": ""})[0].groups == (), "nothing to say is not said"
