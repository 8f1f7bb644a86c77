"""Wait: a prep step has nothing it could work on and leaves its layer's art as it is."""

import numpy as np

from clinamen.core.checks.base import Check, Finding, Fix, Subject, Where, register
from clinamen.core.document import Layer, Scene
from clinamen.core.motion.states import State
from clinamen.core.recipes import waiting
from clinamen.core.stage import corners, project, stage_at


@register
class WaitCheck(Check):
    id = "wait"
    name = "step that waits"
    plural = "steps that wait"
    unit = "step"
    description = "A prep step cannot work on the art as it is, and leaves it unchanged."
    spread = "whole"

    def short(self, finding: Finding) -> str:
        return "a step waits"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "whatever moves"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for layer in subject.scene.layers:
            for index, sentence in waiting(subject.scene, layer).items():
                assert layer.recipe is not None
                title = layer.recipe.steps[index].title
                off = Fix(
                    "off", 0.0, "step-set", {"layer": layer.id, "index": str(index), "on": "0"}, f"Switch “{title}” off"
                )
                found.append(
                    Finding(
                        self.id, "warning", layer.id, State(), 1, self.unit, _box(subject, layer),
                        f"{layer.label}, step {index + 1}, {title}: {sentence}", f"step {index}", (off,),
                    )
                )  # fmt: skip
        return found


def _box(subject: Subject, layer: Layer) -> Where:
    """Where the layer stands at rest, as far as it is on the view."""
    size = np.array([subject.scene.view.width, subject.scene.view.height], float)
    sheet = stage_at(subject.scene, State(), subject.motion, (layer,)).sheets[0]
    points, ahead = project(sheet.matrix[0], corners(layer))
    if np.any(ahead <= 0):
        return Where(0.0, 0.0, *size.tolist())
    low, high = (np.clip(edge, 0, size) for edge in (points.min(axis=0), points.max(axis=0)))
    return Where(*low.tolist(), *(high - low).tolist())
