import itertools

import numpy as np
import pytest

from clinamen.core.bounds.needs import Needs, shortage
from clinamen.core.bounds.opaque import opaque_set
from clinamen.core.bounds.sharpness import sharpest_use
from clinamen.core.drawing import bench, fan, ladder, plan
from clinamen.core.drawing.colour import RAMP, depth_colour
from clinamen.core.motion.states import State
from clinamen.core.optics import rate_of
from clinamen.core.readout import read_layer
from clinamen.core.stage import stage_at
from tests.conftest import full_sets, layer, scene, track


def made(**fields):
    base = {
        "drivers": {"scroll": {}, "pointer": {"reach_x": 60, "reach_y": 30}},
        "tracks": [track("camera", "x", "scroll", (0, 0), (1, 400))],
    }
    layers = [
        layer("sky", 1920, 1080, depth="infinite"), layer("far", 2200, 1200, depth=4000), layer("near", 2100, 1200, depth=-500),
        layer("bell", 200, 300),
    ]  # fmt: skip
    return scene(*layers, **{**base, **fields})


def test_the_plan_runs_by_rate_with_infinity_on_the_page() -> None:
    drawn = plan.draw(made(), full_sets(made()))
    bars = {bar.id: bar for bar in drawn.bars}
    assert (
        bars["sky"].x == pytest.approx(drawn.right) and bars["near"].x < bars["bell"].x < bars["far"].x < bars["sky"].x
    )
    per_rate = (drawn.right - drawn.left) / drawn.near
    for name, bar in bars.items():
        assert bar.x == pytest.approx(
            drawn.right - per_rate * rate_of(made().layer(name).depth, made().lens_distance), abs=0.02
        )
    labels = {label: x for x, label in drawn.ticks}
    assert labels["∞"] == pytest.approx(drawn.right) and labels["0"] == pytest.approx(bars["bell"].x, abs=0.02)
    gaps = np.diff([x for x, _ in drawn.ticks])
    assert gaps.min() > 30, "tick labels do not run into each other"


def test_the_envelope_is_what_the_view_covers_at_each_rate() -> None:
    drawn = plan.draw(made(), full_sets(made()))
    points = np.array([[float(v) for v in pair.split(",")] for pair in drawn.envelope.split()])
    at_infinity = points[np.isclose(points[:, 0], drawn.right)][:, 1]
    assert sorted(at_infinity) == pytest.approx(sorted(drawn.cone), abs=0.02), (
        "an infinite sheet sees only the resting view"
    )
    pixel = (drawn.cone[1] - drawn.cone[0]) / 1920
    nearest = points[np.isclose(points[:, 0], drawn.left)][:, 1]
    assert nearest.min() == pytest.approx(drawn.cone[0] - 60 * drawn.near * pixel, abs=0.1)
    assert nearest.max() == pytest.approx(drawn.cone[1] + 460 * drawn.near * pixel, abs=0.1)


def test_missing_stretches_are_drawn_and_said_only_for_sheets_that_should_cover() -> None:
    drawn = plan.draw(made(), full_sets(made()))
    bars = {bar.id: bar for bar in drawn.bars}
    rate = rate_of(-500, made().lens_distance)
    short = round(460 * rate - 90)
    assert f"{short} px short" in bars["near"].words and len(bars["near"].missing) == 1
    start, end = bars["near"].missing[0]
    pixel = (drawn.cone[1] - drawn.cone[0]) / 1920
    assert (end - start) / pixel == pytest.approx(short, abs=1.5)
    assert bars["bell"].missing == () and bars["bell"].need is None


def test_the_section_looks_along_the_other_axis() -> None:
    drawn = plan.draw(made(), full_sets(made()), "y")
    heights = {bar.id: bar.end - bar.start for bar in drawn.bars}
    assert heights["bell"] / heights["sky"] == pytest.approx(300 / 1080, rel=0.01)


def test_a_turning_camera_bends_the_envelope() -> None:
    turned = made(tracks=[track("camera", "yaw", "scroll", (0, 0), (1, 5))], drivers={"scroll": {}})
    drawn = plan.draw(turned, full_sets(turned))
    points = np.array([[float(v) for v in pair.split(",")] for pair in drawn.envelope.split()])
    at_infinity = points[np.isclose(points[:, 0], drawn.right)][:, 1]
    assert at_infinity.max() > drawn.cone[1] + 5, "even the infinitely far sheet is seen farther out"


