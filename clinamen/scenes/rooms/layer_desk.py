"""What the rooms that read one layer share: its reading, and the fields of its readout."""

from functools import cached_property

from clinamen.core.document import BLEND_MODES
from clinamen.core.optics import angle_of_view
from clinamen.core.readout import Reading, read_layer
from clinamen.scenes.rooms.desk import Desk


class LayerDesk(Desk):
    @cached_property
    def reading(self) -> Reading | None:
        return read_layer(self.document, self.layer, self.sets[self.layer.id], self.needs) if self.layer else None

    @property
    def angle(self) -> float:
        return angle_of_view(self.document.lens.focal_length, self.document.lens.sensor_width)

    @property
    def blends(self) -> tuple[str, ...]:
        return BLEND_MODES

    @property
    def drawn_anew(self) -> bool:
        return self.layer is not None and self.shelf.vector(self.layer)
