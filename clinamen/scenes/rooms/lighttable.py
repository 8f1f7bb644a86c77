"""The light table of the room Prepare: a layer's recipe as cards with fields, and what the table shows of its art."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, get_args

from clinamen.core.bounds.fill_reach import reach_between
from clinamen.core.bounds.needs import Needs, shortage
from clinamen.core.document import Layer
from clinamen.core.document import Scene as Document
from clinamen.core.prep.steps import STEPS, Cut, Extend, Fill, Step
from clinamen.core.prep.steps.base import Group
from clinamen.core.quantities import number, whole
from clinamen.core.recipes import recipe_of, waiting
from clinamen.scenes.rooms.fields import Field, field_of

GROUPS: tuple[Group, ...] = get_args(Group)


@dataclass(frozen=True)
class Card:
    """A step as the recipe shows it."""

    index: int
    step: Step
    kind: str
    name: str
    fields: tuple[Field, ...]
    tool: str
    note: str = ""
    wrong: bool = False
    waits: bool = False

    @property
    def number(self) -> str:
        return str(self.index)

    @property
    def out_text(self) -> str:
        return f"Take {self.name} out"

    @property
    def cuts(self) -> bool:
        """True for a cut that has been made: one that waits left nothing to take apart or to count."""
        return isinstance(self.step, Cut) and not self.waits

    @property
    def fills(self) -> bool:
        return isinstance(self.step, Fill)

    @property
    def extends(self) -> bool:
        return isinstance(self.step, Extend)


def cards(document: Document, layer: Layer, needs: Needs, opaque: Any) -> list[Card]:
    """A layer's steps as cards."""
    made, waits = [], waiting(document, layer)
    for index, step in enumerate(recipe_of(layer).steps):
        kind = step.kind
        note, wrong = (waits[index], True) if index in waits else _note(document, layer, step, needs, opaque)
        made.append(
            Card(
                index,
                step,
                kind,
                step.title,
                tuple(_fields(document, layer, step)),
                step.tool,
                note,
                wrong,
                index in waits,
            )
        )
    return made


def step_after(name: str, values: Mapping[str, str], edited: Document, chosen: int) -> int:
    """Which step is chosen after an edit: the one that was added or moved, otherwise the same."""
    layer = next((layer for layer in edited.layers if layer.id == values.get("layer")), None)
    count = len(recipe_of(layer).steps) if layer else 0
    if name == "step-add":
        return count - 1
    given = whole(values.get("index", ""))
    index = chosen if given is None else given
    if name == "step-move" and "by" in values:
        return max(0, min(count - 1, index + int(number(values["by"], "by", -200, 200))))
    return index if name in ("step-set", "mark", "fill-reach") else chosen


def offered() -> list[tuple[str, list[tuple[str, str]]]]:
    """The steps by group, each as its word and its name."""
    return [(group, [(kind, step.title) for kind, step in STEPS.items() if step.group == group]) for group in GROUPS]


def _fields(document: Document, layer: Layer, step: Step) -> list[Field]:
    """Every field of a step that has a name of its own."""
    others = tuple((other.id, other.label) for other in document.layers if other.id != layer.id)
    return [
        field_of(name, info, getattr(step, name), others)
        for name, info in type(step).model_fields.items()
        if info.title
    ]


def _note(document: Document, layer: Layer, step: Step, needs: Needs, opaque: Any) -> tuple[str, bool]:
    """What a card says under its fields, and whether it warns."""
    if isinstance(step, Fill) and step.behind:
        need = reach_between(document, step.behind, layer.id, opaque(step.behind), needs).pixels
        if need <= step.reach + 0.5:
            return f"The move uncovers {need:.0f} px; {step.reach - need:.0f} px to spare.", False
        return f"The move uncovers {need:.0f} px: {need - step.reach:.0f} px too little is filled.", True
    if isinstance(step, Extend):
        short = {side: value for side, value in shortage(layer, needs.of(layer)).items() if 0.5 < value < 60000}
        if short:
            return "The move needs " + ", ".join(
                f"{value:.0f} px more {side}" for side, value in short.items()
            ) + ".", True
        return "As wide as the move needs.", False
    return "", False


def default_fields(kind: str, layer: Layer, document: Document) -> dict[str, Any]:
    """What a new step of a kind starts with on this layer."""
    others = [other.id for other in document.layers if other.id != layer.id]
    return STEPS[kind].start(layer.art.width, layer.art.height, others) if kind in STEPS else {}
