"""The film: frames of the scene over time, a scroll or a recorded hand, as a file that plays."""

import tempfile
from multiprocessing import get_context
from pathlib import Path
from typing import Any, Literal, get_args

from pydantic import Field

from clinamen.core.document import Scene
from clinamen.core.exports.base import Export, Files, More, Options, Told
from clinamen.core.film.coder import beside
from clinamen.core.film.film import Film, Pace, film_of
from clinamen.core.film.formats import FORMATS
from clinamen.core.motion.easing import NAMED
from clinamen.core.pictures.shelf import ArtShelf

FormatId = Literal["mp4", "webm", "mov", "av1", "gif", "webp", "apng", "png", "mkv"]
EaseName = Literal["linear", "ease", "ease-in", "ease-out", "ease-in-out"]
assert set(get_args(FormatId)) == set(FORMATS) and set(get_args(EaseName)) == set(NAMED)


class FilmOptions(Options):
    format: FormatId = Field(
        default="mp4", title="File", json_schema_extra={"words": {x.id: x.name for x in FORMATS.values()}, "flag": ""}
    )
    over: Literal["time", "scroll", "hand"] = Field(
        default="time",
        title="Played over",
        json_schema_extra={"words": {"time": "time", "scroll": "a scroll", "hand": "a recorded hand"}},
    )
    seconds: float | None = Field(
        default=None, gt=0, le=36000, title="Seconds", json_schema_extra={"unit": "s", "empty": "all of it"}
    )
    ease: EaseName = Field(default="linear", title="The scroll runs")
    hand: str = Field(default="", max_length=80, title="Hand", json_schema_extra={"empty": "none", "offers": "hands"})
    start: float | None = Field(
        default=None, ge=0, title="From", json_schema_extra={"unit": "s", "flag": "--from", "empty": "beginning"}
    )
    to_time: float | None = Field(default=None, gt=0, title="To", json_schema_extra={"unit": "s", "empty": "end"})
    fps: str = Field(default="", max_length=20, title="Frames a second", json_schema_extra={"empty": "the scene's"})
    scroll: float = Field(default=0.0, ge=0, le=1, title="Scroll stands at", json_schema_extra={"flag": "--scroll-at"})
    only: str = Field(
        default="",
        max_length=200,
        title="Only layer or group",
        json_schema_extra={"empty": "all layers", "offers": "layers"},
    )
    scale: float = Field(default=1.0, gt=0, le=8, title="Scale", json_schema_extra={"unit": "×"})
    quality: Literal["small", "usual", "fine"] = Field(
        default="usual",
        title="Quality",
        json_schema_extra={"words": {"small": "small file", "usual": "usual", "fine": "fine"}},
    )
    transparent: bool = Field(default=False, title="Without the background, transparent")
    motion_blur: bool = Field(default=True, title="With motion blur, as the shutter is set in Look")
    guides: bool = Field(default=False, title="With frame number and safe areas burned in")


def film(scene: Scene, options: Options) -> Film:
    """The film that these options ask for."""
    return film_of(scene, **options.model_dump())


def usual(scene: Scene) -> dict[str, Any]:
    """A scene that only scrolls is played over that."""
    drivers = scene.drivers
    return {"over": "scroll", "seconds": 8.0} if drivers.time is None and drivers.scroll is not None else {}


class FilmExport(Export):
    id = "film"
    name = "Film"
    says = "Every frame drawn exactly, over time, a scroll or a recorded hand."
    options = FilmOptions
    single = True
    by_frame = True
    in_parts = True

    def build(self, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = ()) -> Files:
        with tempfile.TemporaryDirectory(prefix="clinamen-film-") as folder:
            made = film(scene, options)
            path = Path(folder) / f"film{made.made_as.ending.rstrip('/')}"
            self.write(path, scene, shelf, options, told)
            files = sorted(path.iterdir()) if path.is_dir() else [path]
            return {str(file.relative_to(folder)): file.read_bytes() for file in files}

    def write(
        self, out: Path, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = (), workers: int = 1
    ) -> list[Path]:
        made = film(scene, options)
        pace = Pace(made.course.count)
        with beside(out) as path:
            if workers > 1:
                _by_workers(made, path, shelf, told, pace, workers)
            else:

                def seen(number: int, picture: object) -> None:
                    pace.step()
                    told.tell(pace.done / pace.count, pace.says)

                made.make(path, shelf, seen)
        return sorted(out.iterdir()) if out.is_dir() else [out]

    def usual(self, scene: Scene) -> dict[str, Any]:
        return usual(scene)

    def notes(self, scene: Scene, options: Any) -> list[str]:
        return film(scene, options).notes


def _by_workers(made: Film, path: Path, shelf: ArtShelf, told: Told, pace: Pace, workers: int) -> None:
    """Ranges made by processes of their own, then put together."""
    ranges = made.ranges(max(1, min(96, -(-made.course.count // (2 * workers)))))
    parts = [path.parent / f"part-{index:04d}{made.made_as.part}" for index in range(len(ranges))]
    with get_context("spawn").Pool(workers) as pool:
        waiting = [
            pool.apply_async(_one, (made, part, numbers, shelf)) for part, numbers in zip(parts, ranges, strict=True)
        ]
        for (first, last), each in zip(ranges, waiting, strict=True):
            each.get()
            pace.step(last - first)
            told.tell(pace.done / pace.count, pace.says)
    made.join(path, [(part, last - first) for part, (first, last) in zip(parts, ranges, strict=True)])


def _one(made: Film, part: Path, numbers: tuple[int, int], shelf: ArtShelf) -> None:
    made.make_part(part, numbers, shelf, threads=1)
