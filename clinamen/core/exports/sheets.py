"""Sheets: every layer as a transparent picture, as the camera sees it at one state, and a contact sheet of them for approval."""

import json
from dataclasses import dataclass
from typing import Any

from pydantic import Field

from clinamen.core.arrays import Pixels
from clinamen.core.document import Scene
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports.base import Export, Files, More, Options, Told, visible
from clinamen.core.exports.contact import Row, contact_sheet
from clinamen.core.film.apart import alone, not_apart
from clinamen.core.film.subject import size_of
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pixels import trim_box
from clinamen.core.raster import render
from clinamen.core.stage import stage_at


class SheetOptions(Options):
    trimmed: bool = Field(default=False, title="Trimmed to what holds something")
    scale: float = Field(default=1.0, gt=0, le=8, title="Scale", json_schema_extra={"unit": "×"})
    scroll: float = Field(default=0.0, ge=0, le=1, title="Scroll", json_schema_extra={"flag": "--scroll-at"})
    u: float = Field(default=0.0, ge=-1, le=1, title="Pointer across", json_schema_extra={"flag": "--pointer-u"})
    v: float = Field(default=0.0, ge=-1, le=1, title="Pointer down", json_schema_extra={"flag": "--pointer-v"})
    time: float = Field(default=0.0, ge=0, le=36000, title="Time", json_schema_extra={"unit": "s", "flag": "--time-at"})


@dataclass(frozen=True)
class Cut:
    """A layer's picture and where it stands in the view's, in its pixels."""

    file: str
    pixels: Pixels
    x: int
    y: int


class SheetsExport(Export):
    id = "sheets"
    name = "Sheets"
    says = "Every layer as a transparent PNG with its numbers, and a contact sheet."
    options = SheetOptions

    def build(self, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = ()) -> Files:
        state = State(options.scroll, (options.u, options.v), options.time)
        width, height = size_of(scene, options.scale)
        staged, load = stage_at(scene, state), shelf.loader(scene, options.scale)
        layers = visible(scene)
        names: list[str] = []
        for layer in layers:
            names.append(id_from_name(layer.id, names))

        def cut(name: str) -> Cut:
            picture = render(alone(scene, layers[names.index(name)]), state, load, options.scale, transparent=True)
            x0, y0, x1, y1 = trim_box(picture) if options.trimmed else (0, 0, width, height)
            return Cut(f"{names.index(name) + 1:02d}-{name}.png", picture[y0:y1, x0:x1], x0, y0)

        cuts = told.each(names, cut)
        files = {each.file: encode_png(each.pixels) for each in cuts}
        rows = []
        for layer, each in zip(layers, cuts, strict=True):
            sheet = staged[layer.id]
            rows.append({
                "id": layer.id, "name": layer.label, "file": each.file, "depth": layer.depth, "rate": float(sheet.rate[0]),
                "x": each.x, "y": each.y, "width": each.pixels.shape[1], "height": each.pixels.shape[0],
                "opacity": float(sheet.opacity[0]), "blend": layer.blend,
            })  # fmt: skip
        view = {"width": width, "height": height, "background": scene.view.background}
        whole = {"title": scene.title, "view": view, "scale": options.scale, "state": state.to_json()}
        files["sheets.json"] = json.dumps({**whole, "sheets": rows}, indent=1, ensure_ascii=False).encode()
        shown = [
            Row(
                layer.label,
                each.pixels,
                layer.art.width,
                layer.art.height,
                layer.depth,
                float(staged[layer.id].rate[0]),
            )
            for layer, each in zip(layers, cuts, strict=True)
        ]
        picture = render(scene, state, load, min(options.scale, 1200 / max(scene.view.width, 1)))
        files["contact-sheet.pdf"] = contact_sheet(scene.title, picture, shown)
        return files

    def leaves_out(self, scene: Scene) -> list[str]:
        return not_apart(scene, "sheets.json")