def test_the_ladder_hangs_layers_by_rate_and_keeps_cards_apart() -> None:
    drawn = ladder.draw(made())
    assert [rung.layer.id for rung in drawn.rungs] == ["sky", "far", "bell", "near"]
    assert drawn.rungs[0].y == drawn.top
    for one, other in zip(drawn.rungs, drawn.rungs[1:], strict=False):
        assert one.top + one.height <= other.top
    many = scene(*(layer(f"l{i}", 10, 10, depth=i * 10.0) for i in range(60)))
    tall = ladder.draw(many)
    assert tall.height > drawn.height and tall.rungs[-1].top + tall.rungs[-1].height <= tall.height


def test_the_fan_is_straight_for_a_constant_pace_and_steeper_for_nearer_layers() -> None:
    drawn = fan.draw(made(), "scroll")
    curves = {
        curve.id: np.array([[float(v) for v in p.split(",")] for p in curve.points.split()]) for curve in drawn.curves
    }
    slopes = {name: (points[-1, 1] - points[0, 1]) for name, points in curves.items()}
    assert abs(slopes["sky"]) < 0.2 < abs(slopes["far"]) < abs(slopes["bell"]) < abs(slopes["near"])
    middle = curves["near"][120, 1]
    assert middle == pytest.approx((curves["near"][0, 1] + curves["near"][-1, 1]) / 2, abs=0.2)
    assert {c.id: c.most for c in drawn.curves}["bell"] == "−400"
    assert (drawn.axis, drawn.driver, drawn.unit) == ("x", "scroll", "px")
    labels = sorted(curve.label_y for curve in drawn.curves)
    assert min(np.diff(labels)) > 8


def test_the_fans_speed_is_pixels_for_each_page_pixel() -> None:
    drawn = fan.draw(made(drivers={"scroll": {"length": 4000}}), "scroll", speed=True)
    assert {c.id: c.most for c in drawn.curves}["bell"] == "−0.1"


def test_drawings_of_an_empty_scene_are_empty() -> None:
    empty = scene()
    assert plan.draw(empty, {}).bars == () and ladder.draw(empty).rungs == () and fan.draw(empty).curves == ()


def test_the_depth_colour_runs_from_pale_and_cold_to_dark_and_warm() -> None:
    def parts(colour: str) -> list[int]:
        return [int(colour[i : i + 2], 16) for i in (1, 3, 5)]

    far, near = parts(depth_colour(0)), parts(depth_colour(9))
    assert sum(far) > 2 * sum(near) and far[2] > far[0] and near[0] > near[2]
    for rate, colour in RAMP:
        assert parts(depth_colour(rate)) == list(colour)


def test_needed_art_is_the_view_and_its_travel() -> None:
    need = Needs(made()).of(made().layer("near"))
    rate = rate_of(-500, made().lens_distance)
    assert need.box == pytest.approx((-960 - 60 * rate, -540 - 30 * rate, 960 + 460 * rate, 540 + 30 * rate), abs=0.01)
    assert need.states[2].scroll == 1 and need.states[2].pointer[0] == 1
    assert shortage(made().layer("near"), need)["right"] == pytest.approx(460 * rate - 90, abs=0.01)


def test_needs_under_a_turning_camera_hold_every_sampled_state() -> None:
    turning = made(tracks=[
        track("camera", "roll", "scroll", (0, 0, "ease"), (0.5, 7, "smooth"), (1, -2)), track("camera", "z", "scroll", (0, 0), (1, -200)),
    ])  # fmt: skip
    from clinamen.core.motion.states import State
    from clinamen.core.stage import project, stage_at

    far = turning.layer("far")
    box = Needs(turning).of(far).box
    view = np.array([[0, 0], [1920, 0], [1920, 1080], [0, 1080.0]])
    for scroll in np.linspace(0, 1, 33):
        for u, v in ((-1, -1), (1, 1), (-1, 1)):
            matrix = stage_at(turning, State(float(scroll), (u, v)), layers=(far,)).sheets[0].matrix[0]
            art, _ = project(np.linalg.inv(matrix), view)
            assert (art[:, 0].min() >= box[0] - 0.6) and (art[:, 0].max() <= box[2] + 0.6)
            assert (art[:, 1].min() >= box[1] - 0.6) and (art[:, 1].max() <= box[3] + 0.6)


