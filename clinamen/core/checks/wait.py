"""Wait: a prep step has nothing it could work on and leaves its layer's art as it is."""

from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.document import Scene
from clinamen.core.motion.states import State
from clinamen.core.recipes import waiting


@register
class WaitCheck(Check):
    id = "wait"
    name = "step that waits"
    plural = "steps that wait"
    unit = "step"
    description = "A prep step cannot work on the art as it is, and leaves it unchanged."
    sure = "exact, from sizes and fields"
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
                        self.id, "warning", layer.id, State(), 1, self.unit, subject.box_at(layer, State()),
                        f"{layer.label}, step {index + 1}, {title}: {sentence}", f"step {index}", (off,),
                    )
                )  # fmt: skip
        return found
