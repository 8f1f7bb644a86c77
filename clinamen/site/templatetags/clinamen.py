"""What templates write out: icons, numbers, sizes, times."""

from collections.abc import Mapping
from datetime import datetime, timedelta
from functools import cache
from json import dumps
from pathlib import Path

from django import template
from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe
from django.utils.timesince import timesince

from clinamen.core.checks import Finding
from clinamen.core.quantities import shown

register = template.Library()
ICONS = Path(__file__).parents[1] / "static" / "vendor" / "icons"


@cache
def _icon(name: str) -> str:
    return (ICONS / f"{name}.svg").read_text().replace("<svg ", '<svg aria-hidden="true" ', 1)


@register.simple_tag
def icon(name: str) -> SafeString:
    """An icon's own drawing, for beside a word or inside a named button."""
    return mark_safe(_icon(name))


@register.filter
def num(value: float | None, digits: int = 2) -> str:
    """A number for reading."""
    return "" if value is None else shown(float(value), digits)


@register.filter
def plain(value: float) -> str:
    """A number for an input field or an attribute."""
    return f"{float(value):.6f}".rstrip("0").rstrip(".")


@register.filter
def json(values: object) -> str:
    """Values as JSON for an attribute; the template escapes it."""
    return dumps(dict(values) if isinstance(values, Mapping) else values)


@register.filter
def group_vals(name: str) -> str:
    """A group's name as an edit's values."""
    return dumps({"group": name})


@register.filter
def shade(share: float) -> str:
    """How strongly a spot of the map is filled: the worst wholly, the least still to be seen."""
    return f"{0.25 + 0.75 * share:.2f}"


@register.filter
def moment_json(finding: Finding) -> str:
    """What a page needs to go to a finding's moment and mark its place."""
    return dumps(finding.mark)


@register.filter
def words(text: str) -> list[str]:
    """Words with spaces between, to go through."""
    return text.split()


@register.filter
def percent(value: float) -> str:
    return f"{100 * float(value):.0f}\u202f%"


@register.filter
def ago(moment: datetime) -> str:
    """How long ago something was: "just now", "3 minutes ago"."""
    if timezone.now() - moment < timedelta(minutes=1):
        return "just\xa0now"
    return f"{timesince(moment)} ago"


@register.filter
def size(value: int) -> str:
    """Bytes for reading."""
    if value >= 1_000_000_000:
        return f"{value / 1_000_000_000:.1f} GB"
    least = 1 if value else 0
    return f"{value / 1_000_000:.1f} MB" if value >= 1_000_000 else f"{max(least, round(value / 1000))} kB"


@register.filter
def minus(value: float, other: float) -> float:
    return float(value) - float(other)


@register.filter
def absolute(value: float) -> float:
    return abs(float(value))


@register.filter
def times(value: float, other: float) -> float:
    return float(value) * float(other)
