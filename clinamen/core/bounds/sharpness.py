"""How large a layer's art is ever shown: view pixels per art pixel at its sharpest use over all driver states."""

import numpy as np

from clinamen.core.bounds.needs import Needs
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.states import State, States
from clinamen.core.stage import corners, magnification, project, stage

MOST_STATES = 512
ALONG = 3  # points along each side of the view that are tried


def sharpest_use(scene: Scene, layer: Layer, needs: Needs | None = None) -> float:
    """Largest view pixels per art pixel, over the keys and ends of all drivers; 1 is pixel for pixel."""
    return sharpest(scene, layer, needs)[0]


def sharpest(scene: Scene, layer: Layer, needs: Needs | None = None) -> tuple[float, State]:
    """The largest use, and the state it is at.

    Where the motion between two keys is monotone the largest use lies at a key, so keys suffice.
    """
    needs = needs or Needs(scene)
    samples = needs.samples(layer)
    if len(samples) > MOST_STATES:
        samples = samples[np.linspace(0, len(samples) - 1, MOST_STATES).astype(int)]
    states = States(*samples.T)
    sheet = stage(scene, states, needs.motion, (layer,)).sheets[0]
    uses = [_largest(scene, layer, matrix) for matrix in sheet.matrix]
    most = max(range(len(uses)), key=lambda index: uses[index], default=-1)
    return (1.0, State()) if most < 0 else (uses[most], states[most])


def _largest(scene: Scene, layer: Layer, matrix: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> float:
    flat = matrix[2, 0] == 0 and matrix[2, 1] == 0
    if flat:  # the same everywhere on the sheet
        return magnification(matrix, np.zeros(2)) if matrix[2, 2] > 0 else 0.0
    x, y = np.meshgrid(np.linspace(0, scene.view.width, ALONG), np.linspace(0, scene.view.height, ALONG))
    seen = np.column_stack([x.ravel(), y.ravel()])
    art, _ = project(np.linalg.inv(matrix).astype(float), seen)
    half = np.array([layer.art.width, layer.art.height]) / 2
    inside = np.abs(art) <= half
    points = np.concatenate([art[inside.all(axis=1)], corners(layer)])
    shown, ahead = project(matrix, points)
    near = (ahead > 0) & np.all((shown >= -1) & (shown <= [scene.view.width + 1, scene.view.height + 1]), axis=1)
    return max((magnification(matrix, point) for point in points[near]), default=0.0)
