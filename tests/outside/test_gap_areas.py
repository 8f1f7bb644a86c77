"""Uncovered regions and their size against exact polygon geometry in Shapely."""

import numpy as np
import pytest
from shapely import Point, Polygon, box
from shapely.ops import unary_union

from clinamen.core.bounds.region import distance_to_art, uncovered
from clinamen.core.bounds.search import Coverage, find_worst
from clinamen.core.motion.states import State
from clinamen.core.stage import corners, project, stage_at
from tests.conftest import full_sets, layer, scene, track

VIEW = box(0, 0, 1920, 1080)
CASES = [
    ({}, {"x": 200}),
    ({"framing": {"rotation": 7}}, {"y": -90}),
    ({"tilt": {"turn": 20}}, {"x": 60, "z": 300}),
    ({"tilt": {"lean": 25}, "depth": 500}, {"yaw": 4, "roll": -6}),
]


def open_region(made, state: State):
    sheets = [Polygon(project(p.matrix[0], corners(p.layer))[0]) for p in stage_at(made, state).sheets]
    return VIEW.difference(unary_union(sheets))


@pytest.mark.parametrize(("fields", "camera"), CASES)
def test_uncovered_area_is_shapelys(fields: dict, camera: dict) -> None:
    made = scene(layer("a", 1500, 1300, framing={"x": -300}), layer("b", 1400, 900, **fields), camera=camera)
    exact = open_region(made, State())
    area = float(np.count_nonzero(uncovered(made, full_sets(made), State(), 1.0)))
    # a pixel belongs by its centre, so the error is at most about a pixel along the outline
    assert abs(area - exact.area) < 0.6 * exact.length + 2
    assert exact.area > 10_000


@pytest.mark.parametrize(("fields", "camera"), CASES)
def test_the_worst_gap_is_as_deep_as_in_shapely(fields: dict, camera: dict) -> None:
    """The point of the open view farthest from the sheet, over a fine sweep, against the proved worst."""
    tracks = [track("camera", name, "scroll", (0, 0), (1, value)) for name, value in camera.items()]
    made = scene(layer("b", 2100, 1240, **fields), drivers={"scroll": {}}, tracks=tracks)
    worst = find_worst(Coverage(made, full_sets(made)), (0, 0, 1920, 1080))
    placed = stage_at(made, worst.state).sheets[0]
    measured = distance_to_art(placed, full_sets(made)["b"], worst.point)
    deepest = 0.0
    for scroll in np.linspace(0, 1, 81):
        swept = stage_at(made, State(float(scroll))).sheets[0]
        sheet = Polygon(project(swept.matrix[0], corners(swept.layer))[0])
        region = VIEW.difference(sheet)
        parts = [part for part in getattr(region, "geoms", [region]) if not part.is_empty]
        deepest = max([deepest, *(sheet.distance(Point(xy)) for part in parts for xy in part.exterior.coords)])
    frontal = "tilt" not in fields and not {"yaw", "pitch"} & set(camera)
    assert deepest <= worst.bound + 0.1
    assert measured == pytest.approx(deepest, abs=1.0 if frontal else 0.1 * deepest)
