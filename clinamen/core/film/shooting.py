"""Frames drawn one after the other: one on each thread, several moments of each where the shutter is open, guides burned in."""

from collections.abc import Iterator, Sequence

from clinamen.core.arrays import Pixels
from clinamen.core.document import Scene
from clinamen.core.film.course import Course
from clinamen.core.film.guides import burned
from clinamen.core.raster import Box, Filter, Loader, frames


def shot(
    scene: Scene,
    load: Loader,
    course: Course,
    numbers: Sequence[int],
    scale: float = 1.0,
    transparent: bool = False,
    sampling: Filter = "fine",
    guides: bool = False,
    threads: int | None = None,
    box: Box | None = None,
) -> Iterator[Pixels]:
    """The frames of these numbers, [h, w, 4] uint8 each, in their order; `box`: only these pixels of each."""
    drawn = frames(
        scene, (course.moments(number) for number in numbers), load, scale, transparent, sampling, threads, box
    )
    for number, picture in zip(numbers, drawn, strict=True):
        yield burned(scene, picture, number, course) if guides else picture
