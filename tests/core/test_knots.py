"""Knots: moved, copied, turned, spread, taken out, tied on without a change of the motion; and poses kept as knots."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from clinamen.core.document import Key, Linear, Track
from clinamen.core.drawing import thread_curve, threads
from clinamen.core.edits import apply, knots, pose, track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.states import State
from clinamen.core.stage import project, stage_at
from tests.agreement.test_reading import EASES
from tests.conftest import layer, scene, track

CLOCK = {"time": {"duration": 4, "fps": 25, "loop": False}, "scroll": {"length": 900}}


def made(*tracks_, drivers=CLOCK, **fields):
    return scene(
        layer("a", 200, 100, framing={"x": 40}, **fields), layer("b", 200, 100), view={"width": 480, "height": 270}, drivers=drivers,
        tracks=list(tracks_),
    )  # fmt: skip


def keys_of(document, target="camera", driver="time", channel="x") -> list[tuple[float, float]]:
    found = track_of(document, target, driver, channel)
    return [(key.at, key.value) for key in found.keys] if found else []


def curve_of(document) -> Curve:
    found = track_of(document, "camera", "time", "x")
    assert found is not None
    return Curve(found)


@given(EASES, st.floats(0.05, 3.95), st.floats(-90, 90))
def test_a_knot_tied_on_a_thread_leaves_the_motion_as_it_was(ease, at, end) -> None:
    before = made(track("camera", "x", "time", (0, 10, ease), (4, end)))
    after, _ = apply(before, "add-knot", {"thread": "camera x time", "at": repr(round(at, 4))})
    assert len(keys_of(after)) == 3
    places = np.linspace(0, 4, 90)
    was, now = curve_of(before).value(places), curve_of(after).value(places)
    # a half that rises by nothing has no shape an easing could tell: it is straight
    flat = abs(keys_of(after)[1][1] - 10) < 1e-6 or abs(keys_of(after)[1][1] - end) < 1e-6
    exact = not any(isinstance(key.ease, Linear) for key in curve_of(after).keys) or isinstance(ease, dict)
    assert flat or now == pytest.approx(was, abs=(3e-4 if exact else 0.02) * max(10, abs(was).max()))


@given(EASES)
def test_a_motion_turned_round_runs_the_same_way_back(ease) -> None:
    before = made(track("camera", "x", "time", (0, 0, ease), (1.5, 30, ease), (4, -20)))
    chosen = "camera x time 0.0;camera x time 1.5;camera x time 4.0"
    after, _ = apply(before, "reverse-knots", {"knots": chosen})
    places = np.array([0.13, 0.77, 1.9, 2.51, 3.3])
    assert curve_of(after).value(4 - places) == pytest.approx(curve_of(before).value(places), abs=1e-9)


def test_knots_move_together_and_no_farther_than_the_driver() -> None:
    document = made(track("camera", "x", "time", (0, 0), (1, 5), (3, 9)), track("a", "y", "time", (2, 1), (3.5, 2)))
    values = {"knots": "camera x time 3.0;a y time 2.0", "by": "9"}
    after, says = apply(document, "move-knots", values)
    assert says == "2 knots moved"
    assert keys_of(after) == [(0, 0), (1, 5), (4, 9)], "as far as the last of them may go"
    assert keys_of(after, "a", "time", "y") == [(3, 1), (3.5, 2)]
    assert knots.chosen_after(document, after, values) == "camera x time 4.0;a y time 3.0"


def test_a_knot_comes_to_rest_on_knots_the_driver_and_frames() -> None:
    document = made(track("camera", "x", "time", (0, 0), (1, 5)), track("a", "y", "time", (2, 1), (3.5, 2)))
    one = {"knots": "camera x time 1.0", "grab": "1.0", "snap": "0.06", "here": "2.51"}
    assert keys_of(apply(document, "move-knots", {**one, "by": "0.97"})[0])[1][0] == 2.0, "on another thread's knot"
    assert keys_of(apply(document, "move-knots", {**one, "by": "1.48"})[0])[1][0] == 2.51, "where the driver stands"
    at = keys_of(apply(document, "move-knots", {**one, "by": "0.251"})[0])[1][0]
    assert at == pytest.approx(31 / 25), "on a frame"
    assert keys_of(apply(document, "move-knots", {**one, "by": "0.251", "snap": ""})[0])[1][0] == 1.251


def test_a_knot_that_would_land_on_one_of_its_own_thread_loses_neither() -> None:
    document = made(track("camera", "x", "time", (0, 0), (1, 5), (2, 9)))
    after, _ = apply(document, "move-knots", {"knots": "camera x time 1.0", "by": "1"})
    assert len(keys_of(after)) == 3


def test_values_are_raised_within_what_a_channel_may_be() -> None:
    document = made(track("a", "opacity", "time", (0, 0.2), (4, 1)))
    after, _ = apply(document, "move-knots", {"knots": "a opacity time 0.0", "by": "0", "lift": "-0.7"})
    assert keys_of(after, "a", "time", "opacity")[0] == (0, 0)


def test_copied_knots_go_where_they_are_pasted_and_to_the_thread_that_is_open() -> None:
    document = made(track("camera", "x", "time", (0, 0, "ease-in"), (1, 5)))
    clip = json.dumps([{"thread": "camera x time", "at": 0.5, "value": 3, "ease": [0.3, 0, 0.7, 1]},
                       {"thread": "camera x time", "at": 1.0, "value": 7, "ease": "hold"}])  # fmt: skip
    after, says = apply(document, "paste-knots", {"clip": clip, "at": "2"})
    assert keys_of(after) == [(0, 0), (1, 5), (2, 3), (2.5, 7)] and says == "2 knots pasted"
    onto, _ = apply(document, "paste-knots", {"clip": clip, "at": "2", "thread": "a y time"})
    assert keys_of(onto, "a", "time", "y") == [(2, 3), (2.5, 7)] and keys_of(onto) == keys_of(document)


def test_knots_spread_about_a_place() -> None:
    document = made(track("camera", "x", "time", (0, 0), (1, 5), (2, 9)))
    chosen = "camera x time 1.0;camera x time 2.0"
    after, _ = apply(document, "scale-knots", {"knots": chosen, "factor": "1.5", "about": "1"})
    assert [at for at, _ in keys_of(after)] == [0, 1, 2.5]


def test_a_thread_whose_last_knot_goes_is_gone() -> None:
    document = made(track("camera", "x", "time", (0, 0), (1, 5)))
    after, _ = apply(document, "remove-knots", {"knots": "camera x time 0.0;camera x time 1.0"})
    assert after.tracks == ()


def test_an_easing_is_bent_by_its_handle() -> None:
    document = made(track("camera", "x", "time", (1, 10, "ease-in"), (3, 30)))
    values = {"thread": "camera x time", "at": "1", "handle": "1", "to_at": "1.5", "to_value": "20"}
    after, _ = apply(document, "bend", values)
    found = track_of(after, "camera", "time", "x")
    assert found is not None and found.keys[0].ease == (0.25, 0.5, 1.0, 1.0)
    drawn = thread_curve.draw(after, found, "Camera")
    assert [(h.which, h.at) for h in drawn.handles] == [(1, "1.0"), (2, "1.0")]
    assert "beyond" not in drawn.says


@pytest.mark.parametrize(
    ("name", "values", "says"),
    [
        ("move-knots", {"knots": "", "by": "1"}, "No knot is chosen"),
        ("move-knots", {"knots": "camera x time 0.7", "by": "1"}, "no longer there"),
        ("set-knots", {"knots": "camera x time 1.0", "at": "9"}, "at: 9 is out of range"),
        ("set-knots", {"knots": "camera x time 1.0", "at": "0"}, "stands at 0 already"),
        ("set-knots", {"knots": "camera x time 1.0", "ease": "swoosh"}, "'swoosh' is neither one of"),
        ("set-knots", {"knots": "camera x time 1.0", "ease": "2 0 1 1"}, "within 0 and 1"),
        ("add-knot", {"thread": "nobody x time", "at": "1"}, "no longer in the scene"),
        ("add-knot", {"thread": "camera opacity time", "at": "1"}, "nothing called 'opacity'"),
        ("paste-knots", {"clip": "nonsense", "at": "1"}, "Nothing that could be pasted"),
        ("paste-knots", {"clip": '[{"thread": "camera x time", "at": 0, "value": 1, "ease": "linear"}]', "at": "5"}, "out of range"),
        ("scale-knots", {"knots": "camera x time 1.0", "factor": "9", "about": "0"}, "beyond the time's ends"),
        ("reverse-knots", {"knots": "camera x time 1.0"}, "One knot has no direction"),
        ("keep-pose", {"loose": "{}", "driver": "time", "at": "1"}, "Nothing is loose"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_with_knots_is_said(name: str, values: dict, says: str) -> None:
    with pytest.raises(BadEdit) as wrong:
        apply(made(track("camera", "x", "time", (0, 0), (1, 5))), name, values)
    assert says in str(wrong.value)


# --- threads ------------------------------------------------------------------------------------------------------------


def test_a_thread_is_as_thick_as_it_is_quick() -> None:
    keys = tuple(Key(at=at, value=v) for at, v in ((0, 0), (1, 100), (2, 100), (4, 200)))
    at, speed = threads.speeds(Curve(Track(target="camera", channel="x", driver="time", keys=keys)), 4)
    assert speed[(at > 0.01) & (at < 0.99)] == pytest.approx(100)
    assert speed[(at > 1.01) & (at < 1.99)] == pytest.approx(0, abs=1e-9), "a stop is a hairline"
    assert speed[(at > 2.01) & (at < 3.99)] == pytest.approx(50)


def test_threads_stand_by_camera_carrier_and_layer_and_are_read_out() -> None:
    document = made(
        track("b", "x", "time", (0, 0), (4, 1)), track("camera", "zoom", "time", (0, 1), (4, 2)), track("a", "x", "scroll", (0, 0), (1, 9)),
        {"target": "camera", "channel": "x", "driver": "time", "drift": {"reach": 5, "pace": 0.5}},
    )  # fmt: skip
    drawn = threads.draw(document, "time")
    assert [(row.target, row.move, row.drifts) for row in drawn.rows] == [
        ("camera", "truck", True), ("camera", "zoom", False), ("b", "across", False)]  # fmt: skip
    assert threads.describe(drawn) == "Threads over time: Camera truck drifts, Camera zoom 2 knots, b across 2 knots"
    assert drawn.rows[1].top == "0.25 ×/s"


# --- poses --------------------------------------------------------------------------------------------------------------


def drawn_at(document, target: str, state: State, point=(0.0, 0.0)) -> np.ndarray:
    return project(stage_at(document, state)[target].matrix[0], np.array([point]))[0][0]


@pytest.mark.parametrize("fields", [{}, {"carrier": "b"}, {"tilt": {"turn": 30}}, {"anchor": {"x": 60, "y": 0}}])
def test_a_layer_follows_the_hand_and_is_kept_where_it_was_let_go(fields: dict) -> None:
    document = made(
        track("b", "rotation", "time", (0, 20), (4, 50)), track("camera", "zoom", "time", (0, 1), (4, 1.5)), **fields
    )
    state = State(time=1.3)
    start = drawn_at(document, "a", state, (20, 10))
    hand = {"gesture": "move", "layer": "a", "from_x": repr(float(start[0])), "from_y": repr(float(start[1])), "time": "1.3",
            "to_x": repr(float(start[0]) + 37), "to_y": repr(float(start[1]) - 12)}  # fmt: skip
    loose = pose.gestured(document, {}, hand, "time")
    shown = drawn_at(pose.loosened(document, loose, "time"), "a", state, (20, 10))
    assert shown == pytest.approx(start + np.array([37, -12]), abs=1e-3)
    kept, _ = apply(document, "keep-pose", {"loose": json.dumps(loose), "driver": "time", "at": "1.3"})
    assert drawn_at(kept, "a", state, (20, 10)) == pytest.approx(start + np.array([37, -12]), abs=1e-3)
    assert drawn_at(kept, "a", State()) == pytest.approx(drawn_at(document, "a", State())), (
        "the start stays as composed"
    )


@pytest.mark.parametrize("more", [{"gesture": "size"}, {"gesture": "turn"}, {"gesture": "size", "factor": "5"},
                                  {"gesture": "turn", "degrees": "12"}])  # fmt: skip
def test_where_nobody_put_an_anchor_a_layer_grows_and_turns_about_what_it_shows(more: dict[str, str]) -> None:
    document, middle = made(), (-40.0, 12.0)
    at = drawn_at(document, "a", State(), middle)
    ends = {"from_x": f"{at[0] + 30}", "from_y": f"{at[1] + 20}", "to_x": f"{at[0] + 62}", "to_y": f"{at[1] + 37}"}
    loose = pose.gestured(document, {}, {"layer": "a", **ends, **more}, "time", middle)
    assert drawn_at(pose.loosened(document, loose, "time"), "a", State(), middle) == pytest.approx(at, abs=1e-3)
    if more == {"gesture": "size"}:
        assert loose["a"]["scale"] == pytest.approx(np.hypot(62, 37) / np.hypot(30, 20), abs=1e-5), "outwards is larger"


@pytest.mark.parametrize(("gesture", "to"), [("size", (340, 180)), ("turn", (240, 235))])
def test_a_layer_grows_and_turns_about_its_anchor(gesture: str, to: tuple[float, float]) -> None:
    document = made(anchor={"x": 30, "y": 5})
    anchor = drawn_at(document, "a", State(), (30, 5))
    hand = {"gesture": gesture, "layer": "a", "from_x": "340", "from_y": "150", "to_x": str(to[0]), "to_y": str(to[1])}
    loose = pose.gestured(document, {}, hand, "time")
    shown = pose.loosened(document, loose, "time")
    assert drawn_at(shown, "a", State(), (30, 5)) == pytest.approx(anchor, abs=1e-6)
    one, two = (complex(x - anchor[0], y - anchor[1]) for x, y in ((340, 150), to))
    if gesture == "size":
        assert loose["a"]["scale"] == pytest.approx(abs(two / one), abs=1e-5)
    else:
        assert loose["a"]["rotation"] == pytest.approx(np.degrees(np.angle(two / one)), abs=1e-4)


@pytest.mark.parametrize("camera", [{}, {"yaw": 12, "roll": 20}, {"arc": 20}, {"zoom": 2}])
def test_the_picture_plane_follows_the_hand_that_trucks(camera: dict) -> None:
    document = made().model_copy(update={"camera": made().camera.model_copy(update=camera)})
    hand = {"gesture": "truck", "from_x": "240", "from_y": "135", "to_x": "260", "to_y": "128"}
    shown = pose.loosened(document, pose.gestured(document, {}, hand, "time"), "time")
    ahead = [stage_at(each, State()).eye() for each in (document, shown)]
    moved = (ahead[1][0] - ahead[0][0])[0] @ ahead[0][1][0]  # in the camera's own axes
    assert moved == pytest.approx(np.array([-20, 7, 0]) / camera.get("zoom", 1), abs=1e-3)


def test_a_loose_pose_says_itself_and_forgets_what_is_gone() -> None:
    document = made()
    loose = pose.loose_of(document, json.dumps({"camera": {"x": 34, "zoom": 1.2}, "ghost": {"x": 2}, "a": {"x": 0}}))
    assert pose.said(document, loose) == ["Camera truck +34 px", "Camera zoom × 1.2"]
    assert pose.loose_of(document, "not json") == {}


def test_an_anchor_is_put_where_the_view_shows_it() -> None:
    document = made(tilt={"lean": 20})
    at = drawn_at(document, "a", State(), (50, -30))
    after, _ = apply(document, "anchor-at", {"layer": "a", "to_x": repr(float(at[0])), "to_y": repr(float(at[1]))})
    assert (after.layer("a").anchor.x, after.layer("a").anchor.y) == pytest.approx((50, -30), abs=0.02)
