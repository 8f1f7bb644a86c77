import itertools

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from clinamen.core.bounds.opaque import OpaqueSet, largest_rectangle, opaque_set
from clinamen.core.bounds.region import uncovered
from clinamen.core.bounds.search import Coverage, find_worst
from clinamen.core.checks import Finding, prove
from clinamen.core.document import Scene
from clinamen.core.edits import apply, changes
from clinamen.core.motion.states import State
from clinamen.core.stage import project, stage_at
from tests.conftest import fixed, full_sets, layer, scene, track

SPIKE = track("camera", "x", "scroll", (0, 0), (0.503, 0), (0.508, 900), (0.513, 0), (1, 0))


def gaps(made: Scene, sets: dict[str, OpaqueSet] | None = None, fixes: bool = True) -> list[Finding]:
    return [finding for finding in prove(made, sets or full_sets(made), fixes) if finding.check == "gap"]


def alpha(width: int, height: int, inside: np.ndarray) -> OpaqueSet:
    return opaque_set((np.broadcast_to(inside, (height, width)) * 255).astype(np.uint8), width, height)


def test_a_spike_one_percent_of_the_scroll_long_is_found_at_its_tip() -> None:
    made = scene(layer("back", 2400, 1300, depth=2666.67), drivers={"scroll": {}}, tracks=[SPIKE])
    found = gaps(made)
    assert [finding.side for finding in found] == ["right"]
    # rate 0.5: 450 px of travel against (2400 − 1920) / 2 = 240 px to spare
    assert found[0].amount == pytest.approx(210, abs=0.6)
    assert found[0].state.scroll == pytest.approx(0.508, abs=1e-3)
    assert (found[0].where.x, found[0].where.width) == pytest.approx((1710, 210), abs=3)


def test_all_drivers_are_taken_together() -> None:
    made = scene(
        layer("back", 2200, 1300),
        drivers={"scroll": {}, "pointer": {"reach_x": 60, "reach_y": 0}, "time": {"duration": 10}},
        tracks=[
            track("camera", "x", "scroll", (0, 0), (1, 70)),
            track("camera", "x", "time", (0, 0), (5, 40), (10, 0)),
        ],
    )
    found = gaps(made)
    # 70 + 60 + 40 = 170 against 140: no driver alone, nor two of them, would show it
    assert len(found) == 1 and found[0].amount == pytest.approx(30, abs=0.6)
    state = found[0].state
    assert (state.scroll, state.pointer[0], state.time) == pytest.approx((1, 1, 5), abs=0.02)


def test_exactly_enough_art_is_no_gap_and_a_pixel_less_is_one() -> None:
    def made(width: int) -> Scene:
        tracks = [track("camera", "x", "scroll", (0, -100, "ease-in-out"), (1, 100))]
        return scene(layer("back", width, 1080), drivers={"scroll": {}}, tracks=tracks)

    assert gaps(made(1920 + 200)) == []
    assert {finding.side for finding in gaps(made(1920 + 196))} == {"left", "right"}


def test_the_real_alpha_counts_not_the_rectangle() -> None:
    width, height = 2400, 1300
    y, x = np.mgrid[0:height, 0:width]
    hole = np.hypot(x - 1200, y - 650) > 40
    made = scene(layer("back", width, height))
    found = gaps(made, {"back": alpha(width, height, hole)})
    assert len(found) == 1 and found[0].side == ""
    assert found[0].amount == pytest.approx(40, abs=1.5), "the middle of the hole is 40 px from any art"
    where = found[0].where
    assert (where.x + where.width / 2, where.y + where.height / 2) == pytest.approx((960, 540), abs=3)


def test_a_hole_that_another_layer_uncovers_only_in_motion_is_found() -> None:
    width, height = 2600, 1300
    x = np.arange(width)[None, :]
    back, front = alpha(width, height, (x < 1200) | (x > 1280)), alpha(width, height, (x > 1100) & (x < 1380))
    made = scene(
        layer("back", width, height, depth="infinite"), layer("front", width, height),
        drivers={"scroll": {}}, tracks=[track("camera", "x", "scroll", (0, 0), (0.5, 150), (1, 0))],
    )  # fmt: skip
    assert gaps(made.model_copy(update={"tracks": ()}), {"back": back, "front": front}) == []
    found = gaps(made, {"back": back, "front": front})
    # at 150 px the front's right edge stands 50 px left of the slit's right edge: an opening 50 px wide, far side back
    assert len(found) == 1 and found[0].state.scroll == pytest.approx(0.5, abs=0.02)
    assert found[0].amount == pytest.approx(25, abs=1.5), "the middle of a 50 px opening is 25 px from art"


def test_hidden_and_translucent_layers_cover_nothing() -> None:
    for fields in ({"visible": False}, {"opacity": 0.6}):
        assert gaps(scene(layer("back", 2400, 1300, **fields)))
    faded = scene(
        layer("back", 2400, 1300), drivers={"scroll": {}}, tracks=[track("back", "opacity", "scroll", (0, 1), (1, 0.2))]
    )
    assert gaps(faded)


