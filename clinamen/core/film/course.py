"""A course: how many frames a film has, how quick they follow each other, and what state each of them shows.

Frame i stands i / rate seconds after the first: rates are fractions, so that no frame drifts. Time runs from its beginning and is
left before its end, so that a loop does not show its doubled last frame; a scroll comes to its end with the last frame.
"""

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Scene
from clinamen.core.errors import BadEdit
from clinamen.core.motion.easing import NAMED, cubic_bezier
from clinamen.core.motion.hands import HERTZ, hands
from clinamen.core.motion.states import State

MOST_FRAMES = 100_000
USUAL_RATE = "25"
# what 23.976 and its like stand for: SMPTE ST 12-1, from memory
DROPPED = {Fraction(str(n)): Fraction(1000 * base, 1001) for n, base in
           ((23.976, 24), (23.98, 24), (29.97, 30), (47.952, 48), (59.94, 60), (119.88, 120))}  # fmt: skip

Over = Literal["time", "scroll", "hand"]


@dataclass(frozen=True)
class Course:
    """`rate` frames a second, `count` of them, the first standing `start` seconds into what is played."""

    rate: Fraction
    count: int
    start: Fraction
    scroll: Floats  # [count (or 1)]: where each frame's scroll stands; of a frame between two, straight between them
    u: Floats
    v: Floats
    duration: float | None  # of the scene's time
    loops: bool
    open_for: float = 0.0  # of a frame, 0…2
    samples: int = 1

    def state(self, at: float) -> State:
        """The state at a frame, or between two."""
        seconds = (
            float(self.start) + at / float(self.rate) if at % 1 else float(self.start + Fraction(int(at)) / self.rate)
        )
        scroll, u, v = (float(np.interp(at, np.arange(len(axis)), axis)) for axis in (self.scroll, self.u, self.v))
        return State(scroll, (u, v), self._time(seconds))

    def moments(self, frame: int) -> list[State]:
        """The states while the shutter is open, in the middle of even parts of that; one where it is not."""
        if self.open_for == 0 or self.samples == 1:
            return [self.state(frame)]
        return [self.state(frame + (i + 0.5) / self.samples * self.open_for) for i in range(self.samples)]

    def _time(self, seconds: float) -> float:
        if self.duration is None:
            return 0.0
        return seconds % self.duration if self.loops else min(seconds, self.duration)

    @property
    def seconds(self) -> Fraction:
        return self.count / self.rate


def rate_of(text: str) -> Fraction:
    """Frames a second from "25", "23.976" (24000/1001) or "24000/1001"."""
    try:
        told = Fraction(text.strip().replace(",", "."))
    except (ValueError, ZeroDivisionError):
        raise BadEdit(
            f"fps: {text.strip()[:40]!r} is no frame rate; type one such as 25, 23.976 or 24000/1001"
        ) from None
    rate = DROPPED.get(told, told)
    if not 1 <= rate <= 240 or rate.denominator > 100_000:
        raise BadEdit(f"fps: {text.strip()[:40]} is out of range; type a rate from 1 to 240")
    return rate


def course_of(
    scene: Scene,
    over: Over = "time",
    fps: str = "",
    seconds: float | None = None,
    start: float | None = None,
    end: float | None = None,
    ease: str = "linear",
    hand: str = "",
    scroll: float = 0.0,
    shutter: bool = True,
) -> Course:
    """The course of a film of a scene. `seconds`: how long what is filmed takes (of time, its duration where not told); `start`
    and `end`: the part of that which is filmed, in seconds; `hand`: the recorded hand's id; `scroll`: where it stands else."""
    time = scene.drivers.time
    rate = rate_of(fps or (USUAL_RATE if time is None else f"{time.fps:g}"))
    if over == "hand":
        return _played(scene, rate, hand, start, end, shutter)
    if over == "scroll" and scene.drivers.scroll is None:
        raise BadEdit("over: the scene has no scroll to be played; film it over time, or switch the scroll on")
    if seconds is None and over == "scroll":
        raise BadEdit("seconds: a scroll takes no time by itself; say how many seconds it is played over, such as 8")
    if seconds is None and time is None:
        raise BadEdit("seconds: the scene has no time; say how many seconds to film, such as 8")
    whole = _exact(seconds if seconds is not None else time.duration if time else 0)
    first, last = _part(whole, start, end)
    count = _count(rate, last - first)
    places = np.full(1, scroll)
    if over == "scroll":
        along = (np.arange(count) + float(first * rate)) / max(1.0, float(whole * rate) - 1)
        places = cubic_bezier(NAMED[ease], np.clip(along, 0, 1))
    return _course(scene, rate, count, first, (places, np.zeros(1), np.zeros(1)), shutter)


def _played(scene: Scene, rate: Fraction, hand: str, start: float | None, end: float | None, shutter: bool) -> Course:
    """A recorded hand's course."""
    offered = [each for each in hands(scene) if not each.wrong]
    found = next((each for each in offered if hand in (each.id, each.name)), None)
    if found is None:
        has = ", ".join(each.id for each in offered) or "none"
        raise BadEdit(f"hand: {hand!r} is no hand that this scene can be rehearsed with; choose one of: {has}")
    first, last = _part(Fraction(len(found.rows) - 1, HERTZ), start, end)
    count = _count(rate, last - first)
    at = (np.arange(count) / float(rate) + float(first)) * HERTZ
    rows = np.array(found.rows, float)
    moved = {axis: np.interp(at, np.arange(len(rows)), rows[:, k]) for k, axis in enumerate(found.moves)}
    still = np.zeros(1)
    return _course(
        scene, rate, count, first, (moved.get("scroll", still), moved.get("u", still), moved.get("v", still)), shutter
    )


def _course(
    scene: Scene, rate: Fraction, count: int, first: Fraction, axes: tuple[Floats, Floats, Floats], shutter: bool
) -> Course:
    time, film = scene.drivers.time, scene.film
    open_for, samples = (film.shutter / 360, film.samples) if shutter else (0.0, 1)
    return Course(
        rate, count, first, *axes, time.duration if time else None, bool(time and time.loop), open_for, samples
    )


def _part(whole: Fraction, start: float | None, end: float | None) -> tuple[Fraction, Fraction]:
    first, last = _exact(start or 0), _exact(end) if end is not None else whole
    if not 0 <= first < last:
        raise BadEdit(
            f"from: {float(first):g} s is not before {float(last):g} s; film from an earlier second to a later one"
        )
    return first, last


def _count(rate: Fraction, seconds: Fraction) -> int:
    count = round(seconds * rate)
    if count > MOST_FRAMES:
        raise BadEdit(
            f"seconds: {count} frames are too many; at most {MOST_FRAMES}, film a part or fewer frames a second"
        )
    if count < 1:
        raise BadEdit(f"seconds: {float(seconds):g} s hold no frame at this rate; film for longer")
    return count


def _exact(seconds: float) -> Fraction:
    """Seconds as they were typed."""
    return Fraction(f"{seconds:.9f}")
