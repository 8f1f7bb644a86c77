import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clinamen.core import document
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.hands import HERTZ, hands
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.settling import follow, step_response
from clinamen.core.motion.states import Cells, State, States
from tests.conftest import layer, scene, track

eases = st.sampled_from(document.EASING_NAMES) | st.tuples(
    st.floats(0, 1), st.floats(-1.5, 2.5), st.floats(0, 1), st.floats(-1.5, 2.5)
)


@st.composite
def curves(draw: st.DrawFn) -> Curve:
    at = sorted(draw(st.lists(st.integers(0, 1000), min_size=1, max_size=6, unique=True)))
    keys = [(a / 1000, draw(st.floats(-500, 500)), draw(eases)) for a in at]
    return Curve(document.Track.model_validate(track("camera", "x", "scroll", *keys)))


def curve_track(curve: Curve) -> document.Track:
    return document.Track(target="camera", channel="x", driver="scroll", keys=curve.keys)


@settings(max_examples=120, deadline=None)
@given(curves(), st.floats(0, 1), st.floats(0, 1))
def test_the_range_over_a_stretch_holds_every_value_in_it(curve: Curve, one: float, other: float) -> None:
    low, high = min(one, other), max(one, other)
    least, most = curve.range(np.array([low]), np.array([high]))
    values = curve.value(np.linspace(low, high, 301))
    assert values.min() >= least[0] - 1e-6
    assert values.max() <= most[0] + 1e-6


@settings(max_examples=40, deadline=None)
@given(curves(), st.data())
def test_a_track_says_the_same_of_many_boxes_as_of_each(curve: Curve, data: st.DataObject) -> None:
    made = scene(drivers={"scroll": {}}, camera={"x": 3}).model_copy(update={"tracks": (curve_track(curve),)})
    ends = st.tuples(st.integers(0, 8), st.integers(0, 8))
    few = np.sort(data.draw(st.lists(ends, min_size=1, max_size=9)), axis=1) / 8
    boxes = np.zeros((40 * len(few), 4, 2))
    boxes[:, 0] = np.repeat(few, 40, axis=0)[np.random.default_rng(1).permutation(40 * len(few))]
    motion = Motion(made)
    many = motion.over("camera", Cells.of(boxes))["x"]
    some = motion.over("camera", Cells.of(boxes).select(np.arange(7, len(boxes))))["x"]
    for row in range(0, len(boxes), 13):
        one = Motion(made).over("camera", Cells.of(boxes[row : row + 1]))["x"]
        assert many.low[row] == pytest.approx(one.low[0]) and many.high[row] == pytest.approx(one.high[0])
        if row >= 7:
            assert some.low[row - 7] == pytest.approx(one.low[0])


def test_before_the_first_key_and_after_the_last_a_track_holds() -> None:
    curve = Curve(document.Track.model_validate(track("camera", "x", "scroll", (0.3, 5), (0.6, 9))))
    assert curve.value(np.array([0.0, 0.3, 0.45, 0.6, 1.0])).tolist() == [5, 5, 7, 9, 9]


def test_hold_keeps_its_value_up_to_the_next_key() -> None:
    curve = Curve(document.Track.model_validate(track("camera", "x", "scroll", (0, 1, "hold"), (0.5, 8), (1, 10))))
    assert curve.value(np.array([0.0, 0.499999, 0.5, 0.75])).tolist() == [1, 1, 8, 9]


def test_smooth_neither_overshoots_nor_stops_at_an_inner_key() -> None:
    keys = [(0, 0, "smooth"), (0.4, 10, "smooth"), (0.6, 100, "smooth"), (1, 104)]
    curve = Curve(document.Track.model_validate(track("camera", "x", "scroll", *keys)))
    values = curve.value(np.linspace(0, 1, 2001))
    assert np.all(np.diff(values) >= -1e-9)
    at_key = curve.value(np.array([0.4 - 1e-5, 0.4 + 1e-5]))
    assert (at_key[1] - at_key[0]) / 2e-5 > 10


