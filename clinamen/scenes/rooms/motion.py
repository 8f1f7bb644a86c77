"""The room Motion: drivers, the camera's travel, and the fan."""

import json
from dataclasses import dataclass
from typing import Any

from clinamen.core.cached import cached_property
from clinamen.core.document import (
    CARRIER_CHANNELS,
    EASING_NAMES,
    LENS_CHANNELS,
    Bearer,
    Channel,
    bearers_of,
    channels_of,
    parse,
)
from clinamen.core.document import Scene as Document
from clinamen.core.drawing import fan, path, thread_curve
from clinamen.core.drawing import threads as thread_lines
from clinamen.core.edits import drift_of, knots, loop, pose, retime, track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion import cells
from clinamen.core.motion.implied import Implied, implied_rates, off_level
from clinamen.core.motion.moves import MOVES
from clinamen.core.pictures.showing import whole_box
from clinamen.core.quantities import plain, shown
from clinamen.scenes.rooms.desk import Choice, Desk, room


@dataclass(frozen=True)
class Travel:
    """One channel of the camera or a layer over a driver: its row of the table of channels, and its values at both ends."""

    channel: Channel
    start: float
    end: float
    ease: str
    moved: bool
    inner: int
    target: str

    @property
    def where(self) -> str:
        """Tells the row's fields from those of others."""
        return self.channel.name if self.target == "camera" else f"{self.target}-{self.channel.name}"

    @property
    def ends(self) -> list[tuple[str, str, str]]:
        """Name, label and text of the fields for both ends."""
        row = self.channel
        both = (("start", "from", self.start), ("end", "to", self.end))
        return [(name, f"{row.move} {word}", shown(value, row.digits) + row.suffix) for name, word, value in both]

    @property
    def eases(self) -> list[tuple[str, str]]:
        """The easings to choose from; a curve of its own is named but cannot be chosen."""
        own = [("", "own curve")] if self.ease == "" else []
        return [*own, *((ease, ease) for ease in EASING_NAMES)]


def seen_channels(scene: Document, target: str) -> list[Channel]:
    """The channels that a change of is seen: those of a lens are not, through a pinhole."""
    shut = LENS_CHANNELS if scene.lens.aperture is None else ()
    return [row for row in channels_of(target).values() if row.name not in shut]


def _only(made: Document, layer_id: str) -> Document:
    """The scene with one layer in sight."""
    layers = tuple(x if x.id == layer_id else x.model_copy(update={"visible": False}) for x in made.layers)
    return made.model_copy(update={"layers": layers})


LAYER_DRIFTS, CAMERA_DRIFTS = ("x", "y", "scale", "rotation", "opacity"), ("x", "y", "z", "pitch", "yaw", "roll")


@dataclass(frozen=True)
class Drifting:
    """A row of the drifts: what its fields hold, and whether it moves."""

    channel: Channel
    reach: str
    pace: str
    seed: str
    moves: bool


