"""The room Export: every export with its options and what it cannot carry of this scene."""

from typing import Any

from clinamen.core.document import described
from clinamen.core.exports import EXPORTS
from clinamen.core.exports.base import fields_of
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
            {"export": export, "fields": fields_of(export.options), "leaves_out": export.leaves_out(self.document)}
            for export in EXPORTS.values()
        ]

    @property
    def others(self) -> list[tuple[str, str]]:
        """The visitor's other scenes, which may follow on the same page."""
        others = Scene.objects.filter(owner=self.scene.owner).exclude(pk=self.scene.pk)
        return [(str(pk), title) for pk, title in others.values_list("pk", "title")]
