"""The room Motion: drivers, the camera's travel, and the fan."""

from dataclasses import dataclass
from functools import cached_property

from clinamen.core.document import EASING_NAMES, Channel, channels_of
from clinamen.core.drawing import fan
from clinamen.core.edits import camera_track
from clinamen.scenes.rooms.desk import Desk, room


@dataclass(frozen=True)
class Travel:
    """One camera channel over a driver: its row of the table of channels, and its values at both ends."""

    channel: Channel
    start: float
    end: float
    ease: str
    moved: bool
    inner: int

    @property
    def ends(self) -> tuple[tuple[str, float], tuple[str, float]]:
        return ("start", self.start), ("end", self.end)


@room
class MotionRoom(Desk):
    id = "motion"
    name = "Motion"
    readout = "scenes/rooms/motion_readout.html"

    @cached_property
    def fan(self) -> fan.Fan:
        return fan.draw(self.document, self.choice.driver, "", self.choice.speed)

    def travels(self, driver: str) -> list[Travel]:
        rows = []
        for channel in channels_of("camera").values():
            track = camera_track(self.document, driver, channel.name)
            start, end = (track.keys[0].value, track.keys[-1].value) if track else (channel.rest, channel.rest)
            ease = track.keys[0].ease if track else "ease-in-out"
            named = ease if isinstance(ease, str) else "cubic-bezier"
            inner = max(0, len(track.keys) - 2) if track else 0
            rows.append(Travel(channel, start, end, named, track is not None, inner))
        return rows

    @property
    def scroll_travels(self) -> list[Travel]:
        return self.travels("scroll")

    @property
    def time_travels(self) -> list[Travel]:
        return self.travels("time")

    @property
    def easings(self) -> tuple[str, ...]:
        return EASING_NAMES
