"""The camera's way: gone along at one pace, bent or straight, its knots moved in the drawing's own numbers."""

import numpy as np
import pytest

from clinamen.core.document import parse
from clinamen.core.drawing import path
from clinamen.core.edits import apply, track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import States
from clinamen.core.stage import stage
from tests.conftest import layer, scene, track

CLOCK = {"time": {"duration": 10, "fps": 25, "loop": False}}


def made(*tracks_):
    return scene(layer("a", 90, 60, depth=200), view={"width": 480, "height": 270}, drivers=CLOCK, tracks=list(tracks_))


def eyes(document, count: int = 401) -> np.ndarray:
    at = np.linspace(0, 10, count)
    channels = stage(document, States.still(count, time=at), layers=()).camera.channels
    return np.column_stack([channels[axis] for axis in "xyz"])


WINDING = (
    track("camera", "x", "time", (0, 0, "smooth"), (2, 200, "smooth"), (9, 250, "smooth"), (10, 0)),
    track("camera", "z", "time", (0, 0, "ease-in-out"), (5, 300, "ease-in"), (10, 320)),
)


def test_an_even_pace_keeps_the_way_and_evens_the_speed() -> None:
    before = made(*WINDING)
    after, says = apply(before, "even-pace", {"driver": "time"})
    assert says == "The camera goes at one pace"
    speed = np.linalg.norm(np.diff(eyes(after), axis=0), axis=1)
    assert speed.std() / speed.mean() < 0.015
    was, now = eyes(before, 4001), eyes(after)
    away = np.linalg.norm(now[:, None] - was[None], axis=2).min(axis=1)
    assert away.max() < 0.8, "the way itself stays"
    assert eyes(after)[[0, -1]] == pytest.approx(was[[0, -1]])


def test_a_way_is_straight_or_smooth_through_the_same_knots() -> None:
    for how, ease in (("straight", "linear"), ("smooth", "smooth")):
        after, _ = apply(made(*WINDING), "path-bends", {"driver": "time", "how": how})
        places = [[key.at for key in t.keys] for t in after.tracks]
        assert places[0] == places[1] == [0, 2, 5, 9, 10]
        assert {key.ease for t in after.tracks for key in t.keys} == {ease}
    straight = eyes(apply(made(*WINDING), "path-bends", {"driver": "time", "how": "straight"})[0], 1001)
    turn = np.diff(straight[200:500], axis=0)  # from the knot at 2 s to the one at 5 s
    assert turn == pytest.approx(np.broadcast_to(turn[0], turn.shape), abs=1e-9)


@pytest.mark.parametrize("axis", ["x", "y"])
def test_the_drawing_and_its_numbers_agree(axis: str) -> None:
    document = made(*WINDING, track("camera", "y", "time", (0, 0), (10, -80)))
    drawn = path.draw(document, "time", axis)
    assert [knot.at for knot in drawn.knots] == ["0.0", "2.0", "5.0", "9.0", "10.0"]
    for knot in drawn.knots:
        if axis == "x":
            back = drawn.first[0] + (knot.x - drawn.left) / drawn.per, drawn.first[1] - (knot.y - drawn.top) / drawn.per
        else:
            back = drawn.first[1] + (knot.y - drawn.top) / drawn.per, drawn.first[0] + (knot.x - drawn.left) / drawn.per
        assert back == pytest.approx((knot.across, knot.ahead), abs=0.2 / drawn.per)


def test_a_knot_of_the_way_is_moved_and_an_axis_that_rested_begins_to_move() -> None:
    after, _ = apply(made(*WINDING), "path-knot", {"driver": "time", "at": "5", "x": "100", "y": "-30"})
    x, y = (track_of(after, "camera", "time", axis) for axis in "xy")
    assert x is not None and [k.value for k in x.keys if k.at == 5] == [100]
    assert y is not None and [(k.at, k.value) for k in y.keys] == [(0, 0), (5, -30)]


def test_a_camera_that_goes_nowhere_has_no_pace() -> None:
    with pytest.raises(BadEdit, match="does not go anywhere"):
        apply(made(), "even-pace", {"driver": "time"})
    with pytest.raises(BadEdit, match="does not go anywhere"):
        apply(made(track("camera", "x", "time", (0, 5), (10, 5))), "even-pace", {"driver": "time"})


ROUND = (
    track("camera", "x", "time", (0, 0), (10, 120)), track("camera", "arc", "time", (0, 0), (10, 40)),
    track("camera", "crane", "time", (0, 0), (10, 15)),
)  # fmt: skip


def test_a_way_with_arcs_is_drawn_where_the_camera_is_with_what_it_goes_round() -> None:
    document = made(*ROUND)
    at = np.linspace(0, 10, path.SAMPLES)
    eye = stage(document, States.still(len(at), time=at), layers=()).eye()[0]
    drawn = path.draw(document, "time", "x")
    line = np.array([point.split(",") for point in drawn.line.split()], float)
    back = np.column_stack(
        [drawn.first[0] + (line[:, 0] - drawn.left) / drawn.per, drawn.first[1] - (line[:, 1] - drawn.top) / drawn.per]
    )
    assert back == pytest.approx(eye[:, [0, 2]], abs=0.2 / drawn.per)
    _, y = drawn.subject
    ahead = drawn.first[1] - (y - drawn.top) / drawn.per
    assert ahead == pytest.approx(document.lens_distance, abs=0.2 / drawn.per), "the middle of the picture plane"
    told = made(track("camera", "x", "time", (0, 0), (10, 120))).to_json()
    far = parse({**told, "camera": {"arc": 1.0, "target": {"x": 0, "y": 0, "depth": 9000}}})
    beyond = path.draw(far, "time", "x")
    assert beyond.subject[1] == beyond.top + path.EDGE and beyond.per > 2, "the way is not made small for it"
    assert path.draw(made(*WINDING), "time", "x").subject is None


def test_a_knot_of_a_way_with_arcs_goes_as_far_as_the_hand() -> None:
    document = made(*ROUND)
    after, _ = apply(document, "path-knot", {"driver": "time", "at": "10", "by_x": "30", "by_z": "-12"})
    one, two = (
        stage(each, States.still(1, time=np.array([10.0])), layers=()).eye()[0][0] for each in (document, after)
    )
    assert two - one == pytest.approx([30, 0, -12], abs=1e-4)


def test_a_double_press_ties_a_knot_at_the_nearest_place_and_the_way_stays() -> None:
    document = made(*ROUND)
    wanted = stage(document, States.still(1, time=np.array([4.0])), layers=()).eye()[0][0]
    values = {"driver": "time", "axis": "x", "across": str(wanted[0] + 0.3), "ahead": str(wanted[2] - 0.2)}
    after, says = apply(document, "path-tie", values)
    for each in after.tracks:
        assert [key.at for key in each.keys] == pytest.approx([0, 4, 10], abs=0.05)
    assert "has a knot at" in says
    at = np.linspace(0, 10, 101)
    before, now = (stage(each, States.still(101, time=at), layers=()).eye()[0] for each in (document, after))
    assert now == pytest.approx(before, abs=1e-6)
    with pytest.raises(BadEdit, match="does not go anywhere"):
        apply(made(), "path-tie", values)
