"""Layer and pose to homography: the one formula of the product.

Axes: x right, y down, z forward. A layer's framing is what the camera sees from its zero position; the camera stands
at c, turned by R = Ry(yaw)·Rx(pitch)·Rz(roll), zoomed by m. For a point (a, b) of the art, from the art's centre:

    q = Rᵀ · ( (x, y, D) + s·a·L·e1 + s·b·L·e2 − k·c ),   view point = (W/2 + m·D·q.x/q.z, H/2 + m·D·q.y/q.z)

so H = K · Rᵀ · [ s·L·e1 | s·L·e2 | (x, y, D) − k·c ]. Everything stays finite at infinite depth, where k = 0.
Source: the pinhole model of Hartley and Zisserman, Multiple View Geometry, 2nd ed., ch. 6 and 13, with the sheet's
depth folded into k. A point with q.z ≤ 0 is behind the camera.
"""

from dataclasses import dataclass

import numpy as np

from clinamen.core.document import Layer, Scene
from clinamen.core.motion.easing import Floats
from clinamen.core.motion.pose import Motion, State, States

NEAREST = 1e-9  # of the lens distance: closest that the eye may come to a sheet before the sheet counts as behind it


def mat_from_yaw(degrees: Floats) -> Floats:
    """Rotation about the y axis, ndarray [..., 3, 3]: positive turns z towards x."""
    return _rotation(degrees, 0, 2, 1.0)


def mat_from_pitch(degrees: Floats) -> Floats:
    """Rotation about the x axis, ndarray [..., 3, 3]: positive turns z towards −y, up."""
    return _rotation(degrees, 1, 2, -1.0)


def mat_from_roll(degrees: Floats) -> Floats:
    """Rotation about the z axis, ndarray [..., 3, 3]: positive turns x towards y, clockwise on the view."""
    return _rotation(degrees, 0, 1, -1.0)


def _rotation(degrees: Floats, i: int, j: int, sign: float) -> Floats:
    angle = np.radians(np.asarray(degrees, dtype=float))
    matrix = np.zeros((*angle.shape, 3, 3))
    matrix[..., 0, 0] = matrix[..., 1, 1] = matrix[..., 2, 2] = 1.0
    matrix[..., i, i] = matrix[..., j, j] = np.cos(angle)
    matrix[..., i, j] = sign * np.sin(angle)
    matrix[..., j, i] = -sign * np.sin(angle)
    return matrix


def camera_turn(camera: dict[str, Floats]) -> Floats:
    """R [N, 3, 3], camera to world."""
    return mat_from_yaw(camera["yaw"]) @ mat_from_pitch(camera["pitch"]) @ mat_from_roll(camera["roll"])


def layer_turn(layer: dict[str, Floats]) -> Floats:
    """L [N, 3, 3], layer to world."""
    return mat_from_yaw(layer["turn"]) @ mat_from_pitch(-layer["lean"]) @ mat_from_roll(layer["rotation"])


def camera_matrix(width: float, height: float, distance: float, zoom: Floats) -> Floats:
    """K [N, 3, 3]: from the camera's coordinates to view pixels."""
    k = np.zeros((*np.shape(zoom), 3, 3))
    k[..., 0, 0] = k[..., 1, 1] = np.asarray(zoom) * distance
    k[..., 0, 2], k[..., 1, 2], k[..., 2, 2] = width / 2, height / 2, 1.0
    return k


def rates(depth: Floats, distance: float) -> Floats:
    """Rate k [N] at depths [N] (inf allowed)."""
    return distance / np.maximum(distance + depth, NEAREST * distance)


@dataclass(frozen=True)
class Placement:
    """One layer over N states. `matrix` [N, 3, 3] takes art pixels from the art's centre to view pixels; its third row
    gives q.z, positive before the camera, so it is not normalised. `rate`, `opacity`, `blur` [N]."""

    layer: Layer
    matrix: Floats
    rate: Floats
    opacity: Floats
    blur: Floats

    def from_origin(self) -> Floats:
        """Matrices [N, 3, 3] that take art pixels counted from the art's top left corner."""
        shift = np.eye(3)
        shift[:2, 2] = -self.layer.art.width / 2, -self.layer.art.height / 2
        return self.matrix @ shift

    def normalised(self) -> Floats:
        """As `from_origin`, with the last element 1."""
        matrix = self.from_origin()
        return matrix / matrix[:, 2:, 2:]


def place(scene: Scene, states: States, motion: Motion | None = None) -> list[Placement]:
    """Every layer's placement over N states, in drawing order."""
    motion = motion or Motion(scene)
    camera = motion.camera(states)
    distance = scene.lens_distance
    to_view = camera_matrix(scene.view.width, scene.view.height, distance, camera["zoom"])
    to_view = to_view @ np.swapaxes(camera_turn(camera), -1, -2)
    eye = np.stack([camera["x"], camera["y"], camera["z"]], axis=-1)
    return [_place_layer(scene, motion, layer, states, to_view, eye) for layer in scene.layers]


def _place_layer(scene: Scene, motion: Motion, layer: Layer, states: States, to_view: Floats, eye: Floats) -> Placement:
    channels = motion.layer(layer, states)
    distance = scene.lens_distance
    rate = rates(channels["depth"], distance)
    turn = layer_turn(channels)
    sheet = np.empty((len(states), 3, 3))
    sheet[:, :, :2] = turn[:, :, :2] * channels["scale"][:, None, None]
    sheet[:, 0, 2], sheet[:, 1, 2], sheet[:, 2, 2] = channels["x"], channels["y"], distance
    sheet[:, :, 2] -= rate[:, None] * eye
    opacity = np.clip(channels["opacity"], 0.0, 1.0)
    return Placement(layer, to_view @ sheet, rate, opacity, np.maximum(channels["blur"], 0.0))


def place_at(scene: Scene, state: State, motion: Motion | None = None) -> list[Placement]:
    """Every layer's placement at one state (N = 1)."""
    return place(scene, States.of(state), motion)


def project(matrix: Floats, points: Floats) -> tuple[Floats, Floats]:
    """View points [P, 2] of art points [P, 2] under a matrix [3, 3], and their q.z [P] (≤ 0: behind the camera)."""
    homogeneous = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    with np.errstate(divide="ignore", invalid="ignore"):
        return homogeneous[:, :2] / homogeneous[:, 2:], homogeneous[:, 2]


def corners(layer: Layer) -> Floats:
    """The art's corners [4, 2] from its centre: top left, top right, bottom right, bottom left."""
    half = np.array([layer.art.width, layer.art.height]) / 2
    return np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half


def magnification(matrix: Floats, point: Floats) -> float:
    """View pixels per art pixel at an art point [2]: the largest singular value of the map's Jacobian there."""
    q = matrix @ np.array([point[0], point[1], 1.0])
    jacobian = (matrix[:2, :2] - np.outer(q[:2] / q[2], matrix[2, :2])) / q[2]
    return float(np.linalg.svd(jacobian, compute_uv=False)[0])
