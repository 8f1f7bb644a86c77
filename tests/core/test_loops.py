"""The loop plan against trying everything, and the example that the trade tells."""

import itertools
import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clinamen.core.document import Scene
from clinamen.core.edits import apply
from clinamen.core.edits.loop import loop_plans, looping_layers, period_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.loops import Row, plans
from clinamen.core.motion.states import States
from clinamen.core.stage import stage
from tests.conftest import layer, scene, track


def test_the_example_of_the_trade_comes_out_exactly() -> None:
    """Common practice, no source: a cycle of 10 frames at 12 a second; the near ground closes in 40 frames, the middle in 240,
    the far one in 720; all close at 720, a minute."""
    rows = [Row("near", 1920, 1920 / 40), Row("middle", 1920, 1920 / 240), Row("far", 1920, 1920 / 720)]
    best = plans(rows, cycles=(10,), most=720)[0]
    assert (best.frames, best.repeats, best.error) == (720, (18, 3, 1), 0)
    assert best.frames / 12 == 60 and best.speeds == pytest.approx([48, 8, 1920 / 720])
    assert all(loop.frames % 10 == 0 for loop in plans(rows, cycles=(10,), most=3000))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(40, 300), st.floats(0.5, 30)), min_size=1, max_size=3),
    st.lists(st.integers(1, 12), max_size=2), st.integers(20, 60),
)  # fmt: skip
def test_no_other_repeats_are_nearer(sheets: list[tuple[int, float]], cycles: list[int], most: int) -> None:
    rows = [Row(str(i), period, speed) for i, (period, speed) in enumerate(sheets)]
    step = math.lcm(*cycles) if cycles else 1
    if step > most:
        with pytest.raises(BadEdit, match="close every"):
            plans(rows, cycles, most)
        return

    def error(frames: int, repeats: tuple[int, ...]) -> float:
        return max(abs(n * row.period / frames / row.speed - 1) for n, row in zip(repeats, rows, strict=True))

    best = min(
        error(frames, repeats)
        for frames in range(step, most + 1, step)
        for repeats in itertools.product(*(
            {max(1, int(frames * row.speed / row.period) + more) for more in (-1, 0, 1, 2)} for row in rows
        ))
    )  # fmt: skip
    found = plans(rows, cycles, most)
    assert found[0].error == pytest.approx(best, abs=1e-9)
    assert error(found[0].frames, found[0].repeats) == pytest.approx(found[0].error, abs=1e-9)
    assert [loop.error for loop in found] == sorted(loop.error for loop in found)


def test_a_locked_row_keeps_its_repeats_and_what_is_longer_is_listed_only_if_better() -> None:
    rows = [Row("near", 1000, 10), Row("far", 1000, 3.3, locked=2)]
    found = plans(rows, most=400)
    assert all(loop.repeats[1] == 2 for loop in found)
    assert found[0].frames == 100 and found[0].error == 0, "400 frames are no better than 100"


@pytest.mark.parametrize("rows,cycles,most,says", [
    ([Row("sky", 0, 3)], (), 100, "sky: has to repeat"),
    ([Row("sky", 100, 0)], (), 100, "sky: has to repeat and to pass by"),
    ([Row("sky", 100, 1)], (70, 9), 100, "close every 630 frames"),
    ([Row("sky", 100, 1)], (), 0, "from 1 to"),
])  # fmt: skip
def test_what_cannot_close_is_said(rows, cycles, most: int, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        plans(rows, cycles, most)


def night() -> Scene:
    """Three layers that repeat, under a camera that passes by."""
    return scene(
        layer("far", 960, 300, depth=7000, repeat={"x": "tile"}), layer("near", 640, 300, depth=500, repeat={"x": "mirror"}),
        layer("still", 400, 300), view={"width": 480, "height": 270}, drivers={"time": {"duration": 5, "fps": 12, "loop": False}},
        tracks=[track("near", "y", "time", (0, 0), (2.5, 9), (5, 0))],
    )  # fmt: skip


def test_a_plan_made_an_edit_closes_the_scene_exactly() -> None:
    made = night()
    plan = loop_plans(made, 60, 700, {"far": 1})[0]
    assert [row.id for row in looping_layers(made)] == ["far", "near"] and plan.repeats[0] == 1
    repeats = json.dumps(dict(zip(("far", "near"), plan.repeats, strict=True)))
    closed, says = apply(made, "loop", {"speed": "60", "frames": str(plan.frames), "repeats": repeats})
    assert f"Closes in {plan.frames} frames" in says
    time = closed.drivers.time
    assert time.loop and time.duration == pytest.approx(plan.frames / 12)
    staged = stage(closed, States.still(2, time=np.array([0.0, time.duration])))
    for name, count in zip(("far", "near"), plan.repeats, strict=True):
        x = staged[name].centre()[0][:, 0]
        assert (x[0] - x[1]) / period_of(closed.layer(name)) == pytest.approx(count, abs=1e-9)
    (kept,) = [t for t in closed.tracks if t.channel == "y"]
    assert [key.at for key in kept.keys] == pytest.approx([0, time.duration / 2, time.duration]), (
        "other tracks keep their shape"
    )


@pytest.mark.parametrize("values,says", [
    ({"speed": "0", "frames": "100", "repeats": "{}"}, "a speed other than 0"),
    ({"speed": "60", "frames": "", "repeats": "{}"}, "how many frames"),
    ({"speed": "60", "frames": "100", "repeats": "no"}, "plan it anew"),
    ({"speed": "60", "frames": "100", "repeats": '{"far": 0}'}, "from 1 to"),
])  # fmt: skip
def test_a_wrong_loop_is_refused_in_a_sentence(values, says: str) -> None:
    with pytest.raises(BadEdit, match=says):
        apply(night(), "loop", values)
    with pytest.raises(BadEdit, match="no layer repeats across"):
        loop_plans(scene(layer("a", 20, 10), drivers={"time": {}}), 60, 700, {})
