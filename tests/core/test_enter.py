"""Entrances, settling, moves turned round, and the largest move that opens no gap."""

import numpy as np
import pytest

from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.checks import prove
from clinamen.core.checks.base import Subject
from clinamen.core.checks.largest import largest_move
from clinamen.core.edits import apply, track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.states import State, States
from clinamen.core.pictures.showing import showing
from clinamen.core.stage import corners, project, stage, stage_at
from tests.conftest import layer, scene, track

VIEW = {"width": 480, "height": 270}
CLOCK = {"time": {"duration": 4, "loop": False}, "scroll": {}}


def box_at(made, name: str, state: State) -> tuple[np.ndarray, np.ndarray]:
    points, _ = project(stage_at(made, state)[name].matrix[0], corners(made.layer(name)))
    return points.min(axis=0), points.max(axis=0)


def bird(**fields):
    moves = [track("camera", "x", "time", (0, 0), (4, 300)), track("camera", "zoom", "time", (0, 1), (4, 1.5))]
    return scene(layer("sky", 900, 500, depth=500), layer("bird", 90, 60, **{"framing": {"x": 60, "y": -30, "rotation": 20}, **fields}),
                 view=VIEW, drivers=CLOCK, tracks=moves)  # fmt: skip


@pytest.mark.parametrize("fields", [{}, {"depth": 300}, {"tilt": {"turn": 30}}])
@pytest.mark.parametrize(("side", "axis"), [("left", 0), ("right", 0), ("top", 1), ("bottom", 1)])
def test_a_layer_comes_in_from_just_outside_and_rests_where_it_was_composed(side: str, axis: int, fields: dict) -> None:
    made = bird(**fields)
    after, says = apply(made, "enter", {"layer": "bird", "side": side, "driver": "time", "from": "1", "to": "3 s"})
    assert f"from the {side}" in says
    low, high = box_at(after, "bird", State(time=1))
    gap = -high[axis] if side in ("left", "top") else low[axis] - (480, 270)[axis]
    assert gap == pytest.approx(1, abs=0.01)
    for time in (3.0, 3.7):
        assert box_at(after, "bird", State(time=time))[0] == pytest.approx(box_at(made, "bird", State(time=time))[0])


def test_a_layer_crosses_and_is_gone() -> None:
    after, _ = apply(bird(), "cross", {"layer": "bird", "side": "right", "driver": "time", "from": "0", "to": ""})
    assert box_at(after, "bird", State(time=0))[0][0] == pytest.approx(481, abs=0.01)
    assert box_at(after, "bird", State(time=4))[1][0] == pytest.approx(-1, abs=0.01)
    assert 0 < box_at(after, "bird", State(time=2))[0][0] < 480


@pytest.mark.parametrize(("side", "axis"), [("left", 0), ("right", 0), ("top", 1), ("bottom", 1)])
def test_a_card_on_a_large_canvas_comes_in_from_just_outside_by_what_it_shows(side: str, axis: int) -> None:
    """A card of 100 × 60 px on a canvas of 2560 × 1440, right and below of its middle."""
    made = scene(layer("card", 2560, 1440, framing={"scale": 0.5}), view=VIEW, drivers=CLOCK)
    alpha = np.zeros((1440, 2560), np.uint8)
    alpha[800:860, 1400:1500] = 255
    found = showing(made, made.layer("card"), alpha)
    assert found.box == (120, 80, 220, 140)
    values = {"layer": "card", "side": side, "driver": "time", "from": "0", "to": "", **found.as_values()}
    shown = np.array([[120, 80], [220, 140]])
    for name, end in (("enter", False), ("cross", False), ("cross", True)):
        after, _ = apply(made, name, values)
        at = project(stage_at(after, State(time=4.0 if end else 0.0))["card"].matrix[0], shown)[0]
        low = (side in ("left", "top")) != end
        gap = -at[:, axis].max() if low else at[:, axis].min() - (480, 270)[axis]
        assert gap == pytest.approx(1, abs=0.01), name


