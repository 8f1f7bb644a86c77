"""What the rooms that read one layer share: its reading, and the fields of its readout."""

from clinamen.core.cached import cached_property
from clinamen.core.document import BLEND_MODES, Channel, channels_of
from clinamen.core.optics import angle_of_view
from clinamen.core.quantities import shown
from clinamen.core.readout import Reading, read_layer
from clinamen.scenes.rooms.desk import Desk


class LayerDesk(Desk):
    @cached_property
    def reading(self) -> Reading | None:
        return read_layer(self.document, self.layer, self.sets[self.layer.id], self.needs) if self.layer else None

    @property
    def layer_channels(self) -> dict[str, Channel]:
        return channels_of("layer")

    @cached_property
    def texts(self) -> dict[str, str]:
        """The numbers of the sentences, as they stand in their fields."""
        layer, lens, view, reading = self.layer, self.document.lens, self.document.view, self.reading
        assert layer is not None and reading is not None
        depth = reading.depth or 0.0
        table = self.layer_channels
        framing = {
            name: shown(getattr(layer.framing, name), table[name].digits) + table[name].suffix
            for name in ("x", "y", "scale", "rotation")
        }
        return {
            "depth": shown(depth, table["depth"].digits), "front": shown(-depth, table["depth"].digits),
            "rate": shown(reading.rate, 3), "focal": f"{shown(lens.focal_length, 1)} mm",
            "sensor": f"{shown(lens.sensor_width, 1)} mm", "width": str(view.width), "height": str(view.height),
            "angle": f"{shown(angle_of_view(lens.focal_length, lens.sensor_width), 1)}°",
            "opacity": f"{shown(100 * layer.opacity, 0)} %", **framing,
        }  # fmt: skip

    @property
    def says(self) -> tuple[object, ...]:
        """All that the readout's sentences depend on, but for the findings and the other layers' rates among them."""
        layer, made, reading = self.layer, self.document, self.reading
        assert layer is not None and reading is not None
        whole = made.view.as_json, made.lens.as_json, len(made.layers), self.layer_number
        return self.id, self.scene.pk, layer.as_json, *whole, *self.texts.items(), reading.says, self.drawn_anew

    @property
    def repeats_across(self) -> list[tuple[str, str]]:
        return [("none", "not across"), ("tile", "across, tiled"), ("mirror", "across, mirrored")]

    @property
    def repeats_down(self) -> list[tuple[str, str]]:
        return [("none", "not down"), ("tile", "down, tiled"), ("mirror", "down, mirrored")]

    @property
    def blends(self) -> tuple[str, ...]:
        return BLEND_MODES

    @property
    def drawn_anew(self) -> bool:
        return self.layer is not None and self.shelf.vector(self.layer)
