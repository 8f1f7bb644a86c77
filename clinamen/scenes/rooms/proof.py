"""The room Proof: every finding with its worst moment and what closes it."""

from clinamen.core.checks import Finding
from clinamen.core.drawing import map
from clinamen.core.edits.scene import PURPOSES
from clinamen.scenes.rooms.desk import room
from clinamen.scenes.rooms.layer_desk import LayerDesk


@room
class ProofRoom(LayerDesk):
    id = "proof"
    name = "Proof"
    shows_proof = True

    @property
    def purposes(self) -> list[tuple[str, str]]:
        """What a scene may be made for, each as its word in documents and in sentences."""
        return list(PURPOSES.items())

    @property
    def map_axes(self) -> list[tuple[str, str]]:
        return map.axes_of(self.document)

    @property
    def map_axis(self) -> str:
        """The driver that the map is drawn over."""
        axes = [axis for axis, _ in self.map_axes]
        return self.choice.driver if self.choice.driver in axes else axes[0] if axes else ""

    @property
    def map(self) -> map.Map | None:
        return map.draw(self.subject, self.findings, self.map_axis, max(420.0, self.choice.drawing[0]))

    @property
    def shown_findings(self) -> list[tuple[int, Finding]]:
        return self.numbered
