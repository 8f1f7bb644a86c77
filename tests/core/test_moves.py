"""Camera moves: what lands on the picture lands on it exactly, and each does what its name says."""

import numpy as np
import pytest

from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.moves import MOVES
from clinamen.core.motion.states import State, States
from clinamen.core.stage import framed, project, stage_at
from tests.conftest import layer, scene

MADE = scene(
    layer("far", 2400, 1400, depth=3000), layer("near", 600, 400, depth=-200, framing={"x": 80}),
    camera={"target": {"x": 0, "y": 0, "depth": -200}}, drivers={"scroll": {}, "time": {"duration": 6}},
)  # fmt: skip
POINTS = np.array([[-300.0, -200], [300, 200], [0, 0]])


def seen(made, state: State, index: int) -> np.ndarray:
    return project(stage_at(made, state).sheets[index].matrix[0], POINTS)[0]


@pytest.mark.parametrize("name", MOVES)
@pytest.mark.parametrize("land", ["end", "start"])
def test_a_move_lands_on_the_picture_or_leaves_from_it_exactly(name: str, land: str) -> None:
    made, says = apply(
        MADE, "move", {"move": name, "size": f"{MOVES[name].usual(MADE):g}", "driver": "time", "land": land}
    )
    assert MOVES[name].name in says
    composed = [project(sheet.matrix[0], POINTS)[0] for sheet in framed(MADE, MADE.layers).sheets]
    there, away = (State(time=6.0), State()) if land == "end" else (State(), State(time=6.0))
    for index, wanted in enumerate(composed):
        assert seen(made, there, index) == pytest.approx(wanted, abs=1e-9)
    assert any(np.abs(seen(made, away, index) - wanted).max() > 5 for index, wanted in enumerate(composed))


def test_each_does_what_it_says() -> None:
    def after(name: str, size: str = "200") -> tuple[np.ndarray, np.ndarray]:
        made, _ = apply(MADE, "move", {"move": name, "size": size, "driver": "scroll", "land": "start"})
        return seen(made, State(), 1), seen(made, State(1.0), 1)

    before, later = after("push-in")
    assert np.ptp(later[:, 0]) > np.ptp(before[:, 0]), "what is near grows"
    before, later = after("pedestal")
    assert (later[:, 1] < before[:, 1]).all(), "the camera goes down, the picture up"
    before, later = after("rise")
    assert abs(later[2, 1] - before[2, 1]) < 60, "what it looks down at stays near the middle"
    made, _ = apply(MADE, "move", {"move": "stretch", "size": "400", "driver": "scroll", "land": "start"})
    plane = scene(
        layer("flat", 600, 400),
        camera=MADE.camera.model_dump(),
        drivers={"scroll": {}},
        tracks=[t.model_dump() for t in made.tracks],
    )
    assert seen(plane, State(1.0), 0) == pytest.approx(seen(plane, State(), 0), abs=1e-6), (
        "the picture plane keeps its size"
    )
    before, later = after("arc", "12")
    pinned = scene(layer("t", 100, 100, depth=-200), camera=MADE.camera.model_dump(), drivers={"scroll": {}},
                   tracks=[{"target": "camera", "channel": "arc", "driver": "scroll", "keys": [{"at": 0, "value": 0}, {"at": 1, "value": 12}]}])  # fmt: skip
    assert seen(pinned, State(1.0), 0)[2] == pytest.approx(seen(pinned, State(), 0)[2], abs=1e-9), (
        "what it goes round stays put"
    )


def test_moves_replace_what_they_move_and_leave_the_rest() -> None:
    made, _ = apply(MADE, "move", {"move": "truck", "size": "90", "driver": "scroll", "land": "end"})
    made, _ = apply(made, "move", {"move": "push-in", "size": "90", "driver": "scroll", "land": "end"})
    made, _ = apply(made, "move", {"move": "truck", "size": "-40", "driver": "scroll", "land": "start"})
    assert {(t.channel, t.keys[0].value, t.keys[-1].value) for t in made.tracks} == {("z", -90, 0), ("x", 0, -40)}