@pytest.mark.parametrize(
    "channel,value",
    [("z", -400), ("yaw", 6), ("pitch", -6), ("roll", 7), ("zoom", 0.8), ("z", 300), ("arc", 7), ("crane", -6)],
)
def test_every_camera_move_is_bounded(channel: str, value: float) -> None:
    rest = 1 if channel == "zoom" else 0
    made = scene(
        layer("back", 2080, 1180, depth=800),
        drivers={"scroll": {}},
        tracks=[track("camera", channel, "scroll", (0, rest), (0.4, value), (1, rest))],
    )
    found = gaps(made, fixes=False)
    mask = uncovered(made, full_sets(made), State(0.4), 0.5)
    assert bool(found) == bool(mask.any())
    if found:
        assert found[0].state.scroll == pytest.approx(0.4, abs=0.05)


def test_a_leaning_floor_that_ends_before_the_camera_leaves_a_gap() -> None:
    made = scene(layer("floor", 6000, 3000, tilt={"lean": 80}, framing={"y": 200}))
    found = gaps(made, fixes=False)
    assert len(found) == 1, "one opening, though it touches three edges"
    far_end = project(stage_at(made, State()).sheets[0].matrix[0], np.array([[0, -1500.0]]))[0][0, 1]
    assert (found[0].where.y, found[0].where.height) == pytest.approx((0, far_end), abs=3)


def test_repeating_art_has_no_end() -> None:
    tracks = [track("camera", "x", "scroll", (0, 0), (1, 50000))]
    made = scene(layer("back", 500, 1200, repeat={"x": "tile"}), drivers={"scroll": {}}, tracks=tracks)
    assert gaps(made) == []


def test_every_fix_makes_its_finding_go_away_and_a_little_less_does_not() -> None:
    made = scene(
        layer("back", 2200, 1300, depth=300),
        drivers={"scroll": {}, "pointer": {"reach_x": 90, "reach_y": 30}},
        tracks=[track("camera", "x", "scroll", (0, 0, "ease"), (1, 120))],
    )
    found = gaps(made)
    assert [finding.side for finding in found] == ["right"]
    kinds = {(fix.kind, fix.edit) for fix in found[0].fixes}
    assert kinds == {
        ("scale", "framing"), ("extend", "extend"), ("repeat", "layer"), ("reach", "pointer-reach"), ("reach", "shorten"),
    }  # fmt: skip
    (goes_on,) = (fix for fix in found[0].fixes if fix.kind == "repeat")
    assert gaps(apply(made, goes_on.edit, goes_on.values)[0], fixes=False) == []
    for fix in found[0].fixes:
        if fix is goes_on:
            continue

        def closed(value: float, fix=fix) -> bool:
            sets = full_sets(made)
            if fix.kind == "extend":
                side = fix.values["side"]
                changed = changes.with_extension(made, "back", side, round(value))
                sets = {"back": changes.extended_set(sets["back"], side, round(value))}
            else:
                changed = fixed(made, fix, value)
            return not [f for f in gaps(changed, sets, fixes=False) if f.side == "right"]

        less = {
            "scale": fix.value - 0.002,
            "extend": fix.value - 2,
            "reach": fix.value + (1.5 if fix.edit == "pointer-reach" else 0.02),
        }
        assert closed(fix.value), fix
        assert not closed(less[fix.kind]), fix


def test_findings_name_layers_that_could_close_them() -> None:
    made = scene(layer("far", 1950, 1110, depth=5000), layer("speck", 30, 30), drivers={"pointer": {"reach_x": 200}})
    found = gaps(made)
    assert found and all(finding.closers[0] == "far" and "speck" not in finding.closers for finding in found)


def test_a_short_layer_before_a_covering_one_is_a_cut_edge_not_a_gap() -> None:
    made = scene(
        layer("sky", 1920, 1080, depth="infinite"), layer("hill", 2000, 1080), layer("bell", 300, 300),
        drivers={"pointer": {"reach_x": 60, "reach_y": 0}},
    )  # fmt: skip
    found = prove(made, full_sets(made))
    assert [(f.check, f.layer, f.side) for f in found] == [("edge", "hill", "left"), ("edge", "hill", "right")]
    assert found[0].amount == pytest.approx(20, abs=0.6)
    for fix in found[0].fixes:
        if fix.kind != "extend":
            changed = fixed(made, fix)
            assert ("hill", "left") not in {(f.layer, f.side) for f in prove(changed, full_sets(changed), False)}


def test_art_that_is_clear_at_its_border_has_no_edge_to_show() -> None:
    x = np.arange(2000)[None, :]
    made = scene(layer("sky", 1920, 1080, depth="infinite"), layer("weed", 2000, 1080), drivers={"pointer": {}})
    sets = {**full_sets(made), "weed": alpha(2000, 1080, (x > 900) & (x < 1100))}
    found = prove(made, sets, False)
    assert not [finding for finding in found if finding.side in ("left", "right")]


