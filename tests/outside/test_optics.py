"""Angles of view against handbook tables, from memory: 36 × 24 mm frame, values to a tenth of a degree."""

import math

import pytest

from clinamen.core.errors import BadEdit
from clinamen.core.optics import (
    ThinLens,
    angle_of_view,
    circle_of_confusion,
    focal_length_for,
    hyperfocal,
    lens_distance,
)

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