@pytest.mark.parametrize("values,says", [
    ({"move": "truck", "size": "0"}, "a move of 0 is none"), ({"move": "truck", "size": "wide"}, "size: 'wide' is not a number"),
    ({"move": "leap", "size": "3"}, "move: 'leap' is not one of"), ({"move": "arc", "size": "300"}, "out of range"),
])  # fmt: skip
def test_wrong_moves_are_refused_in_a_sentence(values, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        apply(MADE, "move", {"driver": "scroll", "land": "end", **values})
    with pytest.raises(BadEdit, match="switch it on first"):
        apply(scene(layer("a", 20, 10)), "move", {"move": "truck", "size": "3", "driver": "scroll", "land": "end"})


def test_a_move_takes_a_part_of_the_driver_and_stands_before_and_after_it() -> None:
    made, _ = apply(MADE, "move", {"move": "truck", "driver": "time", "land": "end", "from": "1 s", "to": "3"})
    (track,) = made.tracks
    assert [key.at for key in track.keys] == [1, 3]
    away, back = (stage_at(made, State(time=t)).camera.channels["x"][0] for t in (0.5, 4.5))
    assert away == -MOVES["truck"].size and back == 0
    with pytest.raises(BadEdit, match="to: 2 is not after 4"):
        apply(MADE, "move", {"move": "truck", "driver": "time", "land": "end", "from": "4", "to": "2"})


@pytest.mark.parametrize(("x", "y", "axis"), [(500, 0, "x"), (-400, 30, "x"), (0, 500, "y"), (30, -450, "y")])
def test_a_reveal_begins_behind_the_near_layer_and_ends_on_the_picture(x: float, y: float, axis: str) -> None:
    made = scene(
        layer("far", 2400, 1400, depth=3000), layer("near", 700, 500, depth=-300, framing={"x": x, "y": y}),
        drivers={"scroll": {}},
    )  # fmt: skip
    revealed, _ = apply(made, "move", {"move": "reveal", "driver": "scroll", "land": "end"})
    assert {track.channel for track in revealed.tracks} == {axis}
    middle = project(stage_at(revealed, State(0)).sheets[1].matrix[0], np.zeros((1, 2)))[0][0]
    view = np.array([made.view.width, made.view.height]) / 2
    index = "xy".index(axis)
    assert middle[index] == pytest.approx(view[index], abs=1e-6), "the near layer stands before the middle"
    assert seen(revealed, State(1), 1) == pytest.approx(seen(made, State(), 1))
    other, _ = apply(made, "move", {"move": "reveal", "driver": "scroll", "land": "end", "size": "-100"})
    assert np.sign(other.tracks[0].keys[0].value) == -np.sign(revealed.tracks[0].keys[0].value)


def test_straight_stretches_settle_too_and_keep_their_first_half() -> None:
    ease = {"linear": [[0, 0], [0.2, 0.4], [0.6, 0.5], [1, 1]]}
    track_ = {
        "target": "camera",
        "channel": "x",
        "driver": "scroll",
        "keys": [{"at": 0, "value": 0, "ease": ease}, {"at": 1, "value": 100}],
    }
    made = scene(layer("a", 20, 10), drivers={"scroll": {}}, tracks=[track_])
    settled, _ = apply(made, "settle", {"target": "camera", "driver": "scroll", "share": "25 %"})
    at = np.linspace(0, 1, 2001)
    was, now = (np.array([Motion(m).over("camera", States.of(State(t)))["x"][0] for t in at]) for m in (made, settled))
    assert now[-1] == 100 and now[at == 0.75] == pytest.approx(94)
    first = at <= 0.37  # half of the way before the settling
    assert now[first] == pytest.approx(0.94 * np.interp(at[first] / 0.75, at, was), abs=1e-3)
    speed = np.diff(now) / np.diff(at)
    assert speed[at[:-1] > 0.751] == pytest.approx(24, abs=0.1), "one slow speed"
    assert abs(speed[at[:-1] < 0.749][-1] - 24) < 6, "met without a jerk"
