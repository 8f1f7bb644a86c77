"""The room Look: the light bench, and what the scene and the chosen layer look through."""

from dataclasses import dataclass, replace
from typing import Any, get_args

import numpy as np

from clinamen.art.store import fitted
from clinamen.core.air import AIRS, kept_share
from clinamen.core.cached import cached_property
from clinamen.core.document import BLEND_MODES, EASING_NAMES, Layer, Scene, frost_of, group_names, parse
from clinamen.core.drawing import bench, plan, tones
from clinamen.core.edits.depth import resting_rate
from clinamen.core.errors import BadArt, ClinamenError
from clinamen.core.film.guides import safe_areas
from clinamen.core.finish import finish_of
from clinamen.core.look.steps import LOOKS, Fade, LookStep, Together
from clinamen.core.look.steps.base import Group
from clinamen.core.look.steps.curve import ToneCurve
from clinamen.core.made.kinds import KINDS, Shadow, Words
from clinamen.core.made.kinds.base import Group as MadeGroup
from clinamen.core.made.lettering import set_words
from clinamen.core.motion.states import State
from clinamen.core.optics import depth_of, hyperfocal, rate_of
from clinamen.core.pictures.unseen import why_unseen
from clinamen.core.quantities import plain, shown
from clinamen.core.raster.laid import cell_of
from clinamen.core.stage import stage_at
from clinamen.core.stage.formula import lens_of
from clinamen.scenes.rooms.desk import Desk, room
from clinamen.scenes.rooms.fields import Field, field_of

GROUPS: tuple[Group, ...] = get_args(Group)
MADE_GROUPS: tuple[MadeGroup, ...] = ("Words", "Plain", "Weather", "Film")
TONED = 240  # px: longest side of the art that tones are counted in
SAME = 5e-4  # of rate: what stands so near to the plane in focus stands in it
PERSON = 1.7  # m
HARDLY = 1.0  # px: an opened lens that makes nothing softer is not seen to be open


@dataclass(frozen=True)
class InFocus:
    """Depth of field: from a rate to a nearer one, in words; and the hyperfocal distance."""

    far: str
    near: str
    far_metres: str
    near_metres: str
    hyperfocal: str


@dataclass(frozen=True)
class WornStep:
    """A look step as its card shows it."""

    index: int
    step: LookStep
    fields: tuple[Field, ...]
    points: str  # of a curve: its tones by per cent of the box, "x,y" with spaces between

    @property
    def number(self) -> str:
        return str(self.index)


@dataclass(frozen=True)
class Section:
    """One look: the chosen layer's, or that of a group it is in (`group` its name)."""

    key: str
    label: str
    group: str
    cards: tuple[WornStep, ...]


def _section(key: str, label: str, group: str, look: tuple[LookStep, ...]) -> Section:
    cards = []
    for index, step in enumerate(look):
        named = [(name, info) for name, info in type(step).model_fields.items() if info.title]
        fields = tuple(field_of(name, info, getattr(step, name), ()) for name, info in named)
        points = " ".join(f"{p.x:g},{p.y:g}" for p in step.points) if isinstance(step, ToneCurve) else ""
        cards.append(WornStep(index, step, fields, points))
    return Section(key, label, group, tuple(cards))


