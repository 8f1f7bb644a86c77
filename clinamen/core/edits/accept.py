"""Accepting a finding as intended, and taking that back."""

from clinamen.core.document import Scene
from clinamen.core.document.accepted import Accepted
from clinamen.core.edits.registry import Edited, Values, edit
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number


@edit("accept")
def accept(scene: Scene, values: Values) -> Edited:
    """Have a `finding` stand as intended, up to its `amount`, with a `note`."""
    name = values.get("finding", "").strip()
    if not name:
        raise BadEdit("finding: is not named; choose one in Proof")
    note = " ".join(values.get("note", "").split())[:500]
    made = Accepted(finding=name[:300], amount=number(values.get("amount", ""), "amount", 0, 1e12), note=note)
    others = tuple(each for each in scene.accepted if each.finding != made.finding)
    return scene.model_copy(update={"accepted": (*others, made)}), "Accepted as intended"


@edit("unaccept")
def unaccept(scene: Scene, values: Values) -> Edited:
    """Count a `finding` again."""
    name = values.get("finding", "")
    left = tuple(each for each in scene.accepted if each.finding != name)
    if left == scene.accepted:
        raise BadEdit("finding: is not accepted any more")
    return scene.model_copy(update={"accepted": left}), "Counted again"
