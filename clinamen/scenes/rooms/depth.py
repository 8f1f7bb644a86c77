"""The room Depth: plan and section."""

from functools import cached_property

from clinamen.core.drawing import plan
from clinamen.scenes.rooms.desk import room
from clinamen.scenes.rooms.layer_desk import LayerDesk


@room
class DepthRoom(LayerDesk):
    id = "depth"
    name = "Depth"

    @cached_property
    def plan(self) -> plan.Plan:
        axis: plan.Axis = "y" if self.choice.axis == "y" else "x"
        return plan.draw(self.document, self.sets, axis, *self.choice.drawing, needs=self.needs)
