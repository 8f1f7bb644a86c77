"""The room Proof: every finding with its worst moment and what closes it."""

from clinamen.core.checks import Finding
from clinamen.scenes.rooms.desk import room
from clinamen.scenes.rooms.layer_desk import LayerDesk


@room
class ProofRoom(LayerDesk):
    id = "proof"
    name = "Proof"
    shows_proof = True

    @property
    def shown_findings(self) -> list[tuple[int, Finding]]:
        return self.numbered