@st.composite
def small_worlds(draw: st.DrawFn) -> tuple[Scene, dict[str, OpaqueSet]]:
    """Two layers of blocky art under a truck, a pointer and a roll, in a small view."""
    numbers = st.integers(-40, 40)
    layers, sets = [], {}
    for name in ("a", "b"):
        width, height = draw(st.integers(180, 300)), draw(st.integers(120, 200))
        blocks = np.array(draw(st.lists(st.booleans(), min_size=24, max_size=24))).reshape(4, 6) | (name == "a")
        if draw(st.booleans()):
            blocks[draw(st.integers(0, 3)), draw(st.integers(0, 5))] = False
        mask = blocks.repeat(height // 4 + 1, 0).repeat(width // 6 + 1, 1)[:height, :width]
        layers.append(layer(name, width, height, depth=draw(st.sampled_from([-60.0, 0.0, 150.0, "infinite"]))))
        sets[name] = opaque_set((mask * 255).astype(np.uint8), width, height)
    tracks = [
        track("camera", "x", "scroll", (0, draw(numbers), "ease"), (0.5, draw(numbers), "smooth"), (1, draw(numbers))),
        track("camera", "roll", "scroll", (0, 0), (1, draw(st.integers(-8, 8)))),
    ]
    made = scene(*layers, view={"width": 160, "height": 90}, drivers={"scroll": {}, "pointer": {"reach_x": 15, "reach_y": 10}},
                 tracks=tracks)  # fmt: skip
    return made, sets


def sampled_lack(made: Scene, sets: dict[str, OpaqueSet], state: State) -> float:
    """Brute force: the uncovered point of the view farthest from any opaque pixel of any layer, in or out of the view."""
    mask = uncovered(made, sets, state, 1.0)
    if not mask.any():
        return 0.0
    shown = []
    for placement in stage_at(made, state).sheets:
        opaque = sets[placement.layer.id]
        ys, xs = (
            np.nonzero(opaque.mask)
            if opaque.mask is not None
            else np.indices((opaque.height, opaque.width)).reshape(2, -1)
        )
        points, ahead = project(placement.from_origin()[0], np.column_stack([xs, ys]) + 0.5)
        shown.append(points[ahead > 0])
    ys, xs = np.nonzero(mask)
    return float(cKDTree(np.concatenate(shown)).query(np.column_stack([xs, ys]) + 0.5)[0].max())


@pytest.mark.slow
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(small_worlds())
def test_what_sampling_finds_the_bound_never_misses(world: tuple[Scene, dict[str, OpaqueSet]]) -> None:
    made, sets = world
    coverage = Coverage(made, sets, every=True)  # as in the brute force
    worst = find_worst(coverage, (0, 0, 160, 90))
    for scroll, u, v in itertools.product(np.linspace(0, 1, 5), (-1, 1), (-1, 1)):
        assert sampled_lack(made, sets, State(float(scroll), (u, v))) - 1.5 <= worst.bound
    if worst.lack > 2:
        assert uncovered(made, sets, worst.state, 2.0).any(), "the worst state found really shows a gap"


def test_a_large_rectangle_inside_the_art_is_found() -> None:
    mask = np.zeros((300, 500), np.uint8)
    mask[40:260, 30:480] = 1
    mask[100, 200] = 0
    x0, y0, x1, y1 = largest_rectangle(mask)
    assert mask[y0:y1, x0:x1].all()
    assert (x1 - x0) * (y1 - y0) > 0.55 * 220 * 450


def test_an_empty_scene_has_nothing_to_prove() -> None:
    assert prove(scene(), {}) == []


def test_a_sheet_that_turns_about_its_corner_is_bounded() -> None:
    """Turned about a corner a sheet leaves a gap that turning about its middle would not."""
    turning = [track("back", "rotation", "scroll", (0, 0), (0.4, 11), (1, 0))]
    about = {name: scene(layer("back", 2500, 1800, depth=800, anchor=anchor), drivers={"scroll": {}}, tracks=turning)
             for name, anchor in (("middle", {"x": 0, "y": 0}), ("corner", {"x": -1250, "y": -900}))}  # fmt: skip
    assert gaps(about["middle"], fixes=False) == []
    found = gaps(about["corner"], fixes=False)
    mask = uncovered(about["corner"], full_sets(about["corner"]), State(0.4), 0.5)
    assert mask.any() and len(found) == 1 and found[0].state.scroll == pytest.approx(0.4, abs=0.02)


def test_a_move_that_lands_on_the_picture_is_asked_what_it_shows_before() -> None:
    """The edge shows where the move begins and is out of the picture as it was composed: nobody meant it to show."""
    begins_away = [track("camera", "z", "scroll", (0, -300), (1, 0))]
    made = scene(layer("sky", 2600, 1500, depth="infinite"), layer("path", 3000, 400, framing={"y": 380}),
                 drivers={"scroll": {}}, tracks=begins_away)  # fmt: skip
    (found,) = [finding for finding in prove(made, full_sets(made)) if finding.check == "edge"]
    assert (found.layer, found.side, found.state.scroll) == ("path", "bottom", 0)
    # at 300 px back the sheet at rate 1 is D / (D + 300) as large
    far = made.lens_distance / (made.lens_distance + 300)
    assert found.where.y == pytest.approx(540 + (380 + 200) * far, abs=0.5)