def test_a_layer_that_rides_keeps_its_place_and_the_world_goes_by() -> None:
    made = bird(depth=200).model_copy(update={"tracks": bird().tracks[:1]})
    after, _ = apply(made, "ride", {"layer": "bird"})
    places = [stage_at(after, State(time=t))["bird"].centre()[0][0] for t in (0.0, 1.3, 4.0)]
    assert np.ptp(np.array(places), axis=0) == pytest.approx(0, abs=1e-9)
    sky = [stage_at(after, State(time=t))["sky"].centre()[0][0][0] for t in (0.0, 4.0)]
    assert sky[1] < sky[0] - 50


@pytest.mark.parametrize("share", [0.2, 0.5])
def test_a_move_that_settles_goes_on_evenly_to_its_end_without_a_jerk(share: float) -> None:
    made = scene(
        layer("a", 9, 9),
        view=VIEW,
        drivers=CLOCK,
        tracks=[track("camera", "x", "time", (0, 0, "ease-in-out"), (4, 200))],
    )
    after, _ = apply(made, "settle", {"target": "camera", "driver": "time", "share": str(share)})
    found = track_of(after, "camera", "time", "x")
    assert found is not None and found.keys[-1].value == 200
    curve, turn = Curve(found), 4 - 4 * share
    step = 1e-4
    speeds = [
        float(np.diff(curve.value(np.array([t - step, t + step])))[0]) / (2 * step)
        for t in (turn - 0.002, turn + 0.002, 3.99)
    ]
    assert speeds[1] == pytest.approx(speeds[2]) == pytest.approx(0.06 * 200 / (4 * share), rel=1e-6)
    assert speeds[0] == pytest.approx(speeds[1], rel=0.05), "no jerk where it begins"


def test_a_move_turned_round_is_seen_backwards() -> None:
    made = bird()
    after, _ = apply(made, "turn-round", {"target": "camera", "driver": "time"})
    for time in (0.4, 1.7, 3.9):
        one, two = (
            stage(each, States.still(1, time=np.array([t])))["sky"].matrix
            for each, t in ((made, time), (after, 4 - time))
        )
        assert two == pytest.approx(one, abs=1e-9)


@pytest.mark.parametrize(
    ("name", "values", "says"),
    [
        ("enter", {"layer": "bird", "side": "left", "driver": "time", "from": "3", "to": "2"}, "is not after"),
        ("enter", {"layer": "bird", "side": "above", "driver": "time"}, "'above' is not one of"),
        ("enter", {"layer": "bird", "side": "left", "driver": "time", "to": "9"}, "to: 9 is out of range"),
        ("settle", {"target": "bird", "driver": "time", "share": "0.3"}, "does not move from key to key"),
        ("settle", {"target": "camera", "driver": "time", "share": "2"}, "share: 2 is out of range"),
        ("turn-round", {"target": "bird", "driver": "time"}, "does not move over time"),
    ],
)
def test_what_cannot_come_in_or_settle_is_said(name: str, values: dict, says: str) -> None:
    with pytest.raises(BadEdit) as wrong:
        apply(bird(), name, values)
    assert says in str(wrong.value)


def test_the_largest_truck_is_as_far_as_the_art_reaches() -> None:
    # by hand: a backdrop at half rate reaches 60 px beyond the view on each side, so the camera may truck by 120
    distance = 480 * 50 / 36
    made = scene(layer("back", 600, 330, depth=distance), view=VIEW, drivers=CLOCK)
    sets = {"back": opaque_set(None, 600, 330)}
    values = {"move": "truck", "driver": "time", "land": "start"}
    size, more = largest_move(Subject(made, sets, False), values)
    assert more and size == pytest.approx(120, abs=1.01)
    fits, _ = apply(made, "move", {**values, "size": str(size)})
    over, _ = apply(made, "move", {**values, "size": str(size + 3)})
    assert not [f for f in prove(fits, sets) if f.check == "gap"]
    assert [f for f in prove(over, sets) if f.check == "gap"]
