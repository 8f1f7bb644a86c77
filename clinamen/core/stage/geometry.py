"""Homographies: take points through one, say how much one magnifies."""

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Layer
from clinamen.core.stage.formula import shape_of


def project(matrix: Floats, points: Floats) -> tuple[Floats, Floats]:
    """View points [..., P, 2] of art points [..., P, 2] under matrices [..., 3, 3], and their q.z [..., P] (≤ 0: behind the
    camera)."""
    homogeneous = points @ matrix[..., :2].swapaxes(-1, -2) + matrix[..., None, :, 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        return homogeneous[..., :2] / homogeneous[..., 2:], homogeneous[..., 2]


def corners(layer: Layer) -> Floats:
    """The art's corners [4, 2] from its centre: top left, top right, bottom right, bottom left."""
    half = np.array([layer.art.width, layer.art.height]) / 2
    return np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half


def from_corner(layer: Layer, matrix: Floats) -> Floats:
    """Matrices [..., 3, 3] that take art pixels from the art's centre, as ones that take them from its top left corner."""
    shift = np.eye(3)
    shift[:2, 2] = -layer.art.width / 2, -layer.art.height / 2
    return matrix @ shift


def magnification(matrix: Floats, point: Floats) -> Floats:
    """View pixels per art pixel [...] at art points [..., 2] under matrices [..., 3, 3]: the largest singular value of the map's
    Jacobian there (of 2 × 2 numbers: half the sum of the lengths of what they turn alike and what they turn against)."""
    q = matrix[..., :2] @ point[..., None] + matrix[..., 2:]
    away = q[..., 2, :, None]
    jacobian = (matrix[..., :2, :2] - q[..., :2, :] / away * matrix[..., 2:, :2]) / away
    (a, b), (c, d) = (tuple(np.moveaxis(row, -1, 0)) for row in np.moveaxis(jacobian, -2, 0))
    largest: Floats = (np.hypot(a + d, c - b) + np.hypot(a - d, b + c)) / 2
    return largest


def shape_range(layer: Layer) -> tuple[float, float]:
    """The least and the most that a layer's stretch and skew lengthen an art pixel: the singular values of F."""
    across, stretch = shape_of(layer)
    if (across, stretch) == (0.0, 1.0):
        return 1.0, 1.0
    values = np.linalg.svd(np.array([[1.0, across], [0.0, stretch]]), compute_uv=False)
    return float(values[1]), float(values[0])
