"""The room Art: the layers as a list, in drawing order, with their weight and where they came from."""

from collections import Counter
from typing import Any

from clinamen.core.exchange.stack import too_small
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
        """Layers as the room Art lists them, last drawn first, a heading before each group."""
        uses = Counter(layer.art.file for layer in self.document.layers)
        rows, group = [], ""
        for number, layer in reversed(list(enumerate(self.document.layers, 1))):
            rows.append({
                "number": number, "layer": layer, "picture": self.picture_of(layer),
                "art": self.card_address(layer), "heading": layer.group if layer.group != group else "",
                "steps": len(recipe_of(layer).steps), "soft": too_small(layer),
                "uses": uses[layer.art.file] if layer.art.file else 1,
                "coverage": self.sets[layer.id].area,
            })  # fmt: skip
            group = layer.group
        return rows

    @property
    def groups(self) -> list[str]:
        return sorted({layer.group for layer in self.document.layers if layer.group})

    @property
    def sources(self) -> list[Source]:
        """Files that layers of this scene were taken out of."""
        return list(self.scene.sources.all())