@room
class LookRoom(Desk):
    id = "look"
    name = "Look"
    readout = "scenes/rooms/look_readout.html"

    @cached_property
    def saved(self) -> Scene:
        """What is kept: sliders and colours are drawn from it, so that what is dragged is not taken from the hand."""
        return parse(self.revision.document) if self.previewing else self.document

    @cached_property
    def sections(self) -> list[Section]:
        """The looks that the chosen layer wears: its own, then its groups', the innermost first."""
        layer = next((x for x in self.saved.layers if x.id == self.choice.layer), None)
        if layer is None:
            return []
        looks = {group.name: group.look for group in self.saved.groups}
        groups = [
            _section(f"g{number}", f"Group {name}", name, looks.get(name, ()))
            for number, name in enumerate(group_names(layer.group))
        ]
        return [_section("own", "Look of this layer", "", layer.look), *groups]

    @property
    def frame(self) -> list[Field]:
        """The fields of the view's frame, its aspect apart."""
        frame, view = self.saved.frame, self.saved.view
        shapes = (("box", "a box"), ("ellipse", "an ellipse"))
        return [
            Field("shape", "open as", "", frame.shape, "choice", shapes),
            Field("corners", "corners", "px", frame.corners, "number", (), 1, 0, min(view.width, view.height) / 2),
            Field("colour", "outside", "", frame.colour, "colour"),
        ]

    @property
    def makes(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """The kinds of made art by group, each as its word and its name; a shadow needs who throws it."""
        offered = [(word, kind) for word, kind in KINDS.items() if kind is not Shadow]
        return [(group, [(word, kind.title) for word, kind in offered if kind.group == group]) for group in MADE_GROUPS]

    @property
    def made(self) -> dict[str, Any] | None:
        """The chosen layer's made art: its name and fields; what letters its family lacks; how it falls. None for other art."""
        layer = next((x for x in self.saved.layers if x.id == self.choice.layer), None)
        if layer is None or layer.art.made is None:
            return None
        made = layer.art.made
        named = [(name, info) for name, info in type(made).model_fields.items() if info.title]
        lacks, wrong, fonts = "", "", list[tuple[str, str]]()
        if isinstance(made, Words):
            fonts = [(str(font.pk), font.name) for font in self.scene.fonts.all()]
            try:
                lacks = set_words(made).lacks
            except BadArt as error:
                wrong = str(error)
        order = [x.id for x in self.saved.layers]
        front = (
            [(x.id, x.label) for x in self.saved.layers[order.index(layer.id) + 1 :]] if isinstance(made, Words) else []
        )
        fields = [field_of(name, info, getattr(made, name), ()) for name, info in named]
        if isinstance(made, Words) and made.font is not None:  # a family that is chosen takes its place
            own = ("", f"{made.font.name}, brought in")
            fields = [
                replace(field, value="", choices=(own, *field.choices)) if field.name == "family" else field
                for field in fields
            ]
        unseen = self._why_unseen(layer) if isinstance(made, Shadow) else ""
        return {"title": made.title, "lacks": lacks, "wrong": wrong, "unseen": unseen, "fields": fields,
                "subjects": front, "fonts": fonts,
                "words": isinstance(made, Words), "font": made.font if isinstance(made, Words) else None}  # fmt: skip

    def _why_unseen(self, layer: Layer) -> str:
        """Why a shadow covers no pixel of the view; empty where it does."""
        try:
            return why_unseen(self.saved, layer, self.shelf.alpha(layer), self.sets)
        except ClinamenError:  # said where the art is looked at
            return ""

    @property
    def frost_waits(self) -> bool:
        """True where the chosen layer is to frost but cannot."""
        layer = self.layer
        return layer is not None and layer.backdrop is not None and frost_of(self.document, layer) is None

    @property
    def throws(self) -> bool:
        """True for a layer that can throw a shadow on the ground."""
        made = self.layer.art.made if self.layer else None
        return self.layer is not None and self.layer.depth != "infinite" and not isinstance(made, Shadow)

    @property
    def thrown_unseen(self) -> list[tuple[str, str]]:
        """Shadows that the chosen layer throws and of which nothing is seen: each one's name, and why."""
        if not self.throws or self.layer is None:
            return []
        thrown = [x for x in self.saved.layers if isinstance(x.art.made, Shadow) and x.art.made.of == self.layer.id]
        return [(each.label, why) for each in thrown if (why := self._why_unseen(each))]

    @property
    def offered(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """The look steps by group, each as its word and its name; what goes by other layers has a form of its own."""
        named = [(kind, step) for kind, step in LOOKS.items() if step is not Together]
        return [(group, [(kind, step.title) for kind, step in named if step.group == group]) for group in GROUPS]

    @property
    def light(self) -> list[Field]:
        """The sliders of light: of the scene's, and of its key light where it has one."""
        light, view, key = self.saved.light, self.saved.view, self.saved.light.key
        fields = [Field("ambient", "ambient", "", light.ambient, "number", (), 0.01, 0, 2)]
        fields += [Field("colour", "of colour", "", light.colour, "colour")]
        if key is None:
            return fields
        wide, high, far = view.width, view.height, self.saved.lens_distance
        return [
            *fields,
            Field("level", "key level", "", key.level, "number", (), 0.01, 0, 4),
            Field("key_colour", "of colour", "", key.colour, "colour"),
            Field("reach", "reach", "px", key.reach, "number", (), 10, 1, 2.0 * wide),
            Field("x", "x", "px", key.x, "number", (), 1, -wide, wide),
            Field("y", "y", "px", key.y, "number", (), 1, -high, high),
            Field("depth", "depth", "px", key.depth, "number", (), 10, round(-0.9 * far), round(2 * far)),
        ]  # fmt: skip

    @property
    def handles(self) -> list[dict[str, Any]]:
        """What can be dragged in the view, in view pixels at rest: the key light, and the ends of the chosen layer's fades."""
        view, key = self.document.view, self.document.light.key
        found: list[dict[str, Any]] = []
        if key is not None:
            at = [key.x + view.width / 2, key.y + view.height / 2]
            found.append({"kind": "light", "at": at, "colour": key.colour, "says": "Key light"})
        fades = [(i, step) for i, step in enumerate(self.layer.look) if isinstance(step, Fade)] if self.layer else []
        if fades and self.layer:
            matrix, scale = stage_at(self.document, State())[self.layer.id].matrix[0], self.layer.framing.scale
            for index, fade in fades:
                for end, x, y in (("whole", fade.x, fade.y), ("gone", fade.to_x, fade.to_y)):
                    seen = matrix @ [x / scale, y / scale, 1.0]
                    at = [float(seen[0] / seen[2]), float(seen[1] / seen[2])]
                    found.append({"kind": "fade", "index": index, "end": end, "at": at, "says": f"Fade: {end} here"})
        return found

    @property
    def stage(self) -> dict[str, Any]:
        return {**super().stage, "handles": self.handles, "safe": self.safe}

    @property
    def safe(self) -> list[list[float]]:
        """The safe areas of what is open (left, top, width, height in view pixels): action, then title."""
        view = self.document.view
        return [list(area) for area in safe_areas(self.document.frame, view.width, view.height)]

    @cached_property
    def bench(self) -> bench.Bench:
        return bench.draw(self.document, *self.choice.drawing, self.now, self.choice.layer)

    @cached_property
    def now(self) -> State:
        """The moment at which the lens is looked at, of the drivers that are on; the pointer at rest."""
        drivers, (scroll, time) = self.document.drivers, self.choice.now
        return State(
            scroll if drivers.is_on("scroll") else 0.0,
            time=min(time, drivers.end("time")) if drivers.is_on("time") else 0.0,
        )

    @property
    def moment(self) -> str:
        """That moment in words; empty at rest."""
        if self.now == State():
            return ""
        scroll, time = f"scroll {shown(100 * self.now.scroll, 0)} %", f"{shown(self.now.time, 2)} s"
        return " · ".join(word for word, value in ((scroll, self.now.scroll), (time, self.now.time)) if value)

    @property
    def drawn(self) -> str:
        """Which drawing is open: the light bench, the plan, or the chosen layer's tones."""
        wanted = self.choice.drawn
        return wanted if wanted == "plan" or (wanted == "tones" and self.layer) else "bench"

    @property
    def drawing_note(self) -> str:
        if self.drawn == "tones":
            return "histograms counted by alpha, and the main colours with what becomes of each"
        if self.drawn == "plan":
            return (
                "from above; drag the key light"
                if self.document.light.key
                else "from above; switch the key light on to place it"
            )
        if self.document.lens.aperture is None:
            return "through a pinhole everything is sharp; open the lens to see its V"
        air = ", the dashed curve for the air" if self.document.air.visibility else ""
        return f"softness in px over the sheets' rates: drag the tip to focus, a side for the aperture{air}"

    @cached_property
    def tones(self) -> tones.Tones:
        assert self.layer is not None
        layer, finish = self.layer, finish_of(self.document, self.layer)
        small, _ = self.shelf.preview(layer, TONED)
        small = small if layer.frames is None else cell_of(small, layer, 0)
        art = fitted(small, TONED)
        margin = round((finish.margin if finish else 0) * art.shape[1] / layer.art.width)
        done = finish.work(art)[margin : margin + art.shape[0], margin : margin + art.shape[1]] if finish else art
        return tones.draw(art, done, *self.choice.drawing)

    @cached_property
    def plan(self) -> plan.Plan:
        return plan.draw(self.document, self.sets, "x", *self.choice.drawing, needs=self.needs)

    @property
    def plan_scale(self) -> float:
        """View pixels across a pixel of the plan."""
        return self.plan.across

    @property
    def plan_light(self) -> tuple[float, float] | None:
        """Where the key light stands on the plan."""
        key, p = self.document.light.key, self.plan
        if key is None:
            return None
        rate = min(rate_of(key.depth, self.document.lens_distance), p.near)
        return round(p.left + (p.near - rate) / p.near * (p.right - p.left), 2), round(
            p.middle + key.x / self.plan_scale, 2
        )

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
            "aspect": "view" if made.frame.aspect is None else shown(made.frame.aspect, 3),
            "shutter": f"{shown(made.film.shutter, 0)}°", "samples": str(made.film.samples),
            "metre": f"{shown(lens.pixels_per_metre, 2)} px", "confusion": f"{shown(lens.confusion, 2)} px",
            "visibility": "clear" if visibility is None else f"{shown(visibility, 0)} px",
            **(self._of_layer(self.layer) if self.layer else {}),
        }  # fmt: skip

    def _of_layer(self, layer: Layer) -> dict[str, str]:
        return {
            "soft": f"{shown(self.soft, 2)} px", "keeps": f"{shown(100 * kept_share(self.document, layer), 1)} %",
            "opacity": f"{shown(100 * layer.opacity, 0)} %",
            "frost": f"{shown(layer.backdrop.blur if layer.backdrop else 0, 2)} px",
            "frost_saturation": shown(layer.backdrop.saturation if layer.backdrop else 1, 2),
        }  # fmt: skip

    @property
    def depth_of_field(self) -> InFocus | None:
        """Where what is still sharp ends now, in scene px from the picture plane and in metres from the lens."""
        made, lens = self.document, self.document.lens
        if lens.aperture is None:
            return None
        camera = stage_at(made, self.now, None, ()).camera
        focus, aperture, zoom = (float(camera.channels[name][0]) for name in ("focus", "aperture", "zoom"))
        along = float(np.broadcast_to(camera.eye[2], 1)[0]) / made.lens_distance
        far, near = lens_of(made).in_focus(lens.confusion, max(0.0, focus), aperture, zoom, along)
        places = []
        for rate in (far, near):
            depth = depth_of(rate, made.lens_distance)
            places.append("∞" if depth == "infinite" else f"{shown(depth, 0)} px")
        metres = [
            "∞" if rate == 0 else f"{shown(made.lens_distance / rate / lens.pixels_per_metre, 2)} m"
            for rate in (far, near)
        ]
        past = hyperfocal(lens.focal_length, aperture, self.confusion_on_sensor) / 1000
        return InFocus(places[0], places[1], metres[0], metres[1], f"{shown(past, 2)} m")

    @property
    def confusion_on_sensor(self) -> float:
        """The disc that still passes for a point, in mm on the sensor."""
        return self.document.lens.confusion * self.document.lens.sensor_width / self.document.view.width

    @property
    def person(self) -> str:
        """Pixels in a metre if a person is half as high as the view; empty where something is soft already."""
        made = self.document
        if made.lens.aperture is None or not made.layers:
            return ""
        softest = max(float(sheet.disc[0]) / 4 for sheet in stage_at(made, State()).sheets)
        metre = made.view.height / 2 / PERSON
        return plain(round(metre, 1)) if softest < HARDLY and metre > 1.05 * made.lens.pixels_per_metre else ""

    @property
    def sheets(self) -> list[tuple[str, str]]:
        """The layers by id and name, nearest first."""
        rates = {layer.id: resting_rate(self.document, layer) for layer in self.document.layers}
        return [(x.id, x.label) for x in sorted(self.document.layers, key=lambda x: -rates[x.id])]

    @property
    def references(self) -> list[tuple[str, str]]:
        return [("", "the mean of all"), *self.sheets]

    @property
    def focused_on(self) -> str:
        """The id of the sheet in focus; nothing where none is."""
        focus = self.document.camera.focus
        return next((x.id for x in self.document.layers if abs(resting_rate(self.document, x) - focus) < SAME), "")

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
