"""The light table of the room Prepare: a layer's recipe as cards with fields, and what the table shows of its art."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from clinamen.core.bounds.fill_reach import reach_between
from clinamen.core.bounds.needs import Needs, shortage
from clinamen.core.document import Layer
from clinamen.core.document import Scene as Document
from clinamen.core.edits.recipes import NAMES
from clinamen.core.prep.steps import Cut, Extend, Fill, Step
from clinamen.core.quantities import number
from clinamen.core.recipes import recipe_of

# what each field is called and counted in; geometry that is drawn on the table has no field
LABELS: dict[str, tuple[str, str]] = {
    "invert": ("keep the rest instead", ""), "soften": ("edge softened", "px"), "radius": ("radius", "px"),
    "colour": ("colour", ""), "tolerance": ("tolerance", ""), "softness": ("softness", ""), "spill": ("spill off", ""),
    "low": ("from", ""), "high": ("to", ""), "matting": ("edge refined within", "px"), "layer": ("other layer", ""),
    "by": ("by", "px"), "threshold": ("threshold", ""), "reach": ("reach", "px"), "method": ("how", ""),
    "grow": ("hole grown", "px"), "behind": ("behind", ""), "left": ("left", "px"), "right": ("right", "px"),
    "top": ("top", "px"), "bottom": ("bottom", "px"), "overlap": ("overlap", "px"), "x": ("from the left", "px"),
    "y": ("from the top", "px"), "width": ("width", "px"), "height": ("height", "px"), "axis": ("direction", ""),
    "quarters": ("quarter turns", ""), "filter": ("filter", ""), "strength": ("strength", ""),
}  # fmt: skip
WORDS = {
    ("flip", "axis"): {"x": "left to right", "y": "upside down"},
    ("extend", "method"): {
        "stretch": "stretch the edge",
        "flip": "mirror it",
        "repeat": "repeat it",
        "fill": "fill by texture",
    },
    ("fill", "method"): {"smooth": "run colours on", "texture": "by texture"},
    ("resize", "filter"): {"area": "averaged", "lanczos": "sharp (Lanczos)"},
}
GROUPS = (
    ("Cut", ("assisted", "outline", "rectangle", "key", "brightness", "difference")),
    ("Edge", ("soften", "grow", "smooth", "solid", "fringe", "bleed")),
    ("Behind", ("fill", "retouch")),
    ("Extend", ("extend",)),
    ("Shape", ("crop", "flip", "turn", "resize", "canvas")),
    ("Colour", ("match",)),
)
# what the hand does on the table while a step is chosen
TOOLS = {
    "outline": "outline",
    "rectangle": "box",
    "crop": "crop",
    "assisted": "assisted",
    "key": "pick",
    "retouch": "retouch",
}


@dataclass(frozen=True)
class Field:
    """One field of a step's card."""

    name: str
    label: str
    unit: str
    value: Any
    kind: str  # "number", "switch", "choice", "colour", "layer"
    choices: tuple[tuple[str, str], ...] = ()
    step: float = 1.0


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

    @property
    def cuts(self) -> bool:
        return isinstance(self.step, Cut)

    @property
    def fills(self) -> bool:
        return isinstance(self.step, Fill)

    @property
    def extends(self) -> bool:
        return isinstance(self.step, Extend)


def cards(document: Document, layer: Layer, needs: Needs, opaque: Any) -> list[Card]:
    """A layer's steps as cards."""
    made = []
    for index, step in enumerate(recipe_of(layer).steps):
        kind = step.step
        note, wrong = _note(document, layer, step, needs, opaque)
        made.append(
            Card(
                index, step, kind, NAMES[kind], tuple(_fields(document, layer, step)), TOOLS.get(kind, ""), note, wrong
            )
        )
    return made


def step_after(name: str, values: Mapping[str, str], edited: Document, chosen: int) -> int:
    """Which step is chosen after an edit: the one that was added or moved, otherwise the same."""
    layer = next((layer for layer in edited.layers if layer.id == values.get("layer")), None)
    count = len(recipe_of(layer).steps) if layer else 0
    if name == "step-add":
        return count - 1
    index = int(values["index"]) if values.get("index", "").isdigit() else chosen
    if name == "step-move" and "by" in values:
        return max(0, min(count - 1, index + int(number(values["by"], "by", -200, 200))))
    return index if name in ("step-set", "mark", "fill-reach") else chosen


def _fields(document: Document, layer: Layer, step: Step) -> list[Field]:
    kind = str(step.step)  # type: ignore[attr-defined]
    found = []
    for name, info in type(step).model_fields.items():
        if name not in LABELS or kind == "retouch":
            continue
        label, unit = LABELS[name]
        value = getattr(step, name)
        if name in ("layer", "behind"):
            others = tuple((other.id, other.label) for other in document.layers if other.id != layer.id)
            none = (("", "no layer"),) if name == "behind" else ()
            found.append(Field("other" if name == "layer" else name, label, "", value, "choice", (*none, *others)))
        elif isinstance(value, bool):
            found.append(Field(name, label, unit, value, "switch"))
        elif name == "colour":
            found.append(Field(name, label, unit, value, "colour"))
        elif (kind, name) in WORDS:
            found.append(Field(name, label, unit, value, "choice", tuple(WORDS[kind, name].items())))
        elif name == "quarters":
            turns = (("1", "to the right"), ("2", "half round"), ("3", "to the left"))
            found.append(Field(name, label, unit, str(value), "choice", turns))
        else:
            fine = isinstance(value, float) and _top(info) == 1
            found.append(Field(name, label, unit, value, "number", (), 0.05 if fine else 1.0))
    return found


def _top(info: Any) -> float | None:
    return next((bound.le for bound in info.metadata if getattr(bound, "le", None) is not None), None)


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
    """What a new step of a kind starts with on this layer, where its own defaults cannot know."""
    width, height = layer.art.width, layer.art.height
    whole = {"x": 0, "y": 0, "width": width, "height": height}
    others = [other.id for other in document.layers if other.id != layer.id]
    if kind in ("rectangle", "assisted"):
        return {"box": whole}
    if kind == "crop":
        return whole
    if kind in ("resize", "canvas"):
        return {"width": width, "height": height}
    if kind in ("difference", "match"):
        return {"layer": others[0] if others else ""}
    if kind == "key":
        return {"colour": "#00b140"}
    if kind == "outline":
        x, y, w, h = width * 0.15, height * 0.15, width * 0.7, height * 0.7
        return {"nodes": [{"x": x, "y": y}, {"x": x + w, "y": y}, {"x": x + w, "y": y + h}, {"x": x, "y": y + h}]}
    return {}
