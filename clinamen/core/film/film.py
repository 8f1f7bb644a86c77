"""A film as it is to be made: its subject, course and strip, cut into ranges of frames that are made apart and put together."""

import tempfile
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from clinamen.core.arrays import Pixels
from clinamen.core.document import Scene
from clinamen.core.film.coder import Coder, put_together
from clinamen.core.film.course import Course, Over, course_of
from clinamen.core.film.formats import FORMATS, Format, Quality, Strip
from clinamen.core.film.shooting import shot
from clinamen.core.film.subject import part_of, size_of
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.quantities import counted, shown
from clinamen.core.raster import Box, Filter

RANGE = 96  # frames a range holds at most, so that what is lost with a worker is little
DRAFT = 0.25  # of the size

Seen = Callable[[int, Pixels], None]


@dataclass(frozen=True)
class Film:
    """`scene`: what is seen of it; `scale`: frame px a scene px; `guides` burned in or not; `sampling` of the art; `box`: only
    these pixels of each frame."""

    scene: Scene
    course: Course
    strip: Strip
    made_as: Format
    scale: float
    guides: bool = False
    sampling: Filter = "fine"
    box: Box | None = None

    def ranges(self, most: int = RANGE) -> list[tuple[int, int]]:
        """First frame and the one after the last of each part, about equally long."""
        count = self.course.count
        parts = -(-count // most)
        ends = [round(index * count / parts) for index in range(parts + 1)]
        return list(zip(ends, ends[1:], strict=False))

    def draft(self) -> "Film":
        """The same at a quarter of the size, roughly drawn and coded, to see its timing; opaque, as an MP4 that browsers play."""
        scale = self.scale * DRAFT
        width, height = size_of(self.scene, scale)
        strip = replace(self.strip, width=width, height=height, transparent=False, quality="draft")
        course = replace(self.course, samples=1)
        return replace(self, strip=strip, course=course, made_as=FORMATS["mp4"], scale=scale, sampling="draft")

    def make_part(
        self,
        path: Path,
        numbers: tuple[int, int],
        shelf: ArtShelf,
        seen: Seen = lambda number, picture: None,
        threads: int | None = None,
    ) -> None:
        """Draw and code a range; `seen` is told of each frame, and may raise to call it off."""
        load = shelf.loader(self.scene, self.scale)
        with Coder(path, self.made_as, self.strip) as coder:
            wanted = range(*numbers)
            drawn = shot(
                self.scene, load, self.course, wanted, self.scale, self.strip.transparent, self.sampling, self.guides, threads,
                self.box,
            )  # fmt: skip
            for number, picture in zip(wanted, drawn, strict=True):
                coder.write(picture)
                seen(number, picture)

    def join(self, path: Path, parts: Sequence[tuple[Path, int]]) -> None:
        """Put parts together, in order, each with how many frames it holds; into a folder where every frame is a file."""
        if self.made_as.many:
            path.mkdir()
            path = path / "%05d.png"
        put_together(path, self.made_as, self.strip, parts)

    def make(self, path: Path, shelf: ArtShelf, seen: Seen = lambda number, picture: None) -> None:
        """All of it here, in one part."""
        with tempfile.TemporaryDirectory(dir=path.parent, prefix=".part-") as folder:
            part = Path(folder) / f"{path.stem}{self.made_as.part}"
            self.make_part(part, (0, self.course.count), shelf, seen)
            self.join(path, [(part, self.course.count)])

    @property
    def notes(self) -> list[str]:
        """A sentence on what is other than asked for."""
        width, height = self.made_as.padded(self.strip.width, self.strip.height)
        if (width, height) == (self.strip.width, self.strip.height):
            return []
        was = f"{self.strip.width} × {self.strip.height}"
        return [
            f"{self.made_as.name} takes even sides only: {was} is filled up to {width} × {height} with its last pixels"
        ]

    @property
    def says(self) -> str:
        """How long and large it is."""
        width, height = self.made_as.padded(self.strip.width, self.strip.height)
        rate, seconds = shown(float(self.course.rate), 3), shown(float(self.course.seconds), 3)
        return f"{counted(self.course.count, 'frame')}, {seconds} s at {rate} frames a second, {width} × {height} px"


def film_of(
    scene: Scene,
    format: str = "mp4",
    over: Over = "time",
    seconds: float | None = None,
    start: float | None = None,
    to_time: float | None = None,
    fps: str = "",
    ease: str = "linear",
    hand: str = "",
    scroll: float = 0.0,
    only: str = "",
    scale: float = 1.0,
    transparent: bool = False,
    motion_blur: bool = True,
    guides: bool = False,
    quality: Quality = "usual",
) -> Film:
    """A film from what it was asked to be, over a hand where one is named; BadEdit names what cannot be."""
    made_as = FORMATS[format]
    subject = part_of(scene, only)
    width, height = size_of(scene, scale)
    over = "hand" if hand.strip() else over
    course = course_of(scene, over, fps, seconds, start, to_time, ease, hand, scroll, motion_blur)
    strip = Strip(width, height, course.rate, transparent, quality)
    made_as.check(strip)
    return Film(subject, course, strip, made_as, scale, guides)


class Pace:
    """How quick frames come: done, a second, and how long the rest takes; counted from the first frame on."""

    def __init__(self, count: int) -> None:
        self.count, self.done = count, 0
        self._begun: tuple[float, int] | None = None

    def step(self, frames: int = 1) -> None:
        self.done += frames
        self._begun = self._begun or (time.monotonic(), self.done)

    @property
    def rate(self) -> float:
        """Frames a second; 0 while that cannot be said."""
        at, done = self._begun or (0.0, self.done)
        return (self.done - done) / max(1e-6, time.monotonic() - at)

    @property
    def says(self) -> str:
        told = f"{self.done} of {counted(self.count, 'frame')}"
        if not self.rate:
            return told
        return f"{told}, {shown(self.rate, 1)} a second, {shown((self.count - self.done) / self.rate, 0)} s left"
