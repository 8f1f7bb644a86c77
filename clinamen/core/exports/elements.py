"""Elements: each layer that moves as its own transparent film, the others as pictures, and where each belongs."""

import json
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

from pydantic import Field

from clinamen.core.document import Frame, Scene
from clinamen.core.errors import BadEdit
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports.base import Export, Files, More, Told
from clinamen.core.exports.film import FilmOptions, film, usual
from clinamen.core.film.apart import Piece, evened, moments_of, not_apart, pieces
from clinamen.core.film.coder import beside
from clinamen.core.film.film import Film, Pace
from clinamen.core.film.formats import FORMATS
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.raster import Box, render

ElementFormat = Literal["mov", "webm", "png", "mkv"]


class ElementOptions(FilmOptions):
    format: ElementFormat = Field(
        default="mov",
        title="Files",
        json_schema_extra={"words": {x: FORMATS[x].name for x in ("mov", "webm", "png", "mkv")}, "flag": "--format"},
    )
    transparent: bool = Field(default=False, exclude=True)
    guides: bool = Field(default=False, exclude=True)


class ElementsExport(Export):
    id = "elements"
    name = "Elements"
    says = "Every layer that moves as a transparent film of its own."
    options = ElementOptions
    by_frame = True

    def build(self, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = ()) -> Files:
        with tempfile.TemporaryDirectory(prefix="clinamen-elements-") as folder:
            out = Path(folder) / "elements"
            paths = self.write(out, scene, shelf, options, told)
            return {path.relative_to(out).as_posix(): path.read_bytes() for path in paths}

    def write(
        self, out: Path, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = (), workers: int = 1
    ) -> list[Path]:
        whole = film(scene, options)
        size = whole.strip.width, whole.strip.height
        parts = pieces(whole.scene, moments_of(whole.course), whole.scale, size)
        seen = [each for each in parts if each.box is not None]
        if not seen:
            raise BadEdit("only: nothing of that is ever seen in the view; choose other layers")
        plate = _plate(whole.scene, seen[0])
        pace = Pace(sum(whole.course.count if each.moves else 1 for each in seen))

        def step(number: int, picture: object) -> None:
            pace.step()
            told.tell(pace.done / pace.count, pace.says)

        rows, names = [], list[str]()
        with beside(out) as folder:
            folder.mkdir()
            for index, piece in enumerate(seen):
                names.append(id_from_name(piece.layer.id, names))
                opaque = index == 0
                if opaque:
                    piece = replace(piece, scene=plate, box=(0, 0, *size))
                piece = evened(piece, size) if whole.made_as.even else piece
                row = _written(folder, whole, piece, f"{index + 1:02d}-{names[-1]}", opaque, shelf, step)
                rows.append({**row, "blend": "normal" if opaque else piece.layer.blend})
            (folder / "elements.json").write_text(json.dumps(_told(whole, rows), indent=1, ensure_ascii=False))
        return sorted(path for path in out.rglob("*") if path.is_file())

    def usual(self, scene: Scene) -> dict[str, Any]:
        return usual(scene)

    def leaves_out(self, scene: Scene) -> list[str]:
        return not_apart(scene, "elements.json")


def _plate(scene: Scene, far: Piece) -> Scene:
    """The farthest layer over the background: the only one without transparency."""
    layers = tuple(x.model_copy(update={"visible": x.id == far.layer.id}) for x in scene.layers)
    return scene.model_copy(update={"layers": layers, "frame": Frame()})


def _written(
    folder: Path, whole: Film, piece: Piece, name: str, opaque: bool, shelf: ArtShelf, step: Any
) -> dict[str, Any]:
    """A piece's file, a film where it moves; and what elements.json says of it."""
    box = piece.box
    assert box is not None
    strip = replace(whole.strip, width=box[2] - box[0], height=box[3] - box[1], transparent=not opaque)
    if piece.moves:
        file = f"{name}{whole.made_as.ending}"
        made = replace(whole, scene=piece.scene, strip=strip, box=box)
        made.make(folder / file.rstrip("/"), shelf, step)
    else:
        file = f"{name}.png"
        load = shelf.loader(piece.scene, whole.scale)
        picture = render(piece.scene, whole.course.state(0), load, whole.scale, not opaque, box=box)
        (folder / file).write_bytes(encode_png(picture[..., :3].copy() if opaque else picture))
        step(0, picture)
    kind = "film" if piece.moves else "picture"
    depth = piece.layer.depth
    return {
        "id": piece.layer.id,
        "name": piece.layer.label,
        "file": file,
        "kind": kind,
        "alpha": not opaque,
        "depth": depth,
        **_place(box),
    }


def _place(box: Box) -> dict[str, int]:
    return {"x": box[0], "y": box[1], "width": box[2] - box[0], "height": box[3] - box[1]}


def _told(whole: Film, rows: list[dict[str, Any]]) -> dict[str, Any]:
    rate, strip = whole.course.rate, whole.strip
    return {
        "title": whole.scene.title,
        "view": {"width": strip.width, "height": strip.height, "background": whole.scene.view.background},
        "scale": whole.scale, "fps": f"{rate.numerator}/{rate.denominator}", "frames": whole.course.count,
        "says": "lay the files over each other in this order, each at its place; colours are straight, not premultiplied",
        "elements": rows,
    }  # fmt: skip
