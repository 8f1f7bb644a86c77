"""`{% fragment %}`: an element that an answer may replace by itself.

    {% fragment "rung-"|add:layer.id svg %}<circle id="rung-…" …/>{% endfragment %}
    {% fragment "findings" late %}…{% endfragment %}        waits for the proof: a hasty answer leaves it as it stands
    {% fragment "knots" rests %}…{% endfragment %}          is left as it stands while a hand drags
    {% fragment "rung-"|add:layer.id svg by rung near %}    says nothing but what these values say: while they stay, so does
                                                            its markup, and a drag draws only what moves
    {% kept row driver %}…{% endkept %}                     says nothing but what these values say, and is no fragment, though
                                                            it may hold some: drawn once for as long as they stay
    {% rows card in desk.cards by l.rail %}…{% endrows %}   the same for each of a list, by its `says` and these values; for
                                                            long lists, of which most stay

A fragment's element must have its name as its id. On a page that is rendered whole, a fragment is simply what it holds.
"""

from functools import partial
from typing import Any

from django import template
from django.template.base import FilterExpression, NodeList, Parser, Token
from django.template.context import Context
from django.utils.safestring import SafeString, mark_safe

from clinamen.core.bounded import Bounded
from clinamen.scenes.answering import Fragment, Fragments

register = template.Library()

KEPT = 20_000  # pieces of markup that are kept for the next answer

_drawn: Bounded[tuple[str, dict[str, Fragment]]] = Bounded(KEPT, lambda drawn: 1)


class FragmentNode(template.Node):
    def __init__(self, key: FilterExpression, flags: set[str], by: list[FilterExpression], inside: NodeList) -> None:
        self.key, self.flags, self.by, self.inside = key, flags, by, inside

    def render(self, context: Context) -> SafeString:
        found, key = context.get("fragments"), str(self.key.resolve(context))
        if found is None:
            return mark_safe(self.inside.render(context))
        desk: Any = context.get("desk")
        hasty, dragged = desk is not None and desk.hasty, desk is not None and desk.hasty and desk.previewing
        late = "late" in self.flags
        if (hasty and late) or (dragged and "rests" in self.flags):
            html = ""
        elif self.by:
            told = (self.origin.name, key, hasty, *(value.resolve(context) for value in self.by))
            html, within = _drawn.get(told, lambda: _draw(self.inside, context, found))
            found.found.update(within)
        else:
            html = self.inside.render(context)
        return mark_safe(found.put(key, Fragment(html, "svg" in self.flags, late, "rests" in self.flags)))


def _draw(inside: NodeList, context: Context, found: Fragments | None) -> tuple[str, dict[str, Fragment]]:
    """What nodes draw, and the fragments within."""
    before = set(found.found) if found else set()
    html = inside.render(context)
    return html, {key: fragment for key, fragment in found.found.items() if key not in before} if found else {}


def _how(found: Fragments | None, desk: Any) -> tuple[bool, ...]:
    """What all markup depends on beside what it says: whether its fragments are told apart,
    the proof left out, what a hand does only shown."""
    return found is None, desk is not None and desk.hasty, desk is not None and desk.previewing


def _place(parser: Parser, token: Token) -> tuple[str, int]:
    """Where a tag stands."""
    return parser.origin.name if parser.origin else "", token.lineno or 0


class KeptNode(template.Node):
    def __init__(self, place: tuple[str, int], by: list[FilterExpression], inside: NodeList) -> None:
        self.place, self.by, self.inside = place, by, inside

    def render(self, context: Context) -> SafeString:
        found, desk = context.get("fragments"), context.get("desk")
        told = (*self.place, *_how(found, desk), *(value.resolve(context) for value in self.by))
        html, within = _drawn.get(told, lambda: _draw(self.inside, context, found))
        if found is not None:
            found.found.update(within)
        return mark_safe(html)


class RowsNode(template.Node):
    def __init__(
        self, place: tuple[str, int], name: str, rows: FilterExpression, by: list[FilterExpression], inside: NodeList
    ) -> None:
        self.place, self.name, self.rows, self.by, self.inside = place, name, rows, by, inside

    def render(self, context: Context) -> SafeString:
        found, desk = context.get("fragments"), context.get("desk")
        shared = (*self.place, *_how(found, desk), *(value.resolve(context) for value in self.by))

        def draw(row: Any) -> tuple[str, dict[str, Fragment]]:
            with context.push(**{self.name: row}):
                return _draw(self.inside, context, found)

        drawn = [_drawn.get((shared, row["says"]), partial(draw, row)) for row in self.rows.resolve(context)]
        if found is not None:
            for _, within in drawn:
                found.found.update(within)
        return mark_safe("".join(html for html, _ in drawn))


def forget() -> None:
    """Draw everything anew from now on."""
    _drawn.clear()


@register.tag
def kept(parser: Parser, token: Token) -> KeptNode:
    """Markup that is kept by the values it says."""
    by = [parser.compile_filter(value) for value in token.split_contents()[1:]]
    inside = parser.parse(("endkept",))
    parser.delete_first_token()
    return KeptNode(_place(parser, token), by, inside)


@register.tag
def rows(parser: Parser, token: Token) -> RowsNode:
    """Each of a list, its markup kept by what it says."""
    _, name, _, each, *words = token.split_contents()
    by = [parser.compile_filter(value) for value in words[1:]]
    inside = parser.parse(("endrows",))
    parser.delete_first_token()
    return RowsNode(_place(parser, token), name, parser.compile_filter(each), by, inside)


@register.tag
def fragment(parser: Parser, token: Token) -> FragmentNode:
    """A fragment of a region, by its name."""
    _, key, *words = token.split_contents()
    at = words.index("by") if "by" in words else len(words)
    inside = parser.parse(("endfragment",))
    parser.delete_first_token()
    by = [parser.compile_filter(value) for value in words[at + 1 :]]
    return FragmentNode(parser.compile_filter(key), set(words[:at]), by, inside)