@room
class MotionRoom(Desk):
    id = "motion"
    name = "Motion"
    readout = "scenes/rooms/motion_readout.html"

    @cached_property
    def fan(self) -> fan.Fan:
        return fan.draw(self.document, self.choice.driver, "", self.choice.speed, *self.choice.drawing)

    @cached_property
    def driver(self) -> str:
        """The driver that threads are drawn over."""
        return self.threads.driver

    @cached_property
    def threads(self) -> thread_lines.Threads:
        return thread_lines.draw(self.kept, self.choice.driver, self.choice.drawing[0])

    def loosen(self, choice: Choice) -> None:
        """Show a loose pose; what is proved is what is kept, so the verdict stands as it stood."""
        self.loose = pose.loose_of(self.kept, choice.loose)
        if self.loose:
            self.document = pose.loosened(self.kept, self.loose, thread_lines.driver_of(self.kept, choice.driver))
            self.hasty = True

    @property
    def viewed(self) -> Document:
        """With a layer beside it, the chosen layer alone."""
        other = self.choice.beside
        alone = other not in ("", "before") and self.layer and other != self.layer.id
        return _only(self.document, self.layer.id) if alone and self.layer else self.document

    @property
    def beside(self) -> dict[str, str] | None:
        """The scene as it was before the last edit, or another layer alone."""
        made: Document | None = None
        parent = self.revision.parent if self.choice.beside == "before" else None
        if parent is not None:
            made, says, now = parse(parent.document), f"before: {self.revision.says}", "now"
        elif self.layer and self.choice.beside in {x.id for x in self.document.layers} - {self.layer.id}:
            made = _only(self.document, self.choice.beside)
            says, now = self.document.layer(self.choice.beside).label, self.layer.label
        if made is None:
            return None
        return self._beside(made, says, now)

    @property
    def finenesses(self) -> list[tuple[str, str]]:
        return [("full", "full"), ("half", "half"), ("draft", "a quarter, as a draft")]

    @property
    def besides(self) -> list[tuple[str, str]]:
        """What can stand beside the view."""
        others = [(x.id, f"{x.label} alone") for x in self.kept.layers if x.id != self.choice.layer]
        before = [("before", "the scene before the last edit")] if self.revision.parent_id else []
        return [("", "nothing"), *before, *others]

    @property
    def pin(self) -> str:
        """Where the chosen layer's anchor stands on its art, in shares across and down."""
        layer = self.layer
        assert layer is not None
        art, anchor = layer.art, layer.anchor
        return json.dumps([0.5 + anchor.x / art.width, 0.5 + anchor.y / art.height])

    @property
    def pose_box(self) -> str:
        """The box of the chosen layer's art that its grips stand at: left, top, right, bottom in shares of the art."""
        layer = self.layer
        assert layer is not None
        found = self.showing(layer)
        left, top, right, bottom = found.box if found else whole_box(layer)
        width, height = layer.art.width, layer.art.height
        return json.dumps([0.5 + left / width, 0.5 + top / height, 0.5 + right / width, 0.5 + bottom / height])

    @property
    def loose_says(self) -> list[str]:
        return pose.said(self.kept, self.loose)

    locks = (("", "freely"), ("x", "across only, level"), ("y", "up and down only"))

    @cached_property
    def implied(self) -> list[Implied]:
        """What rate the chosen layer's own way stands for."""
        return implied_rates(self.kept, self.layer, self.driver) if self.layer else []

    @cached_property
    def off_level(self) -> tuple[str, float] | None:
        return off_level(self.kept, self.layer, self.driver) if self.layer else None

    @property
    def off_level_word(self) -> str:
        axis, way = self.off_level or ("x", 0.0)
        return {"x": ("left", "right"), "y": ("up", "down")}[axis][way > 0]

    drawings = (("threads", "Threads"), ("curve", "Curve"), ("way", "Way"), ("fan", "Fan"))

    @property
    def driver_drawn(self) -> str:
        return self.fan.driver if self.drawn == "fan" else self.driver

    @property
    def drawn(self) -> str:
        """What is drawn: threads, one of them as a curve, or the fan, which alone has a pointer."""
        if self.choice.driver == "pointer":
            return "fan"
        return "threads" if self.choice.drawn == "curve" and self.opened is None else self.choice.drawn

    @cached_property
    def opened(self) -> thread_curve.ThreadCurve | None:
        """The thread that is open, as a curve."""
        row = self.open_row
        if row is None:
            return None
        name = tuple(row.name.split()) + (("drift",) if row.drifts else ())
        track = next(track for track in self.kept.tracks if track.name == name)
        return thread_curve.draw(self.kept, track, row.who, *self.choice.drawing)

    @cached_property
    def way(self) -> path.PathDrawing:
        """The camera's way, from above or from the side."""
        return path.draw(self.kept, self.driver, self.choice.axis, *self.choice.drawing)

    @property
    def open_row(self) -> thread_lines.ThreadRow | None:
        rows = self.threads.rows
        return next((row for row in rows if row.dom == self.choice.thread), rows[0] if rows else None)

    @property
    def threads_say(self) -> str:
        return thread_lines.describe(self.threads)

    @cached_property
    def chosen(self) -> dict[str, Any]:
        """The chosen knots as their fields read them: how many, on how many threads, and what all of them share."""
        try:
            chosen = knots.chosen_knots(self.kept, self.choice.knots)
        except BadEdit:
            return {}
        keys = [(each.track, key) for each in chosen for key in each.keys]
        track, first = keys[0]
        row = channels_of(track.target)[track.channel]
        values, eases = {key.value for _, key in keys}, {key.ease for _, key in keys}
        named = first.ease if isinstance(first.ease, str) else ""
        own = " ".join(plain(n) for n in first.ease) if isinstance(first.ease, tuple) else ""
        return {
            "count": len(keys), "threads": len(chosen), "single": len(keys) == 1, "channel": row,
            "at": shown(first.at, 4), "place": thread_lines.place_text(self.kept.drivers, track.driver, first.at),
            "value": thread_lines.value_text(row, first.value) if len(values) == 1 and len(chosen) == 1 else "",
            "nudge": row.nudge * (100 if row.unit == "%" else 1),
            "ease": named if len(eases) == 1 else "", "own": own if len(eases) == 1 else "",
            "eases": [*([] if named and len(eases) == 1 else [("", "own curve" if len(eases) == 1 else "several")]),
                      *((e, e) for e in EASING_NAMES)],
        }  # fmt: skip

    @property
    def tied(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """What a first knot can be tied to: of the camera, the chosen layer and the carriers, each channel as a thread."""
        carriers = [(each.id, each.label, CARRIER_CHANNELS) for each in self.document.carriers]
        layer = [(self.layer.id, self.layer.label, tuple(channels_of(self.layer.id)))] if self.layer else []
        return [
            (who, [(f"{target} {c} {self.driver}", channels_of(target)[c].move) for c in channels])
            for target, who, channels in (
                ("camera", "Camera", tuple(c.name for c in seen_channels(self.document, "camera"))),
                *layer,
                *carriers,
            )
        ]

    def travels(self, driver: str, target: str = "camera") -> list[Travel]:
        rows = []
        for channel in seen_channels(self.document, target):
            track = track_of(self.document, target, driver, channel.name)
            start, end = (track.keys[0].value, track.keys[-1].value) if track else (channel.rest, channel.rest)
            ease = track.keys[0].ease if track else "ease-in-out"
            named = ease if isinstance(ease, str) else ""
            inner = max(0, len(track.keys) - 2) if track else 0
            rows.append(Travel(channel, start, end, named, track is not None, inner, target))
        return rows

    @property
    def scroll_travels(self) -> list[tuple[str, list[Travel]]]:
        return self._all_travels("scroll")

    @property
    def time_travels(self) -> list[tuple[str, list[Travel]]]:
        return self._all_travels("time")

    def _all_travels(self, driver: str) -> list[tuple[str, list[Travel]]]:
        """The camera's rows, and the chosen layer's, each with whose they are."""
        layer = self.layer
        chosen = [(layer.label, self.travels(driver, layer.id))] if layer else []
        return [("The camera", self.travels(driver)), *chosen]

    @property
    def drifts(self) -> list[tuple[str, str, list[Drifting]]]:
        """Of the chosen layer and of the camera: id, name, and what may drift."""
        chosen = [(self.layer.id, self.layer.label, LAYER_DRIFTS)] if self.layer else []
        carriers = [(each.id, each.label, CARRIER_CHANNELS) for each in self.kept.carriers]
        return [
            (target, name, [self._drifting(target, channels_of(target)[channel]) for channel in channels])
            for target, name, channels in (*chosen, *carriers, ("camera", "the camera", CAMERA_DRIFTS))
        ]

    def _drifting(self, target: str, channel: Channel) -> Drifting:
        drift = drift_of(self.document, target, channel.name)
        reach = shown(drift.reach, channel.digits) + channel.suffix
        return Drifting(channel, reach, f"{shown(drift.pace, 3)} Hz", str(drift.seed), drift.reach > 0)

    @property
    def moves(self) -> list[tuple[str, str]]:
        return [(word, move.name) for word, move in MOVES.items()]

    @property
    def movers(self) -> list[str]:
        """The drivers that are on and can carry keys."""
        return [name for name in ("scroll", "time") if self.document.drivers.is_on(name)]

    @property
    def retimed(self) -> list[tuple[str, str]]:
        """What can be made slower or quicker: everything, the camera, carriers, each layer that moves, groups of them."""
        moving = {track.target for track in self.document.tracks}
        layers = [(layer.id, layer.label) for layer in self.document.layers if layer.id in moving]
        carriers = [(carrier.id, carrier.label) for carrier in self.document.carriers if carrier.id in moving]
        names = dict.fromkeys(layer.group for layer in self.document.layers if layer.group and layer.id in moving)
        groups = [(f"{retime.GROUP}{name}", f"group {name}") for name in names]
        return [
            ("", "all that moves"),
            *([("camera", "the camera")] if "camera" in moving else []),
            *carriers,
            *layers,
            *groups,
        ]

    @property
    def settling(self) -> list[tuple[str, str]]:
        """Who can settle or be turned round: the camera, and the chosen layer."""
        return [("camera", "the camera"), *([(self.layer.id, self.layer.label)] if self.layer else [])]

    @property
    def takers(self) -> list[tuple[str, str]]:
        """Who can take over the chosen layer's motion, where it has one."""
        chosen = self.layer
        if chosen is None or all(track.target != chosen.id for track in self.document.tracks):
            return []
        others = [layer for layer in self.document.layers if layer.id != chosen.id]
        every = [(",".join(layer.id for layer in others), "all other layers")] if len(others) > 1 else []
        return [*((layer.id, layer.label) for layer in others), *every]

    @property
    def looping(self) -> list[tuple[str, str, str]]:
        """The layers that a loop can close: id, name, and after how many pixels each repeats."""
        return [(x.id, x.label, shown(loop.period_of(x), 0)) for x in loop.looping_layers(self.document)]

    @property
    def passing(self) -> str:
        return shown(loop.passing_speed(self.document), 1)

    @property
    def actor(self) -> dict[str, Any]:
        """How the chosen actor plays, as its fields hold it."""
        frames = self.layer.frames if self.layer else None
        assert frames is not None
        plays = [("cycle", "round and round"), ("once", "once"), ("to-and-fro", "to and fro")]
        return {
            "count": str(frames.count), "fps": shown(frames.fps, 3), "offset": f"{shown(frames.offset, 3)} s",
            "plays": plays, "period": shown(cells.period(frames), 3),
        }  # fmt: skip

    @property
    def grounds(self) -> list[tuple[str, str]]:
        """What an actor may walk on: the other layers at a finite depth."""
        return [(x.id, x.label) for x in self.kept.layers if x.id != self.choice.layer and x.depth != "infinite"]

    @property
    def carriers(self) -> list[tuple[str, str]]:
        """What the chosen layer can ride on."""
        return self._riding(self.layer.id if self.layer else "")

    def _riding(self, rider: str) -> list[tuple[str, str]]:
        """What a layer or carrier can ride on: nothing, carriers, layers; not itself, nor what rides on it."""
        made = self.kept
        bearers: list[Bearer] = [*made.carriers, *reversed(made.layers)]
        can = [x for x in bearers if x.id != rider and all(up.id != rider for up in bearers_of(made, x))]
        return [("", "nothing"), *((x.id, x.label) for x in can)]

    @property
    def carried_by(self) -> str:
        return (self.layer.carrier if self.layer else None) or ""

    @property
    def group_carried_by(self) -> str:
        group = self.layer.group if self.layer else ""
        return next((each.carrier or "" for each in self.kept.groups if each.name == group), "")

    @property
    def bearing(self) -> list[dict[str, Any]]:
        """The carriers, as their fields hold them, and what each carries."""
        rows, table = [], channels_of("carrier")
        for carrier in self.kept.carriers:
            rides = [x.label for x in self.kept.layers if any(up.id == carrier.id for up in bearers_of(self.kept, x))]
            fields: list[tuple[str, str, str, float]] = [
                ("at_x", "px across", shown(carrier.at.x, 1), 10),
                ("at_y", "px down", shown(carrier.at.y, 1), 10),
            ]
            fields += [
                (
                    c,
                    table[c].move,
                    thread_lines.value_text(table[c], getattr(carrier, c)).removesuffix(" px"),
                    table[c].nudge,
                )
                for c in CARRIER_CHANNELS
            ]
            rows.append({
                "id": carrier.id, "label": carrier.label, "fields": fields, "on": carrier.carrier or "",
                "riding": self._riding(carrier.id), "carries": ", ".join(rides) or "nothing yet",
            })  # fmt: skip
        return rows

    @property
    def anchor(self) -> dict[str, str]:
        """Where the chosen layer's anchor stands, as its fields hold it."""
        return {name: shown(getattr(self.layer.anchor, name), 1) for name in ("x", "y")} if self.layer else {}

    @property
    def rounds(self) -> list[tuple[str, str]]:
        """The layers that the camera can go round, and first the place that it goes round now."""
        return [("", "a place"), *((x.id, x.label) for x in self.document.layers if x.depth != "infinite")]

    @property
    def rounded(self) -> str:
        """The layer in whose middle the target stands, if there is one."""
        target = self.document.camera.target
        place = (target.x, target.y, target.depth)
        return next((x.id for x in self.document.layers if (x.framing.x, x.framing.y, x.depth) == place), "")

    @property
    def round_name(self) -> str:
        """What the camera goes round, by name."""
        return dict(self.rounds).get(self.rounded, "") if self.rounded else "its subject"

    ends = (("1", "begins again"), ("0", "stays at the end"))
    starts = (("load", "as soon as it is loaded"), ("seen", "when the scene is first seen"))
    axes = (("y", "down"), ("x", "across"))
    pinnings = (("1", "stays in the window"), ("0", "goes by with the page"))
    leavings = (("1", "goes back to the middle"), ("0", "stays where it was"))

    @property
    def texts(self) -> dict[str, str]:
        """The numbers of the drivers' sentences, as they stand in their fields."""
        drivers, target = self.document.drivers, self.document.camera.target
        found = {f"target_{name}": shown(getattr(target, name), 1) for name in ("x", "y", "depth")}
        if drivers.scroll:
            scroll = drivers.scroll
            found |= {name: shown(getattr(scroll, name), 0) for name in ("length", "begin", "end")}
            found["pinned"] = "1" if scroll.pinned else "0"
        if drivers.pointer:
            found |= {"reach_x": shown(drivers.pointer.reach_x, 1), "reach_y": shown(drivers.pointer.reach_y, 1)}
            found["settle"] = f"{shown(drivers.pointer.settle)} s"
            found["dead_zone"] = f"{shown(100 * drivers.pointer.dead_zone, 1)} %"
            found["returns"] = "1" if drivers.pointer.returns else "0"
        if drivers.time:
            time = drivers.time
            found |= {
                "duration": f"{shown(time.duration)} s",
                "fps": shown(time.fps, 3),
                "loop": "1" if time.loop else "0",
            }
        return found
