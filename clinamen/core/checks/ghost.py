"""Ghost: the move shows more of the place behind a cut-out than was filled, and the hole comes into sight."""

import math

from clinamen.core.bounds.fill_reach import reach_between
from clinamen.core.checks.base import Check, Finding, Fix, Subject, Where, describe_state, register
from clinamen.core.document import Layer, seen_layers
from clinamen.core.prep.steps import Fill
from clinamen.core.quantities import shown

TOLERANCE = 0.5  # px of the sheet behind
MARK = 60.0  # view px: half the side of the place that is marked


@register
class GhostCheck(Check):
    id = "ghost"
    name = "short fill"
    plural = "short fills"
    description = "The move uncovers more behind a cut-out than was filled."
    sure = "bounded over all states to half a pixel of the sheet behind, at keys and ends where a sheet is tilted"
    spread = "local"

    def short(self, finding: Finding) -> str:
        return f"{shown(finding.amount, 0)} px too little filled behind"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for layer in seen_layers(subject.scene):
            if layer.recipe is not None:
                for index, step in enumerate(layer.recipe.steps):
                    if isinstance(step, Fill) and step.on and step.behind:
                        found += _short(subject, layer, index, step)
        return found


def _short(subject: Subject, layer: Layer, index: int, fill: Fill) -> list[Finding]:
    scene = subject.scene
    pieces = {other.id: other for other in seen_layers(scene)}
    if fill.behind not in pieces:
        return []
    need = reach_between(scene, fill.behind, layer.id, subject.sets.get(fill.behind), subject.needs)
    if need.pixels <= fill.reach + TOLERANCE:
        return []
    x = min(max(need.point[0], 0.0), float(scene.view.width))
    y = min(max(need.point[1], 0.0), float(scene.view.height))
    where = Where(max(0.0, x - MARK), max(0.0, y - MARK), 2 * MARK, 2 * MARK)
    front = pieces[fill.behind].label
    message = (
        f"{layer.label} is filled {fill.reach:.0f} px behind {front}, the move uncovers {need.pixels:.1f} px "
        f"({describe_state(scene, need.state)})"
    )
    reach = float(math.ceil(need.pixels - TOLERANCE))
    values = {"layer": layer.id, "index": str(index), "reach": f"{reach:.0f}"}
    fix = Fix("fill", reach, "step-set", values, f"Fill {reach:.0f} px behind {front}")
    amount = need.pixels - fill.reach
    return [Finding("ghost", "error", layer.id, need.state, amount, "px", where, message, f"fill {index}", (fix,))]