def test_the_readout_says_what_a_layer_does() -> None:
    needs = Needs(made())
    reading = read_layer(made(), made().layer("near"), full_sets(made())["near"], needs)
    rate = rate_of(-500, made().lens_distance)
    scroll = next(went for went in reading.went if went.driver == "scroll")
    assert scroll.x == pytest.approx(-400 * rate) and scroll.across == "left" and scroll.growth == pytest.approx(0)
    assert reading.spare["right"] == pytest.approx(90 - 460 * rate, abs=0.1) and reading.spare["left"] > 0
    assert reading.needs["width"] == pytest.approx(1920 + 520 * rate, abs=0.1)
    bell = read_layer(made(), made().layer("bell"), full_sets(made())["bell"], needs)
    assert bell.spare == {} and bell.needs == {}


def test_the_sharpest_use_is_where_the_camera_comes_closest() -> None:
    pushed = made(tracks=[track("camera", "z", "scroll", (0, 0), (0.4, 600), (1, 0))])
    near = pushed.layer("near")
    rate, distance = rate_of(-500, pushed.lens_distance), pushed.lens_distance
    assert sharpest_use(pushed, near) == pytest.approx(1 / (1 - rate * 600 / distance), rel=1e-6)
    small = (
        made()
        .layer("far")
        .model_copy(update={"framing": made().layer("far").framing.model_copy(update={"scale": 0.4})})
    )
    assert sharpest_use(made(), small) == pytest.approx(0.4)


def test_clear_art_is_an_empty_set() -> None:
    empty = opaque_set(np.zeros((20, 30), np.uint8), 30, 20)
    assert empty.empty and empty.area == 0 and empty.borders == {}


def test_labels_of_the_bench_and_the_plan_never_overprint_and_the_chosen_one_is_shown() -> None:
    """Twenty sheets that stand close together: no two shown texts lie over each other, as wide as their letters are."""
    sheets = [layer(f"layer-{n}", 1000, 600, depth=60 * n + 7 * (n % 3)) for n in range(20)]
    made = scene(*sheets, view={"width": 960, "height": 540}, lens={"aperture": 0.3, "pixels_per_metre": 400}, drivers={"scroll": {}},
                 tracks=[track("camera", "focus", "scroll", (0, 0), (1, -0.5)), track("camera", "x", "scroll", (0, 0), (1, 700))], air={"visibility": 6000})  # fmt: skip

    def apart(texts: list[tuple[float, float, str, str]]) -> bool:
        boxes = [
            (x - 6.6 * len(text) * {"": 0.5, "start": 0, "end": 1}[side], y, 6.6 * len(text))
            for x, y, text, side in texts
        ]
        return not any(
            a[0] < b[0] + b[2] and b[0] < a[0] + a[2] and abs(a[1] - b[1]) < 11
            for a, b in itertools.combinations(boxes, 2)
        )

    for now in (State(), State(scroll=0.4)):
        drawn = bench.draw(made, now=now, chosen="layer-7")
        shown = [x for x in drawn.stands if not x.waits]
        texts = [(x.x, x.said_at, f"{x.label} · {x.says}" if x.id == "layer-7" else x.says, x.side) for x in shown]
        texts += [(each.tip[0] + 9, each.said_at, each.says, "start") for each in drawn.openings[1:] if each.said_at]
        assert "layer-7" in {x.id for x in shown} and len(shown) > 5 and apart(texts)
        assert [each.now for each in drawn.openings] == ([False, False] if now == State() else [False, False, True])
    soft = {x.id: x.soft for x in drawn.stands}
    assert soft["layer-7"] == pytest.approx(float(stage_at(made, State(scroll=0.4))["layer-7"].disc[0]) / 4), (
        "as soft as then"
    )
    sets = {x.id: opaque_set(None, 1000, 600) for x in made.layers}
    bars = [bar for bar in plan.draw(made, sets).bars if bar.words]
    shown_bars = [bar for bar in bars if not bar.words_wait]
    assert len(bars) > len(shown_bars) > 2
    assert apart([(bar.words_x, bar.words_y, bar.words, "end" if bar.words_end else "start") for bar in shown_bars])
