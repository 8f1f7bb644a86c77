"""The room Look: the light bench, and what the scene and the chosen layer look through."""

from dataclasses import dataclass
from functools import cached_property

from clinamen.core.air import AIRS, kept_share
from clinamen.core.document import BLEND_MODES, EASING_NAMES, Layer
from clinamen.core.drawing import bench
from clinamen.core.edits.look import resting_rate
from clinamen.core.motion.states import State
from clinamen.core.optics import depth_of, hyperfocal
from clinamen.core.quantities import shown
from clinamen.core.stage import stage_at
from clinamen.core.stage.formula import lens_of
from clinamen.scenes.rooms.desk import Desk, room

SHARP = 1.0  # px of standard deviation: what still passes for sharp in "depth of field"
CONFUSION = 0.03  # mm on a 36 mm sensor, scaled with it: common practice, no source


@dataclass(frozen=True)
class Field:
    """Depth of field: from a rate to a nearer one, in words; and the hyperfocal distance."""

    far: str
    near: str
    far_metres: str
    near_metres: str
    hyperfocal: str


@room
class LookRoom(Desk):
    id = "look"
    name = "Look"
    readout = "scenes/rooms/look_readout.html"

    @cached_property
    def bench(self) -> bench.Bench:
        return bench.draw(self.document, *self.choice.drawing)

    @cached_property
    def soft(self) -> float:
        """Standard deviation in px by which the lens leaves the chosen layer soft at rest."""
        assert self.layer is not None
        return float(stage_at(self.document, State())[self.layer.id].disc[0]) / 4

    @property
    def texts(self) -> dict[str, str]:
        """The numbers of the sentences, as they stand in their fields."""
        made, lens = self.document, self.document.lens
        visibility = made.air.visibility
        return {
            "aperture": "" if lens.aperture is None else f"f/{lens.aperture:g}", "focus": shown(made.camera.focus, 3),
            "metre": f"{shown(lens.pixels_per_metre, 2)} px",
            "visibility": "clear" if visibility is None else f"{shown(visibility, 0)} px",
            **(self._of_layer(self.layer) if self.layer else {}),
        }  # fmt: skip

    def _of_layer(self, layer: Layer) -> dict[str, str]:
        return {
            "soft": f"{shown(self.soft, 2)} px", "keeps": f"{shown(100 * kept_share(self.document, layer), 1)} %",
            "opacity": f"{shown(100 * layer.opacity, 0)} %",
        }  # fmt: skip

    @property
    def depth_of_field(self) -> Field | None:
        """Where what is still sharp ends, in scene px from the picture plane and in metres from the lens."""
        made, lens = self.document, self.document.lens
        if lens.aperture is None:
            return None
        far, near = lens_of(made).in_focus(4 * SHARP / made.camera.zoom, made.camera.focus, lens.aperture)
        places = []
        for rate in (far, near):
            depth = depth_of(rate, made.lens_distance)
            places.append("∞" if depth == "infinite" else f"{shown(depth, 0)} px")
        metres = [
            "∞" if rate == 0 else f"{shown(made.lens_distance / rate / lens.pixels_per_metre, 2)} m"
            for rate in (far, near)
        ]
        past = hyperfocal(lens.focal_length, lens.aperture, CONFUSION * lens.sensor_width / 36) / 1000
        return Field(places[0], places[1], metres[0], metres[1], f"{shown(past, 2)} m")

    @property
    def sheets(self) -> list[tuple[str, str]]:
        """The layers by id and name, nearest first."""
        rates = {layer.id: resting_rate(self.document, layer) for layer in self.document.layers}
        return [(x.id, x.label) for x in sorted(self.document.layers, key=lambda x: -rates[x.id])]

    @property
    def focused_on(self) -> str:
        """The id of the sheet in focus; nothing where none is."""
        focus = self.document.camera.focus
        return next((x.id for x in self.document.layers if abs(resting_rate(self.document, x) - focus) < 1e-6), "")

    @property
    def focus_choices(self) -> list[tuple[str, str]]:
        return [*([] if self.focused_on else [("", "between the sheets")]), *self.sheets]

    @property
    def pulls(self) -> list[str]:
        """What is keyed of focus already, a sentence each."""
        return [
            f"Over the {track.driver}: {len(track.keys)} keys."
            for track in self.document.tracks
            if (track.target, track.channel) == ("camera", "focus") and track.keys
        ]

    @property
    def keyed_drivers(self) -> list[str]:
        return [name for name in ("scroll", "time") if self.document.drivers.is_on(name)]

    @property
    def eases(self) -> tuple[str, ...]:
        return EASING_NAMES

    @property
    def blends(self) -> tuple[str, ...]:
        return BLEND_MODES

    @property
    def airs(self) -> list[tuple[str, str]]:
        return [(name, kind.name) for name, kind in AIRS.items()]

    @property
    def takes(self) -> list[tuple[str, str, bool]]:
        """What the chosen layer takes on: the field, its words, whether it does."""
        assert self.layer is not None
        words = {"focus": "focus", "air": "air", "light": "light"}
        return [(name, word, getattr(self.layer.takes, name)) for name, word in words.items()]
