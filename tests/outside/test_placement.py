"""Placement against OpenCV's projectPoints (pinhole camera, no distortion) and pylinalg's matrices."""

import cv2
import numpy as np
import pylinalg as la
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from clinamen.core.motion.states import State
from clinamen.core.stage import project, stage_at
from clinamen.core.stage.algebra import pitch, roll, yaw
from tests.conftest import layer, scene

angles = st.floats(-25, 25)
CORNERS = np.array([[-400.0, -300], [400, -300], [400, 300], [-400, 300], [17, -120]])


def world_points(made, layer_made) -> np.ndarray:
    """The sheet's points where it truly stands: framed ray divided by the rate, size likewise (float64, [N, 3])."""
    framing, tilt, distance = layer_made.framing, layer_made.tilt, made.lens_distance
    stand = cv2.Rodrigues(np.array([0.0, np.radians(tilt.turn), 0]))[0]
    stand = stand @ cv2.Rodrigues(np.array([np.radians(-tilt.lean), 0.0, 0]))[0]
    stand = stand @ cv2.Rodrigues(np.array([0, 0.0, np.radians(framing.rotation)]))[0]
    rate = distance / (distance + layer_made.depth)
    flat = np.column_stack([CORNERS * framing.scale, np.zeros(len(CORNERS))])
    return (np.array([framing.x, framing.y, distance]) + flat @ stand.T) / rate


@settings(max_examples=80, deadline=None)
@given(
    depth=st.floats(-1200, 9000), x=st.floats(-300, 300), y=st.floats(-200, 200), scale=st.floats(0.2, 3),
    rotation=st.floats(-180, 180), lean=angles, turn=angles, yaw=angles, pitch=angles, roll=st.floats(-180, 180),
    cx=st.floats(-300, 300), cy=st.floats(-300, 300), cz=st.floats(-500, 200), zoom=st.floats(0.5, 3),
)  # fmt: skip
def test_placement_is_opencvs_projection(
    depth, x, y, scale, rotation, lean, turn, yaw, pitch, roll, cx, cy, cz, zoom
) -> None:
    made = scene(
        layer("a", 800, 600, depth=depth, framing={"x": x, "y": y, "scale": scale, "rotation": rotation}, tilt={"lean": lean, "turn": turn}),
        camera={"x": cx, "y": cy, "z": cz, "yaw": yaw, "pitch": pitch, "roll": roll, "zoom": zoom},
    )  # fmt: skip
    ours, ahead = project(stage_at(made, State()).sheets[0].matrix[0], CORNERS)
    focal = made.lens_distance * zoom
    intrinsic = np.array([[focal, 0, 960], [0, focal, 540], [0, 0, 1]])
    look = cv2.Rodrigues(np.array([0.0, np.radians(yaw), 0]))[0]
    look = look @ cv2.Rodrigues(np.array([np.radians(pitch), 0.0, 0]))[0]
    look = look @ cv2.Rodrigues(np.array([0, 0.0, np.radians(roll)]))[0]
    points = (
        world_points(made, made.layers[0]) - [cx, cy, cz]
    ) @ look  # a rotation vector would be ill-defined near 180°
    theirs = cv2.projectPoints(points, np.zeros(3), np.zeros(3), intrinsic, None)[0].reshape(-1, 2)
    before = points[:, 2] > 1
    assert np.all((ahead > 0)[before])
    assert ours[before] == pytest.approx(theirs[before], rel=1e-7, abs=1e-5)


def test_rotations_are_pylinalgs() -> None:
    """pylinalg turns right-handed about an axis; its y and ours agree, as do x and z."""
    for angle in (-170.0, -30.0, 12.5, 90.0):
        radians = np.radians(angle)
        for ours, axis in ((yaw, (0, 1, 0)), (pitch, (1, 0, 0)), (roll, (0, 0, 1))):
            theirs = la.mat_from_axis_angle(axis, radians)[:3, :3]
            assert np.array(ours(np.array(angle))) == pytest.approx(theirs, abs=1e-12)


