"""The layered file: an OpenRaster stack as the resting camera sees it (specification 0.0.6), with the scene inside.

The first member is `mimetype`, stored; `stack.xml` lists layers from the top down; `mergedimage.png` and a thumbnail
show the whole. The scene travels as `clinamen/scene.json` with the original art, so that it reads back as the same scene.
"""

import io
import itertools
import json
import zipfile
from pathlib import PurePosixPath
from xml.sax.saxutils import quoteattr

import cv2
import numpy as np

from clinamen.core import document
from clinamen.core.arrays import Pixels
from clinamen.core.document import MAX_VIEW, Layer, Scene, is_seen, ungrouped
from clinamen.core.exchange.names import id_from_name
from clinamen.core.exports.base import Export, Files, More, Options, Told
from clinamen.core.finish import finish_of
from clinamen.core.made.fontfile import content
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.orastack import MIMETYPE, SCENE_MEMBER
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pixels import trim_box
from clinamen.core.raster import render
from clinamen.core.stage import corners, project, stage_at

THUMBNAIL_SIDE = 256
TURNING = ("pitch", "yaw", "arc", "crane")  # what a resting camera is turned out of the sheets' plane by
MOST_DRAWN = 24_000_000  # px of a layer that is drawn beyond the view: four bytes by four channels are held of each


class LayeredFile(Export):
    id = "layered"
    name = "Layered file"
    says = "One OpenRaster file that paint programs open, the scene itself inside."
    single = True

    def build(self, scene: Scene, shelf: ArtShelf, options: Options, told: Told, more: More = ()) -> Files:
        return {f"{id_from_name(scene.title, ())}.ora": write(scene, shelf, told)}

    def leaves_out(self, scene: Scene) -> list[str]:
        said = ["other programs see the scene at rest; the move travels inside for Clinamen"] if scene.tracks else []
        rest, turned = stage_at(scene, State()), any(getattr(scene.camera, name) for name in TURNING)
        baked = {
            "perspective": [x.label for x in scene.layers if turned or x.tilt.lean or x.tilt.turn],
            "softness": [sheet.layer.label for sheet in rest.sheets if sheet.blur[0] > 0],
            "endless repetition": [x.label for x in scene.layers if x.repeats],
        }
        said += [
            f"{what} is drawn into a copy of the art: {', '.join(names)}" for what, names in baked.items() if names
        ]
        return said


def write(scene: Scene, shelf: ArtShelf, told: Told | None = None) -> bytes:
    """An OpenRaster file of the scene as seen at rest, with the scene itself inside."""
    told = told or Told()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), MIMETYPE, zipfile.ZIP_STORED)
        kept: set[str] = set()
        lines = []
        rest = stage_at(scene, State())
        for index, layer in enumerate(scene.layers):
            told.tell(0.8 * index / len(scene.layers), layer.label)
            placed = _as_is(scene, layer, kept) or _as_seen(scene, layer, shelf, index)
            src, x, y, pixels = placed
            data = shelf.read(layer.art.file) if pixels is None else encode_png(pixels)
            archive.writestr(src, data, zipfile.ZIP_STORED)
            lines.append(
                (layer.group, _layer_line(layer, is_seen(scene, layer), float(rest[layer.id].opacity[0]), src, x, y))
            )
        view = scene.view
        archive.writestr("stack.xml", _stack_xml(view.width, view.height, list(reversed(lines))))
        archive.writestr(SCENE_MEMBER, json.dumps(scene.to_json(), indent=2, ensure_ascii=False))
        for file in dict.fromkeys(layer.art.file for layer in scene.layers if layer.art.file):
            if file not in kept:
                archive.writestr(f"clinamen/{file}", shelf.read(file), zipfile.ZIP_STORED)
        for font in scene.fonts:
            archive.writestr(f"clinamen/{font.file}", content(font))
        merged = render(scene, State(), shelf.loader(scene))  # framed, as all of it is seen
        archive.writestr("mergedimage.png", encode_png(merged), zipfile.ZIP_STORED)
        archive.writestr("Thumbnails/thumbnail.png", encode_png(_thumbnail(merged)), zipfile.ZIP_STORED)
    return out.getvalue()


