"""Angles of view against handbook tables, from memory: 36 × 24 mm frame, values to a tenth of a degree."""

import math

import pytest

from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State
from clinamen.core.optics import (
    ThinLens,
    angle_of_view,
    circle_of_confusion,
    depth_of,
    focal_length_for,
    hyperfocal,
    lens_distance,
)
from clinamen.core.stage import stage_at
from clinamen.core.stage.formula import lens_of
from tests.conftest import layer, scene, track

DIAGONAL = math.hypot(36, 24)


@pytest.mark.parametrize(
    ("focal", "across", "diagonal"), [(28, 65.5, 75.4), (35, 54.4, 63.4), (50, 39.6, 46.8), (85, 23.9, 28.6)]
)
def test_angle_of_view_table(focal: float, across: float, diagonal: float) -> None:
    assert angle_of_view(focal, 36) == pytest.approx(across, abs=0.05)
    assert angle_of_view(focal, DIAGONAL) == pytest.approx(diagonal, abs=0.05)
    assert focal_length_for(angle_of_view(focal, 36), 36) == pytest.approx(focal)


def test_lens_distance_sees_the_view_under_its_angle() -> None:
    distance = lens_distance(1920, 50, 36)
    assert math.degrees(2 * math.atan(960 / distance)) == pytest.approx(angle_of_view(50, 36))


def test_hyperfocal_distance_and_circle_of_confusion_of_handbooks() -> None:
    """50 mm at f/8 with 0.03 mm: 10.47 m (the handbooks' formula H = f²/(N·c) + f). Focused there, infinity is 0.03 mm soft and
    so is what stands at half the distance: the property that the distance is named for."""
    far = hyperfocal(50, 8, 0.03)
    assert far / 1000 == pytest.approx(10.47, abs=0.005)
    assert circle_of_confusion(math.inf, far, 50, 8) == pytest.approx(0.03)
    assert circle_of_confusion(far / 2, far, 50, 8) == pytest.approx(0.03)


def test_a_disc_in_rates_is_the_handbooks_circle_on_the_view() -> None:
    """The same circle by distances in millimetres, magnified from sensor to view; at infinity too."""
    width, focal, sensor, metre, aperture = 1920, 85, 36, 140, 1.8
    lens, distance = ThinLens.of(width, focal, sensor, metre), lens_distance(width, focal, sensor)
    for rate, focus in ((0.2, 0.9), (1.6, 0.5), (0.0, 0.7), (0.4, 0.4)):
        away, sharp = (1000 * distance / r / metre if r else math.inf for r in (rate, focus))
        seen = circle_of_confusion(away, sharp, focal, aperture) * width / sensor
        assert lens.disc(rate, focus, aperture) == pytest.approx(seen, rel=1e-9)
    assert lens.disc(0.4, 0.0, 1.8) == pytest.approx(focal**2 / 1.8 / (1000 * distance / 0.4 / metre) * width / sensor)


def test_the_aperture_that_is_asked_for_makes_the_softness_asked_for_and_depth_of_field_ends_there() -> None:
    lens = ThinLens.of(1920, 50, 36, 100)
    aperture = lens.aperture_for(9.0, 0.3, 0.8)
    assert lens.disc(0.3, 0.8, aperture) == pytest.approx(9.0)
    far, near = lens.in_focus(9.0, 0.8, aperture)
    assert (far, near) == pytest.approx((0.3, 1.3))
    with pytest.raises(BadEdit, match="in focus"):
        lens.aperture_for(9.0, 0.8, 0.8)


@pytest.mark.parametrize(("zoom", "ahead"), [(1.0, 0.0), (1.4, 300.0), (0.8, -500.0)])
def test_depth_of_field_ends_where_a_sheet_is_as_soft_as_is_let_pass(zoom: float, ahead: float) -> None:
    """Against the evaluation itself, with the camera gone ahead and zoomed: sheets stood at both ends have just that disc."""
    lens = {"aperture": 1.2, "pixels_per_metre": 300, "confusion": 5.0}
    moved = [track("camera", "z", "scroll", (0, 0), (1, ahead)), track("camera", "zoom", "scroll", (0, 1), (1, zoom))]
    made = scene(layer("a", 10, 10), view={"width": 1920, "height": 1080}, lens=lens, drivers={"scroll": {}},
                 tracks=[*moved, track("camera", "focus", "scroll", (0, 0), (1, -0.3))])  # fmt: skip
    at = State(scroll=1)
    focus = float(stage_at(made, at).camera.channels["focus"][0])
    ends = lens_of(made).in_focus(5.0, focus, 1.2, zoom, ahead / made.lens_distance)
    assert ends[0] < focus < ends[1]
    for rate in ends:
        stood = made.layers[0].model_copy(update={"depth": depth_of(rate, made.lens_distance)})
        assert float(stage_at(made, at, None, (stood,)).sheets[0].disc[0]) == pytest.approx(5.0, rel=1e-6)
