"""Drifts: within their reach, closing where time loops, one for every seed; refused where they make no sense."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clinamen.core.document import Scene
from clinamen.core.edits import apply
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.core.interval import Interval
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import Cells, State, States
from clinamen.core.stage import stage
from tests.conftest import layer, scene


def drifting(channel: str = "x", loop: bool = True, duration: float = 8, **drift) -> Scene:
    return scene(
        layer("a", 200, 100), drivers={"time": {"duration": duration, "loop": loop}},
        tracks=[{"target": "a", "channel": channel, "driver": "time", "drift": {"reach": 30, "pace": 0.5, "seed": 7, **drift}}],
    )  # fmt: skip


def values(made: Scene, at: np.ndarray, channel: str = "x") -> np.ndarray:
    return Motion(made).over("a", States.still(len(at), time=at))[channel]


@settings(max_examples=40, deadline=None)
@given(st.floats(0, 500, allow_subnormal=False), st.floats(0.01, 10), st.integers(0, 2**31 - 1), st.booleans())
def test_a_drift_keeps_within_its_reach_and_its_bounds_hold(reach: float, pace: float, seed: int, loop: bool) -> None:
    made = drifting(reach=reach, pace=pace, seed=seed, loop=loop)
    at = np.linspace(0, 8, 3001)
    value = values(made, at)
    assert np.abs(value).max() <= reach * (1 + 1e-12)
    assert np.abs(value).max() >= reach * 0.9, "and uses it"
    starts = np.linspace(0, 7.4, 20)
    time = Interval(starts, starts + 0.6)
    still = Interval(np.zeros(20), np.zeros(20))
    bounds = Motion(made).over("a", Cells(still, still, still, time))["x"]
    for low, high, least, most in zip(starts, starts + 0.6, bounds.low, bounds.high, strict=True):
        inside = value[(at >= low) & (at <= high)]
        assert least - 1e-9 <= inside.min() and inside.max() <= most + 1e-9


def test_it_closes_where_time_loops_and_goes_on_as_smoothly() -> None:
    made = drifting(pace=0.6)
    ends = values(made, np.array([0.0, 8.0, 8.0 + 1.3, 1.3]))
    assert ends[0] == ends[1] and ends[2] == pytest.approx(ends[3])
    step = 0.01
    around = values(made, np.array([0.0, step, 8 - step, 8.0]))
    assert (around[1] - around[0]) / step == pytest.approx((around[3] - around[2]) / step, abs=2.5), (
        "px/s before and after"
    )


def test_seeds_differ_and_say_the_same_every_time() -> None:
    at = np.linspace(0, 8, 200)
    one, two, again = (values(drifting(seed=seed), at) for seed in (1, 2, 1))
    assert (one == again).all() and np.corrcoef(one, two)[0, 1] < 0.9


def test_a_factor_drifts_about_one() -> None:
    value = values(drifting("scale", reach=0.2), np.linspace(0, 8, 500), "scale")
    assert value.min() >= 0.8 and value.max() <= 1.2 and np.ptp(value) > 0.2


@pytest.mark.parametrize("wrong,says", [
    ({"pace": -1}, r"tracks\[0\]\.drift\.pace"),
    ({"reach": -3}, r"tracks\[0\]\.drift\.reach"),
    ({"pace": 10, "duration": 100}, "swings; lower the pace or the duration"),
    ({"channel": "scale", "reach": 1.5}, "reach must be below 1"),
])  # fmt: skip
def test_drifts_that_make_no_sense_are_refused_in_a_sentence(wrong, says: str) -> None:
    with pytest.raises(BadDocument, match=says):
        drifting(**wrong)


def test_a_track_has_keys_or_a_drift_and_one_of_each_at_most() -> None:
    drift = {"target": "a", "channel": "x", "driver": "time", "drift": {"reach": 3, "pace": 1}}
    keys = {"target": "a", "channel": "x", "driver": "time", "keys": [{"at": 0, "value": 0}]}
    time = {"drivers": {"time": {"duration": 8}}}
    both = scene(layer("a", 20, 10), tracks=[drift, keys], **time)
    assert (
        len(both.tracks) == 2
        and "keys" not in both.to_json()["tracks"][0]
        and "drift" not in both.to_json()["tracks"][1]
    )
    for tracks, says in (
        ([drift, drift], "has a track already"),
        ([{**drift, **keys}], "keys, at least one, or else a drift"),
        ([{key: keys[key] for key in ("target", "channel", "driver")}], "keys, at least one, or else a drift"),
        ([{**drift, "driver": "scroll"}], "goes by time"),
    ):
        with pytest.raises(BadDocument, match=says):
            scene(layer("a", 20, 10), tracks=tracks, **time)


def test_drifts_are_set_changed_and_taken_out_each_with_a_seed_of_its_own() -> None:
    made = scene(layer("a", 200, 100), layer("b", 200, 100), drivers={"time": {"duration": 8}})
    made, says = apply(made, "drift", {"target": "a", "channel": "x", "reach": "30"})
    assert "drifts by 30 at 0.2 Hz" in says
    made, _ = apply(made, "drift", {"target": "b", "channel": "x", "reach": "12", "pace": "1 Hz"})
    assert [(t.target, t.drift.reach, t.drift.pace, t.drift.seed) for t in made.tracks] == [
        ("a", 30, 0.2, 1),
        ("b", 12, 1, 2),
    ]
    moved = stage(made, States.of(State(time=2.0)))
    assert moved["a"].evaluated.origin[0] != moved["b"].evaluated.origin[0]
    made, _ = apply(made, "drift", {"target": "a", "channel": "x", "reach": "0"})
    assert [t.target for t in made.tracks] == ["b"]
    with pytest.raises(BadEdit, match="switch time on first"):
        apply(scene(layer("a", 20, 10)), "drift", {"target": "a", "channel": "x", "reach": "3"})


@pytest.mark.parametrize("depth,says", [(0, None), (-2600, "at or behind the camera")])
def test_a_drift_in_depth_may_not_reach_the_camera(depth: float, says: str | None) -> None:
    track = {"target": "a", "channel": "depth", "driver": "time", "drift": {"reach": 200, "pace": 0.5}}
    make = lambda: scene(layer("a", 200, 100, depth=depth), drivers={"time": {"duration": 8}}, tracks=[track])  # noqa: E731
    if says is None:
        assert make().tracks
    else:
        with pytest.raises(BadDocument, match=says):
            make()