def _as_is(scene: Scene, layer: Layer, kept: set[str]) -> tuple[str, int, int, None] | None:
    """Where the art itself can stand in the stack: unscaled, upright, on whole pixels, a PNG of a name not yet used."""
    framing, art = layer.framing, layer.art
    x = scene.view.width / 2 + framing.x - art.width / 2
    y = scene.view.height / 2 + framing.y - art.height / 2
    upright = framing.scale == 1 and framing.rotation == 0 and layer.tilt.lean == layer.tilt.turn == 0
    framed = framing.stretch == 1 and framing.skew == 0 and not document.bearers_of(scene, layer)
    alone = framed and not layer.repeats and layer.frames is None and scene.camera == document.Camera()
    src = f"data/{PurePosixPath(art.file).name}"
    twice = sum(PurePosixPath(other.art.file).name == PurePosixPath(src).name for other in scene.layers) > 1
    if (
        upright
        and alone
        and not twice
        and layer.recipe is None
        and art.made is None
        and finish_of(scene, layer) is None
        and x == int(x)
        and y == int(y)
        and src.lower().endswith(".png")
    ):
        kept.add(art.file)
        return src, int(x), int(y), None
    return None


def _as_seen(scene: Scene, layer: Layer, shelf: ArtShelf, index: int) -> tuple[str, int, int, Pixels]:
    """The layer drawn as the resting camera sees it: all of it, also what lies outside the view and may come in later, as far
    as a picture may be large; trimmed of what is clear. Art that repeats without end is drawn as far as the view."""
    tracks = tuple(t for t in scene.tracks if not (t.target == layer.id and t.channel == "opacity"))
    plain = layer.model_copy(update={"opacity": 1.0, "blend": "normal", "visible": True})
    alone = ungrouped(scene).model_copy(update={"layers": (plain,), "tracks": tracks, "frame": type(scene.frame)()})
    wide, left, top = _widened(alone, plain)
    picture = render(wide, State(), shelf.loader(wide), transparent=True)
    x0, y0, x1, y1 = trim_box(picture)
    return f"data/layer-{index + 1:03d}.png", x0 - left, y0 - top, picture[y0:y1, x0:x1]


def _widened(scene: Scene, layer: Layer) -> tuple[Scene, int, int]:
    """The scene with a view that holds all of its one layer, and how far that view reaches out on the left and at the top. The
    sensor grows with the view, so the lens distance and every sheet stay where they are."""
    view = scene.view
    points, ahead = project(stage_at(scene, State()).sheets[0].matrix[0], corners(layer))
    if layer.repeats or np.any(ahead <= 0):
        return scene, 0, 0
    size = np.array([view.width, view.height])
    out = np.ceil(np.maximum(np.maximum(-points, points - size).max(axis=0), 0)).astype(int) + 1
    most = np.minimum(out, ((MAX_VIEW - size) // 2).clip(0))
    while most.any() and (size + 2 * most).prod() > MOST_DRAWN:
        most //= 2
    left, top = int(most[0]), int(most[1])
    wider = view.model_copy(update={"width": view.width + 2 * left, "height": view.height + 2 * top})
    sensor = scene.lens.sensor_width * wider.width / view.width
    return (
        scene.model_copy(update={"view": wider, "lens": scene.lens.model_copy(update={"sensor_width": sensor})}),
        left,
        top,
    )


def _layer_line(layer: Layer, shown: bool, opacity: float, src: str, x: int, y: int) -> str:
    mode = {"normal": "svg:src-over", "add": "svg:plus"}.get(layer.blend, f"svg:{layer.blend}")
    seen = "visible" if shown else "hidden"
    return (
        f'    <layer name={quoteattr(layer.label)} src={quoteattr(src)} x="{x}" y="{y}" '
        f'opacity="{opacity:g}" visibility="{seen}" composite-op="{mode}"/>'
    )


def _stack_xml(width: int, height: int, lines: list[tuple[str, str]]) -> str:
    """stack.xml of (group, line), topmost first; neighbours of one group stand in a stack of its name."""
    parts: list[str] = []
    for group, members in itertools.groupby(lines, key=lambda line: line[0]):
        inner = [line for _, line in members]
        parts += (
            [f"    <stack name={quoteattr(group)}>", *(f"  {line}" for line in inner), "    </stack>"]
            if group
            else inner
        )
    body = "\n".join(parts)
    head = "<?xml version='1.0' encoding='UTF-8'?>"
    return f'{head}\n<image version="0.0.6" w="{width}" h="{height}">\n  <stack>\n{body}\n  </stack>\n</image>\n'


def _thumbnail(picture: Pixels) -> Pixels:
    height, width = picture.shape[:2]
    scale = min(1.0, THUMBNAIL_SIDE / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA).astype(picture.dtype)
