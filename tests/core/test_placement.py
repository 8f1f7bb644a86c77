import numpy as np
import pytest

from clinamen.core import document
from clinamen.core.edits import apply, moved_in_depth
from clinamen.core.motion.states import State
from clinamen.core.optics import depth_of, rate_of
from clinamen.core.stage import magnification, project, stage_at
from tests.conftest import layer, scene

POINTS = np.array([[-300.0, -200.0], [310, 20], [0, 0]])


def seen(made, camera: dict, index: int = 0) -> np.ndarray:
    moved = made.model_copy(update={"camera": made.camera.model_copy(update=camera)})
    return project(stage_at(moved, State()).sheets[index].matrix[0], POINTS)[0]


@pytest.mark.parametrize("depth", [-2000, 0, 900.0, 1e7, "infinite"])
def test_from_the_resting_camera_depth_changes_nothing(depth: object) -> None:
    framing = {"x": 40, "y": -30, "scale": 1.5, "rotation": 20}
    flat = seen(scene(layer("a", 600, 400, framing=framing)), {})
    assert seen(scene(layer("a", 600, 400, framing=framing, depth=depth)), {}) == pytest.approx(flat, abs=1e-9)


def test_a_truck_moves_a_frontal_layer_by_its_rate() -> None:
    made = scene(layer("a", 600, 400, depth=1000))
    shift = seen(made, {"x": 120, "y": -50}) - seen(made, {})
    rate = rate_of(1000, made.lens_distance)
    assert shift == pytest.approx(np.tile([-120 * rate, 50 * rate], (3, 1)))


def test_a_dolly_scales_about_the_view_centre() -> None:
    made = scene(layer("a", 600, 400, depth=1000))
    centre = np.array([960, 540])
    grown = (seen(made, {"z": 400}) - centre) / (seen(made, {}) - centre)[:1].repeat(3, 0)
    expected = 1 / (1 - rate_of(1000, made.lens_distance) * 400 / made.lens_distance)
    assert grown[0] == pytest.approx([expected, expected])


def test_an_infinite_layer_answers_to_turning_and_zoom_only() -> None:
    made = scene(layer("a", 600, 400, depth="infinite"))
    rest = seen(made, {})
    assert seen(made, {"x": 500, "y": 300, "z": 900}) == pytest.approx(rest)
    assert not np.allclose(seen(made, {"yaw": 5}), rest)
    assert not np.allclose(seen(made, {"zoom": 1.2}), rest)


def test_signs_of_the_camera() -> None:
    made = scene(layer("a", 600, 400))
    centre = seen(made, {})[2]
    assert seen(made, {"yaw": 4})[2][0] < centre[0], "looking right moves the picture left"
    assert seen(made, {"pitch": 4})[2][1] > centre[1], "looking up moves the picture down"
    turned = seen(made, {"roll": 10})[1] - centre
    assert turned[1] < 20 - 10, "a camera turned clockwise shows the picture turned back"


def test_a_leaning_layer_lies_back() -> None:
    made = scene(layer("a", 600, 400, tilt={"lean": 60}))
    top, bottom = project(stage_at(made, State()).sheets[0].matrix[0], np.array([[0, -200.0], [0, 200.0]]))[0]
    assert 540 - top[1] < bottom[1] - 540, "the upper half is farther away and looks shorter"


def test_points_behind_the_camera_are_known_as_such() -> None:
    made = scene(layer("floor", 600, 9000, tilt={"lean": 90}, framing={"y": 300}), camera={"z": 0})
    depths = project(stage_at(made, State()).sheets[0].matrix[0], np.array([[0, -4000.0], [0, 4000.0]]))[1]
    assert depths[0] > 0 > depths[1]


def test_holding_the_true_size_keeps_the_sheet_and_moves_it_back() -> None:
    made = scene(layer("a", 600, 400, depth=0, framing={"x": 100, "y": 50, "scale": 1.2}))
    moved = moved_in_depth(made.layers[0], 2000.0, made.lens_distance, "size")
    factor = rate_of(2000, made.lens_distance)
    assert (moved.framing.x, moved.framing.y, moved.framing.scale) == pytest.approx(
        (100 * factor, 50 * factor, 1.2 * factor)
    )
    # true size: framed size divided by rate, the same before and after
    assert moved.framing.scale / factor == pytest.approx(1.2)


def test_rate_and_depth_undo_each_other() -> None:
    for depth in (-2000.0, 0.0, 800.0, 90000.0):
        assert depth_of(rate_of(depth, 2666.7), 2666.7) == pytest.approx(depth)
    assert depth_of(0, 2666.7) == "infinite" and rate_of("infinite", 2666.7) == 0


def test_magnification_is_view_pixels_per_art_pixel() -> None:
    made = scene(layer("a", 600, 400, framing={"scale": 0.4}), camera={"zoom": 2})
    assert magnification(stage_at(made, State()).sheets[0].matrix[0], np.zeros(2)) == pytest.approx(0.8)


def test_an_anchor_stays_on_the_same_point_of_the_picture_when_it_is_cropped_or_extended() -> None:
    made = scene(layer("a", 400, 300, framing={"scale": 0.7, "rotation": 25}, anchor={"x": 90, "y": -60}))

    def pinned(one) -> np.ndarray:
        only = one.layers[0]
        points = np.array([[only.anchor.x, only.anchor.y]])
        return project(stage_at(one, State()).sheets[0].matrix[0], points)[0][0]

    cropped, _ = apply(
        made, "step-add", {"layer": "a", "step": "crop", "data": '{"x": 30, "y": 20, "width": 340, "height": 200}'}
    )
    resized, _ = apply(made, "step-add", {"layer": "a", "step": "resize", "data": '{"width": 200, "height": 150}'})
    extended, _ = apply(made, "extend", {"layer": "a", "side": "left", "pixels": "80"})
    for changed in (cropped, resized, extended):
        assert changed.layers[0].anchor != made.layers[0].anchor
        assert pinned(changed) == pytest.approx(pinned(made), abs=1e-9)


def test_an_anchor_is_not_written_where_it_is_the_middle() -> None:
    plain, pinned = scene(layer("a", 40, 30)), scene(layer("a", 40, 30, anchor={"x": 3}))
    assert "anchor" not in plain.to_json()["layers"][0]
    assert pinned.to_json()["layers"][0]["anchor"] == {"x": 3.0, "y": 0.0}
    assert document.parse(pinned.to_json()) == pinned
