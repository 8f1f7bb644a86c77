"""Angles of view against handbook tables, from memory: 36 × 24 mm frame, values to a tenth of a degree."""

import math

import pytest

from clinamen.core.optics import angle_of_view, focal_length_for, lens_distance

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
