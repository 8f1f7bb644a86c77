"""How large a layer's art is ever shown: view pixels per art pixel at its sharpest use over all driver states."""

import numpy as np

from clinamen.core.arrays import Floats
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
    uses = _largest(scene, layer, sheet.matrix)
    most = int(uses.argmax()) if len(uses) else -1
    return (1.0, State()) if most < 0 else (float(uses[most]), states[most])


def _largest(scene: Scene, layer: Layer, matrices: Floats) -> Floats:
    """The largest use [N] anywhere in the view, under matrices [N, 3, 3]."""
    ahead = matrices[:, 2, 2] > 0
    flat = (matrices[:, 2, 0] == 0) & (matrices[:, 2, 1] == 0)  # the same everywhere on the sheet
    uses = np.zeros(len(matrices))
    uses[flat & ahead] = magnification(matrices[flat & ahead], np.zeros(2))
    if not flat.all():
        uses[~flat] = _largest_leaning(scene, layer, matrices[~flat])
    return uses


def _largest_leaning(scene: Scene, layer: Layer, matrices: Floats) -> Floats:
    """The same where the sheet is seen at a slant: of its corners and of places spread over the view, those that are seen."""
    view = np.array([scene.view.width, scene.view.height])
    x, y = np.meshgrid(np.linspace(0, view[0], ALONG), np.linspace(0, view[1], ALONG))
    art, _ = project(np.linalg.inv(matrices).astype(float), np.column_stack([x.ravel(), y.ravel()]))
    outline = np.broadcast_to(corners(layer), (len(matrices), 4, 2))
    inside = np.all(np.abs(art) <= np.array([layer.art.width, layer.art.height]) / 2, axis=2)
    points = np.concatenate([np.where(inside[:, :, None], art, outline[:, :1]), outline], axis=1)
    shown, ahead = project(matrices, points)
    seen = (ahead > 0) & np.all((shown >= -1) & (shown <= view + 1), axis=2)
    with np.errstate(divide="ignore", invalid="ignore"):  # where the eye is in the sheet's plane, which is not seen
        uses = magnification(matrices[:, None], points)
    return np.where(seen, uses, 0.0).max(axis=1)
