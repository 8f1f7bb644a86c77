"""`{% fragment %}`: an element that an answer may replace by itself.

    {% fragment "rung-"|add:layer.id svg %}<circle id="rung-…" …/>{% endfragment %}
    {% fragment "findings" late %}…{% endfragment %}        waits for the proof: a hasty answer leaves it as it stands

The element must have its name as its id. On a page that is rendered whole, a fragment is simply what it holds.
"""

from typing import Any

from django import template
from django.template.base import FilterExpression, NodeList, Parser, Token
from django.template.context import Context
from django.utils.safestring import SafeString, mark_safe

from clinamen.scenes.answering import Fragment

register = template.Library()


class FragmentNode(template.Node):
    def __init__(self, key: FilterExpression, flags: set[str], inside: NodeList) -> None:
        self.key, self.flags, self.inside = key, flags, inside

    def render(self, context: Context) -> SafeString:
        found, key = context.get("fragments"), str(self.key.resolve(context))
        late = "late" in self.flags
        desk: Any = context.get("desk")
        html = "" if late and found is not None and desk is not None and desk.hasty else self.inside.render(context)
        if found is None:
            return mark_safe(html)
        return mark_safe(found.put(key, Fragment(html, "svg" in self.flags, late)))


@register.tag
def fragment(parser: Parser, token: Token) -> FragmentNode:
    """A fragment of a region, by its name."""
    _, key, *flags = token.split_contents()
    inside = parser.parse(("endfragment",))
    parser.delete_first_token()
    return FragmentNode(parser.compile_filter(key), set(flags), inside)