def test_a_whole_placement_is_pylinalgs_chain_of_matrices() -> None:
    made = scene(
        layer("a", 800, 600, depth=700, framing={"x": 50, "y": -20, "scale": 1.3, "rotation": 30}, tilt={"lean": 20, "turn": -15}),
        camera={"x": 40, "y": 10, "z": 90, "yaw": 7, "pitch": -4, "roll": 12, "zoom": 1.4},
    )  # fmt: skip
    only, distance = made.layers[0], made.lens_distance
    grow = (distance + 700) / distance

    def about(axis, degrees):
        return la.mat_from_axis_angle(axis, np.radians(degrees))

    sheet = la.mat_compose((50 * grow, -20 * grow, distance * grow), (0, 0, 0, 1), (1.3 * grow,) * 3)
    sheet = sheet @ about((0, 1, 0), -15) @ about((1, 0, 0), -20) @ about((0, 0, 1), 30)
    camera = la.mat_from_translation((40, 10, 90)) @ about((0, 1, 0), 7) @ about((1, 0, 0), -4) @ about((0, 0, 1), 12)
    seen = la.vec_transform(np.column_stack([CORNERS, np.zeros(len(CORNERS))]), np.linalg.inv(camera) @ sheet)
    theirs = seen[:, :2] / seen[:, 2:] * distance * 1.4 + [960, 540]
    ours = project(stage_at(made, State()).sheets[0].matrix[0], CORNERS)[0]
    assert only.depth == 700 and ours == pytest.approx(theirs, abs=1e-8)


@pytest.mark.parametrize("arc,crane", [(35.0, 0.0), (-20.0, 12.0), (80.0, -30.0)])
def test_an_arc_goes_on_looking_at_its_target_as_pylinalgs_look_at_does(arc: float, crane: float) -> None:
    """The camera stands as far from the target as before, and turned as pylinalg's look-at turns it there."""
    made = scene(
        layer("a", 800, 600, depth=700, framing={"x": 50, "y": -20}),
        camera={"target": {"x": 0, "y": 0, "depth": 400}, "arc": arc, "crane": crane},
    )  # fmt: skip
    staged = stage_at(made, State())
    (eye,), (turn,) = staged.eye()
    target = np.array([0, 0, made.lens_distance + 400])
    assert np.linalg.norm(eye - target) == pytest.approx(np.linalg.norm(target))
    assert eye[0] * arc < 0 and (crane == 0 or eye[1] * crane > 0), "left of it and below it where positive"
    # pylinalg looks along −z with y up; ours looks along z with y down
    theirs = la.mat_look_at(target, eye, np.array([0, -1.0, 0]))[:3, :3]
    forward = target - eye
    assert turn[:, 2] == pytest.approx(forward / np.linalg.norm(forward), abs=1e-12)
    assert np.abs(theirs[:, 2]) == pytest.approx(np.abs(turn[:, 2]), abs=1e-9)
    assert np.abs(theirs[:, 0]) == pytest.approx(np.abs(turn[:, 0]), abs=1e-9), "no roll comes in"
    point, ahead = project(staged.sheets[0].matrix[0], np.array([[-50.0, 20.0]]))
    assert ahead[0] > 0 and np.isfinite(point).all()


def test_turning_about_an_anchor_is_scipys_rotation() -> None:
    made = scene(
        layer("a", 400, 300, depth=500, framing={"x": 30, "y": -10, "scale": 0.8, "rotation": 20}, anchor={"x": -120, "y": 90}),
        drivers={"scroll": {}},
        tracks=[
            {"target": "a", "channel": "rotation", "driver": "scroll", "keys": [{"at": 0, "value": 0}, {"at": 1, "value": 70}]},
            {"target": "a", "channel": "scale", "driver": "scroll", "keys": [{"at": 0, "value": 1}, {"at": 1, "value": 1.5}]},
        ],
    )  # fmt: skip
    anchor, other = np.array([-120.0, 90.0]), np.array([200.0, -150.0])
    (rest_pin, rest_other), _ = project(stage_at(made, State()).sheets[0].matrix[0], np.array([anchor, other]))
    (pin, seen), _ = project(stage_at(made, State(1.0)).sheets[0].matrix[0], np.array([anchor, other]))
    assert pin == pytest.approx(rest_pin, abs=1e-9), "the anchor stays put"
    turned = Rotation.from_euler("z", 70, degrees=True).apply([*(rest_other - rest_pin), 0])[:2] * 1.5
    assert seen - pin == pytest.approx(turned, abs=1e-9)
