"""Slower and quicker about a moment, and motion carried over."""

import numpy as np
import pytest

from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import States
from tests.conftest import layer, scene, track

MADE = scene(
    layer("a", 40, 30), layer("b", 40, 30), layer("c", 40, 30), drivers={"time": {"duration": 10}, "scroll": {}},
    tracks=[
        track("a", "x", "time", (2, 0, "ease"), (3, 50, "smooth"), (4, 20)), track("camera", "y", "time", (1, 0), (5, 9)),
        track("a", "y", "scroll", (0, 0), (1, 5)),
        {"target": "a", "channel": "rotation", "driver": "time", "drift": {"reach": 5, "pace": 0.6, "seed": 9}},
    ],
)  # fmt: skip


def values(made, target: str, channel: str, at) -> np.ndarray:
    return Motion(made).over(target, States.still(len(at), time=np.array(at, float)))[channel]


def test_slower_about_a_moment_is_the_same_motion_stretched_there() -> None:
    made, says = apply(MADE, "retime", {"target": "a", "driver": "time", "factor": "2", "about": "3 s"})
    assert says.endswith("slower by 2")
    at = np.array([1.2, 2.4, 3.0, 4.4, 4.9])
    assert values(made, "a", "x", at) == pytest.approx(values(MADE, "a", "x", 3 + (at - 3) / 2), abs=1e-9)
    assert made.tracks[1] == MADE.tracks[1] and made.tracks[2] == MADE.tracks[2], "the camera and the scroll stay"
    assert made.tracks[3].drift.pace == pytest.approx(0.3)
    everything, _ = apply(MADE, "retime", {"driver": "time", "factor": "50%", "about": "1"})
    assert [key.at for key in everything.tracks[1].keys] == [1, 3]


@pytest.mark.parametrize("given,says", [
    ({"driver": "time", "factor": "4", "about": "0"}, "beyond the time's ends; go no further than 2 about"),
    ({"driver": "time", "factor": "0"}, "out of range"), ({"driver": "scroll", "factor": "2", "target": "camera"}, "nothing moves over scroll"),
    ({"driver": "time", "factor": "2", "about": "20"}, "about: 20 is out of range"), ({"driver": "time", "factor": "2", "target": "x"}, "no longer in"),
])  # fmt: skip
def test_what_does_not_fit_is_said_with_what_would(given, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        apply(MADE, "retime", given)


def test_motion_is_carried_over_each_a_little_later_with_seeds_of_their_own() -> None:
    with pytest.raises(BadEdit, match="beyond the scroll's ends"):
        apply(MADE, "copy-motion", {"from": "a", "to": "b,c", "shift": "1.5"})
    only_time = MADE.model_copy(update={"tracks": tuple(t for t in MADE.tracks if t.driver == "time")})
    made, says = apply(only_time, "copy-motion", {"from": "a", "to": "b, c", "shift": "1.5 s"})
    assert says.endswith("carried over to 2 more")
    at = np.array([2.2, 3.1, 3.9])
    for name, later in (("b", 1.5), ("c", 3.0)):
        assert values(made, name, "x", at + later) == pytest.approx(values(MADE, "a", "x", at))
    seeds = [t.drift.seed for t in made.tracks if t.drift]
    assert len(set(seeds)) == 3
    again, _ = apply(made, "copy-motion", {"from": "a", "to": "b", "shift": "0"})
    assert len(again.tracks) == len(made.tracks), "what was there on the same channels goes"


@pytest.mark.parametrize("given,says", [
    ({"from": "a", "to": ""}, "name the layers"), ({"from": "a", "to": "a,b"}, "others than the one"),
    ({"from": "b", "to": "c"}, "does not move by itself"),
])  # fmt: skip
def test_motion_that_cannot_be_carried_over_is_said(given, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        apply(MADE, "copy-motion", given)


def test_a_group_is_retimed_with_the_groups_inside_it_and_nothing_else() -> None:
    moves = [track(name, "x", "time", (0, 0), (1, 50)) for name in ("a", "b", "c")]
    made = scene(layer("a", 9, 9, group="House"), layer("b", 9, 9, group="House / Porch"), layer("c", 9, 9, group="Houseboat"),
                 drivers={"time": {"duration": 4}}, tracks=moves)  # fmt: skip
    after, says = apply(made, "retime", {"driver": "time", "target": "group:House", "factor": "2", "about": "0"})
    assert says == "House: slower by 2"
    assert {t.target: t.keys[-1].at for t in after.tracks} == {"a": 2, "b": 2, "c": 1}
