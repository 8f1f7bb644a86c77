"""The room Export: every export with its options and what it cannot carry of this scene."""

from dataclasses import replace
from typing import Any

from clinamen.core.document import described, group_names
from clinamen.core.exports import EXPORTS, Export
from clinamen.core.exports.base import OptionField, fields_of
from clinamen.scenes.models import Scene
from clinamen.scenes.rooms.desk import room
from clinamen.scenes.rooms.layer_desk import LayerDesk


@room
class ExportRoom(LayerDesk):
    id = "export"
    name = "Export"

    @property
    def offered_description(self) -> str:
        """What screen readers are told while nothing was typed."""
        return described(self.document.model_copy(update={"description": ""}))

    @property
    def export_cards(self) -> list[dict[str, Any]]:
        """Every export with its options and what it cannot carry of this scene."""
        return [
            {"export": export, "fields": self._fields(export), "leaves_out": export.leaves_out(self.document)}
            for export in EXPORTS.values()
        ]

    def _fields(self, export: Export) -> list[OptionField]:
        usual = export.usual(self.document)
        return [replace(field, value=usual.get(field.name, field.value)) for field in fields_of(export.options)]

    @property
    def offered(self) -> dict[str, list[tuple[str, str]]]:
        """What is offered where an option names something of the scene: what is typed, and what it is called."""
        layers = [(layer.id, layer.label) for layer in reversed(self.document.layers)]
        groups = dict.fromkeys(name for layer in self.document.layers for name in group_names(layer.group))
        return {
            "hands": [(hand.id, hand.name) for hand in self.hands if not hand.wrong],
            "layers": [*layers, *((name, f"group {name}") for name in groups)],
        }

    @property
    def others(self) -> list[tuple[str, str]]:
        """The visitor's other scenes, which may follow on the same page."""
        others = (
            Scene.objects.filter(owner=self.scene.owner).exclude(pk=self.scene.pk)
            if self.scene.own
            else Scene.objects.none()
        )
        return [(str(pk), title) for pk, title in others.values_list("pk", "title")]
