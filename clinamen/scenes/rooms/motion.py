"""The room Motion: drivers, the camera's travel, and the fan."""

from dataclasses import dataclass
from functools import cached_property

from clinamen.core.document import EASING_NAMES, Channel, channels_of
from clinamen.core.drawing import fan
from clinamen.core.edits import drift_of, loop, track_of
from clinamen.core.motion.moves import MOVES
from clinamen.core.quantities import shown
from clinamen.scenes.rooms.desk import Desk, room


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

    def travels(self, driver: str, target: str = "camera") -> list[Travel]:
        rows = []
        for channel in channels_of(target).values():
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
        return [
            (target, name, [self._drifting(target, channels_of(target)[channel]) for channel in channels])
            for target, name, channels in (*chosen, ("camera", "the camera", CAMERA_DRIFTS))
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
        """What can be made slower or quicker: everything, the camera, each layer that moves."""
        moving = {track.target for track in self.document.tracks}
        layers = [(layer.id, layer.label) for layer in self.document.layers if layer.id in moving]
        return [("", "all that moves"), *([("camera", "the camera")] if "camera" in moving else []), *layers]

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
    def ends(self) -> list[tuple[str, str]]:
        return [("1", "begins again"), ("0", "stays at the end")]

    @property
    def texts(self) -> dict[str, str]:
        """The numbers of the drivers' sentences, as they stand in their fields."""
        drivers, target = self.document.drivers, self.document.camera.target
        found = {f"target_{name}": shown(getattr(target, name), 1) for name in ("x", "y", "depth")}
        if drivers.scroll:
            found["length"] = shown(drivers.scroll.length, 0)
        if drivers.pointer:
            found |= {"reach_x": shown(drivers.pointer.reach_x, 1), "reach_y": shown(drivers.pointer.reach_y, 1)}
            found["settle"] = f"{shown(drivers.pointer.settle)} s"
        if drivers.time:
            found |= {"duration": f"{shown(drivers.time.duration)} s", "loop": "1" if drivers.time.loop else "0"}
        return found
