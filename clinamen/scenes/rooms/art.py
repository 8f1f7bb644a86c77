"""The room Art: the layers as a list, in drawing order, with their weight and where they came from."""

from collections import Counter
from typing import Any

from clinamen.core.document import group_names, group_of, is_seen
from clinamen.core.document.carrying import WITHIN
from clinamen.core.edits.groups import inside, outermost_in, shift_of
from clinamen.core.exchange.stack import too_small
from clinamen.core.quantities import plain
from clinamen.core.recipes import recipe_of
from clinamen.scenes.models import Source
from clinamen.scenes.rooms.desk import room
from clinamen.scenes.rooms.layer_desk import LayerDesk


@room
class ArtRoom(LayerDesk):
    id = "art"
    name = "Art"

    @property
    def rows(self) -> list[dict[str, Any]]:
        """Layers as the room Art lists them, last drawn first, a heading before each group; what is folded away is left out."""
        uses = Counter(layer.art.file for layer in self.document.layers)
        rows: list[dict[str, Any]] = []
        before = ""
        for number, layer in reversed(list(enumerate(self.document.layers, 1))):
            headings = self._headings(layer.group, before)
            before = layer.group
            if outermost_in(layer.group, self.choice.folded):
                rows += [{"headings": headings}] if headings else []
                continue
            rows.append({
                "seen": is_seen(self.document, layer), "number": number, "layer": layer, "picture": self.picture_of(layer),
                "art": self.card_address(layer), "headings": headings,
                "steps": len(recipe_of(layer).steps), "soft": too_small(layer),
                "uses": uses[layer.art.file] if layer.art.file else 1,
                "coverage": self.sets[layer.id].area,
            })  # fmt: skip
        return rows

    def _headings(self, group: str, before: str) -> list[dict[str, Any]]:
        """Headings of the groups that begin here, the outermost first, down to one that is folded away."""
        found, over = [], group_names(before)
        for deep, name in enumerate(reversed(group_names(group))):
            folded = name in self.choice.folded
            if name not in over:
                found.append({
                    "deep": range(deep), "said": group_of(self.document, name), "own": name.split(WITHIN)[-1], "folded": folded,
                    "shift": plain(shift_of(self.document, name)), "layers": len(inside(self.document, name)),
                })  # fmt: skip
            if folded:
                break
        return found

    @property
    def groups(self) -> list[str]:
        return sorted({layer.group for layer in self.document.layers if layer.group})

    @property
    def sources(self) -> list[Source]:
        """Files that layers of this scene were taken out of."""
        return list(self.scene.sources.all())
