"""The room Prepare: a layer's recipe as cards, and what the light table shows of it."""

from typing import Any

from django.urls import reverse

from clinamen.core.cached import cached_property
from clinamen.core.recipes import recipe_of
from clinamen.scenes.rooms import lighttable
from clinamen.scenes.rooms.desk import Desk, room


@room
class PrepareRoom(Desk):
    id = "prepare"
    name = "Prepare"
    readout = "scenes/rooms/prepare_readout.html"

    @cached_property
    def recipe_cards(self) -> list[lighttable.Card]:
        return lighttable.cards(self.document, self.layer, self.needs, self.opaque) if self.layer else []

    @property
    def step_card(self) -> lighttable.Card | None:
        """The chosen step; the last one where none is."""
        found = [card for card in self.recipe_cards if card.index == self.choice.step]
        return found[0] if found else (self.recipe_cards[-1] if self.recipe_cards else None)

    @property
    def step_groups(self) -> list[tuple[str, list[tuple[str, str]]]]:
        return lighttable.offered()

    @property
    def table_key(self) -> str:
        return self.shelf.key_of(self.layer) if self.layer else ""

    @property
    def table(self) -> dict[str, Any]:
        """What the light table draws: pictures before and after the chosen step, sizes, and the step itself."""
        layer = self.layer
        if layer is None:
            return {}
        card, frames = self.step_card, list(recipe_of(layer).frames())
        index = card.index if card else 0
        before, after = frames[index], frames[index + 1] if card else frames[0]
        key = self.shelf.key_of(layer)

        last = card is not None and card.index == len(frames) - 2

        def shown(steps: int) -> str:
            address = reverse("scene-table", args=[self.scene.pk, layer.id, key, steps])
            return f"{address}?ready=1" if last and steps == index + 1 and self.shelf.is_ready(layer) else address

        band = reverse("scene-band", args=[self.scene.pk, layer.id, key, index]) if card and card.fills else ""
        return {
            "layer": layer.id,
            "index": index if card else None,
            "step": card.step.model_dump(mode="json") if card else None,
            "tool": card.tool if card else "",
            "size": [before.width, before.height],
            "after_size": [after.width, after.height],
            "before": shown(index),
            "after": shown(index + 1) if card and card.step.on else shown(index),
            "band": band,
            "keeps_frame": before == after,
        }
