"""Fields and buttons of the workspace, written once: numbers within sentences, selects, buttons that make an edit.

{% number "f-x" "x" "Framing x" text edit="framing" step=1 %}
{% select "f-blend" "blend" "Blend" choices chosen edit="layer" %}
{% do "spread" "evenly in rate" by="rate" %}
"""

import json
from collections.abc import Iterable
from typing import Any

from django import template
from django.template.context import Context
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from clinamen.core.quantities import plain, shown
from clinamen.site.templatetags.clinamen import icon as drawing_of

register = template.Library()
LEAST_SIZE = 2  # characters


def _data(data: dict[str, Any]) -> SafeString:
    """data- attributes of all values that are given."""
    given = [(name.replace("_", "-"), value) for name, value in data.items() if value not in ("", None)]
    return format_html_join("", ' data-{}="{}"', given)


@register.simple_tag
def number(field_id: str, name: str, label: str, text: str, step: float = 1, **data: Any) -> SafeString:
    """A number within a sentence, as wide as its text; arrow keys nudge it by `step`."""
    size = max(LEAST_SIZE, len(text))
    return format_html(
        '<input class="num" id="{}" name="{}" aria-label="{}" value="{}" size="{}"{} data-step="{}">',
        field_id, name, label, text, size, _data(data), plain(step),
    )  # fmt: skip


@register.simple_tag
def select(
    field_id: str, name: str, label: str, choices: Iterable[Any], chosen: object, disabled: bool = False, **data: Any
) -> SafeString:
    """A select within a sentence; choices are words, or pairs of value and word."""
    pairs = [choice if isinstance(choice, (tuple, list)) else (choice, choice) for choice in choices]
    options = format_html_join(
        "", '<option value="{}"{}>{}</option>',
        ((value, mark_safe(" selected") if str(value) == str(chosen) else "", word) for value, word in pairs),
    )  # fmt: skip
    off = mark_safe(" disabled") if disabled else ""
    return format_html(
        '<select class="inline" id="{}"{} aria-label="{}"{}{}>{}</select>',
        field_id, format_html(' name="{}"', name) if name else "", label, _data(data), off, options,
    )  # fmt: skip


@register.simple_tag(takes_context=True)
def do(
    context: Context, edit: str, text: str, icon: str = "", look: str = "plain-button", id: str = "",
    title: str = "", hidden: bool = False, disabled: bool = False, **values: Any,
) -> SafeString:  # fmt: skip
    """A button that makes an edit with these values; `hidden`: the text is for readers of the screen only."""
    shown = format_html('<span class="visually-hidden">{}</span>', text) if hidden else text
    named = format_html(' id="{}"', id) if id else ""
    told = format_html(' title="{}"', title or text) if title or hidden else ""
    off = mark_safe(" disabled") if disabled else ""
    inside = format_html("{} {}", drawing_of(icon), shown) if icon else shown
    return format_html(
        '<button type="button" class="{}"{}{}{} hx-post="{}" hx-vals="{}" hx-include="#choice" hx-swap="none">{}</button>',
        look, named, told, off, reverse("scene-edit", args=[context["scene"].pk, edit]),
        json.dumps({name: str(value) for name, value in values.items()}), inside,
    )  # fmt: skip


@register.simple_tag
def slider_field(field: Any, field_id: str, **data: Any) -> SafeString:
    """One field that is seen while it is set: a slider with its number, a colour, a switch, a choice; `data`: what it edits."""
    told = _data({**data, "field": field.name})
    if field.kind == "switch":
        on = mark_safe(" checked") if field.value else ""
        return format_html('<input type="checkbox" id="{}"{}{}>', field_id, told, on)
    if field.kind == "choice":
        return select(field_id, "", field.label, field.choices, field.value, **data, field=field.name)
    if field.kind == "text":
        rows = min(6, field.value.count("\n") + 1)
        written = '<textarea id="{}"{} rows="{}" maxlength="2000">{}</textarea>'
        return format_html(written, field_id, told, rows, field.value)
    if field.kind == "colour":
        return format_html(
            '<input type="color" id="{}"{} aria-label="{}" value="{}">', field_id, told, field.label, field.value
        )
    text = shown(float(field.value), 3)
    return format_html(
        '<span class="slider"><input type="range" id="{}-slider" tabindex="-1" aria-hidden="true"{} min="{}" max="{}" '
        'step="{}" value="{}"><input class="num" id="{}"{} aria-label="{}" data-step="{}" value="{}" size="6"> {}</span>',
        field_id, told, plain(field.low), plain(field.high), plain(field.step), plain(float(field.value)),
        field_id, told, field.label, plain(field.step), text, field.unit,
    )  # fmt: skip


@register.simple_tag
def step_field(field: Any, index: int) -> SafeString:
    """One field of a prep step's card, sent with the step's place in the recipe when it changes."""
    field_id = f"sf-{field.name}"
    data = _data({"step_field": field.name, "index": index})
    if field.kind == "switch":
        on = mark_safe(" checked") if field.value else ""
        return format_html('<input type="checkbox" id="{}"{}{}>', field_id, data, on)
    if field.kind == "choice":
        return select(field_id, "", field.label, field.choices, field.value, step_field=field.name, index=index)
    if field.kind == "colour":
        return format_html('<input type="color" id="{}"{} value="{}">', field_id, data, field.value)
    text = shown(float(field.value), 3)
    return format_html(
        '<span><input class="num" id="{}"{} data-step="{}" value="{}" size="{}"> {}</span>',
        field_id, data, plain(field.step), text, max(LEAST_SIZE, len(text)), field.unit,
    )  # fmt: skip