def test_tracks_of_one_channel_add_and_zoom_multiplies() -> None:
    made = scene(
        drivers={"scroll": {}, "pointer": {"reach_x": 40, "reach_y": 20}, "time": {"duration": 4}},
        camera={"x": 3, "zoom": 2},
        tracks=[
            track("camera", "x", "scroll", (0, 0), (1, 100)),
            track("camera", "x", "time", (0, 0), (4, 8)),
            track("camera", "zoom", "scroll", (0, 1), (1, 3)),
        ],
    )
    pose = Motion(made).over("camera", States.of(State(0.5, (-0.5, 1), 2)))
    assert (pose["x"][0], pose["y"][0], pose["zoom"][0]) == pytest.approx((3 + 50 + 4 - 20, 20, 4))


def test_a_driver_that_is_off_moves_nothing() -> None:
    made = scene(tracks=[track("camera", "x", "scroll", (0, 7), (1, 100))])
    assert Motion(made).over("camera", States.of(State(1.0)))["x"][0] == 0


def test_time_begins_again_only_when_it_loops() -> None:
    def x_at(loop: bool, time: float) -> float:
        drivers = {"time": {"duration": 10, "loop": loop}}
        made = scene(drivers=drivers, tracks=[track("camera", "x", "time", (0, 0), (10, 100))])
        return float(Motion(made).over("camera", States.of(State(time=time)))["x"][0])

    assert x_at(True, 12.5) == pytest.approx(25)
    assert x_at(False, 12.5) == pytest.approx(100)


def test_layer_channels_follow_their_tracks() -> None:
    made = scene(
        layer("a", 10, 10, framing={"scale": 2}, opacity=0.5, depth=100),
        drivers={"scroll": {}},
        tracks=[
            track("a", "scale", "scroll", (0, 1), (1, 3)),
            track("a", "opacity", "scroll", (0, 1), (1, 0)),
            track("a", "depth", "scroll", (0, 0), (1, 50)),
        ],
    )
    channels = Motion(made).over("a", States.of(State(0.5)))
    assert (channels["scale"][0], channels["opacity"][0], channels["depth"][0]) == pytest.approx((4, 0.25, 125))


def test_the_pointer_is_settled_to_two_percent_at_its_settle_time() -> None:
    assert step_response(0.35, np.array([0.0, 0.35])) == pytest.approx([0, 0.98], abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(0.001, 0.2), min_size=1, max_size=12), st.floats(0.05, 2))
def test_following_in_any_steps_is_the_step_response(steps: list[float], settle: float) -> None:
    position, velocity = 0.0, 0.0
    for dt in steps:
        position, velocity = follow(position, velocity, 1.0, settle, dt)
    assert position == pytest.approx(float(step_response(settle, np.array(sum(steps)))), abs=1e-9)
    assert position <= 1.0 + 1e-9, "critically damped: no overshoot"


def test_recorded_hands_stay_within_their_drivers() -> None:
    made = scene(drivers={"scroll": {}, "pointer": {}, "time": {"duration": 3}})
    recorded = {hand.id: hand for hand in hands(made)}
    assert set(recorded) == {"steady", "flick", "back-and-forth", "pointer", "still", "tilt", "clock"}
    for name in ("steady", "flick"):
        values = np.array(recorded[name].rows)[:, 0]
        assert values[0] == 0 and values[-1] == pytest.approx(1, abs=1e-3) and np.all(np.diff(values) >= 0)
    speed = np.diff(np.array(recorded["flick"].rows)[:, 0]) * HERTZ
    assert speed[1] > 5 * speed[80], "a flick slows down by itself"
    assert np.abs(np.array(recorded["pointer"].rows)).max() <= 1
    assert hands(scene()) == []


def test_hands_of_ones_own_are_played_and_a_wrong_file_says_what_is_wrong(tmp_path, monkeypatch) -> None:
    monkeypatch.setenv("CLINAMEN_HANDS", str(tmp_path))
    (tmp_path / "mine.json").write_text(
        '{"name": "my wheel", "moves": ["scroll"], "hertz": 2, "rows": [[0], [0.4], [1]]}'
    )
    (tmp_path / "bad.json").write_text('{"name": "bad", "moves": ["u", "v"], "hertz": 60, "rows": [[0, 0], [0.5]]}')
    (tmp_path / "worse.json").write_text("no json")
    found = {hand.id: hand for hand in hands(scene(drivers={"scroll": {}}))}
    rows = np.array(found["mine"].rows)[:, 0]
    assert len(rows) == 61 and rows[15] == pytest.approx(0.2) and rows[-1] == 1
    assert "every row must hold 2 numbers" in found["bad"].wrong and found["bad"].rows == []
    assert found["worse"].wrong.startswith("worse.json")
