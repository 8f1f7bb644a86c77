"""A field of a form from a field of a model: its words, its unit, its choices, and how far a nudge goes."""

from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from pydantic.fields import FieldInfo

from clinamen.core.parts import Grows, NamesLayer


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
    low: float | None = None
    high: float | None = None


def field_of(name: str, info: FieldInfo, value: Any, others: tuple[tuple[str, str], ...]) -> Field:
    """The field of a model's number, switch, choice or colour; `others`: layers that it may name, by id and name."""
    label, marks = info.title or name, info.metadata
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
    if any(isinstance(mark, NamesLayer) for mark in marks):
        none = () if info.is_required() else (("", "no layer"),)
        return Field("other" if name == "layer" else name, label, "", value, "choice", (*none, *others))
    if isinstance(value, bool):
        return Field(name, label, "", value, "switch")
    if get_origin(info.annotation) is Literal:
        words = extra.get("words")
        named = words if isinstance(words, dict) else {}
        choices = tuple((str(choice), str(named.get(str(choice), choice))) for choice in get_args(info.annotation))
        return Field(name, label, "", str(value), "choice", choices)
    if extra.get("long"):
        return Field(name, label, "", value, "text")
    if isinstance(value, str):
        return Field(name, label, "", value, "colour")
    unit = "px" if any(isinstance(mark, Grows) for mark in marks) else str(extra.get("unit", ""))
    fine = 0.05 if isinstance(value, float) and _bound(info, "le") == 1 else 1.0
    step, usual = extra.get("step", fine), extra.get("usual")
    high = usual if isinstance(usual, (int, float)) else _bound(info, "le")
    assert isinstance(step, (int, float))
    low = _bound(info, "ge")
    if isinstance(usual, (int, float)) and low is not None:
        low = max(low, -usual)
    return Field(name, label, unit, value, "number", (), step, low, high)


def _bound(info: FieldInfo, side: str) -> float | None:
    return next((getattr(mark, side) for mark in info.metadata if getattr(mark, side, None) is not None), None)
