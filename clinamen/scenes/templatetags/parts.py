"""`{% part %}`: an element that an answer may replace by itself; and the tags for fields, selects and buttons of the workspace.

    {% part "rung-"|add:layer.id svg %}<circle id="rung-…" …/>{% endpart %}
    {% part "findings" late %}…{% endpart %}        waits for the proof: a hasty answer leaves it as it stands

The element must have the part's name as its id. On a page that is rendered whole, a part is simply what it holds.
"""

from typing import Any

from django import template
from django.template.base import FilterExpression, NodeList, Parser, Token
from django.template.context import Context
from django.utils.safestring import SafeString, mark_safe

from clinamen.scenes.answering import Part

register = template.Library()


class PartNode(template.Node):
    def __init__(self, key: FilterExpression, flags: set[str], inside: NodeList) -> None:
        self.key, self.flags, self.inside = key, flags, inside

    def render(self, context: Context) -> SafeString:
        found, key = context.get("parts_found"), str(self.key.resolve(context))
        late = "late" in self.flags
        desk: Any = context.get("desk")
        html = "" if late and found is not None and desk is not None and desk.hasty else self.inside.render(context)
        if found is None:
            return mark_safe(html)
        return mark_safe(found.put(key, Part(html, "svg" in self.flags, late)))


@register.tag
def part(parser: Parser, token: Token) -> PartNode:
    """A part of a region, by its name."""
    _, key, *flags = token.split_contents()
    inside = parser.parse(("endpart",))
    parser.delete_first_token()
    return PartNode(parser.compile_filter(key), set(flags), inside)
