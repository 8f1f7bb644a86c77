"""The engine kit: kit.json with every number an engine needs, packed atlas pages, and scene.glb.

kit.json follows the models below; their JSON Schema ships in docs/kit.schema.json.
"""

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from clinamen.core import document
from clinamen.core.bounds.sharpness import sharpest_use
from clinamen.core.document import Layer, Scene
from clinamen.core.document.layer import Blend
from clinamen.core.exports.base import Export, Files, More, Options, Told, visible
from clinamen.core.exports.engine import gltf
from clinamen.core.exports.engine.atlas import PADDING, Spot, Sprite, pack
from clinamen.core.exports.engine.trimming import rectangles
from clinamen.core.exports.engine.vectors import vectors
from clinamen.core.finish import Finish, finish_of, finished_cells
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.settling import frequency
from clinamen.core.optics import angle_of_view, rate_of
from clinamen.core.parts import Sparse
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pixels import premultiply, shrink, trim_box
from clinamen.core.prep.fringe import BLED, bled
from clinamen.core.stage.formula import lens_of

SPARE = 1.02


class KitOptions(Options):
    """`pixels_per_metre`: scene pixels in a metre; `page_size`: longest side of a page; `power_of_two`: page sides;
    `trim`: art without its empty parts, as several sprites; `separate`: a picture for each layer in place of atlas pages;
    `premultiplied`: the pages' colours multiplied by their alpha; `vectors`: with test vectors."""

    pixels_per_metre: float = Field(
        default=100.0, gt=0, le=1e6, title="Pixels per metre", json_schema_extra={"unit": "px"}
    )
    page_size: int = Field(default=4096, ge=64, le=16384, title="Page size", json_schema_extra={"unit": "px"})
    power_of_two: bool = Field(default=False, title="Page sides are powers of two")
    trim: bool = Field(default=True, title="Leave empty parts of art out")
    separate: bool = Field(default=False, title="A picture for each layer")
    premultiplied: bool = Field(default=False, title="Colours multiplied by alpha")
    vectors: bool = Field(default=True, title="Test vectors")


class KitPart(BaseModel):
    """Base of every part of kit.json."""

    model_config = ConfigDict(extra="forbid")


class KitPage(KitPart):
    """An atlas page; `wraps` marks one that holds a single repeating sprite without padding."""

    file: str
    width: int
    height: int
    wraps: bool = False


class KitSprite(KitPart, Sparse):
    """Where a rectangle of a layer's art stands on its page (page pixels), and which part of the art that is (art pixels); of an
    actor, in which of its cells."""

    later: ClassVar[frozenset[str]] = frozenset({"cell"})

    page: int
    x: int
    y: int
    width: int
    height: int
    part: dict[Literal["x", "y", "width", "height"], float]
    cell: int | None = None


class KitFrames(KitPart):
    """How an actor plays its `count` cells: `fps` a second of time, `offset` seconds in."""

    count: int
    fps: float
    offset: float
    play: Literal["cycle", "once", "to-and-fro"]


class KitLayer(KitPart, Sparse):
    """A layer in drawing order. `rate` and `framing` are all that plain sideways scrolling needs. `carriers` names what carries
    it, the inner first: each acts after the one before it."""

    later: ClassVar[frozenset[str]] = frozenset({"anchor", "carriers", "frames", "takes_focus", "backdrop"})

    id: str
    name: str
    rate: float
    depth: float | Literal["infinite"]
    framing: document.Framing
    tilt: document.Tilt
    opacity: float
    blend: Blend
    repeat: document.Repeat
    anchor: document.Anchor = document.Anchor()
    carriers: list[str] = Field(default=[])
    frames: KitFrames | None = None
    takes_focus: bool = True
    backdrop: document.Backdrop | None = None
    size: dict[Literal["width", "height"], int]
    sprites: list[KitSprite]


class KitCarrier(KitPart):
    """What carries layers, at rest: about the point `at` of the framing. Tracks of its id move it; where that is a layer's id,
    the layer's tracks move both."""

    id: str
    at: document.Place
    x: float
    y: float
    scale: float
    rotation: float
    opacity: float
    depth: float


class KitKey(KitPart):
    """A keyframe with its easing resolved: a cubic Bézier's four numbers, or "hold" or "jump"; None on the last."""

    at: float
    value: float
    ease: tuple[float, float, float, float] | Literal["hold", "jump"] | None


class KitTrack(KitPart):
    """A track as keys and as evenly spaced samples over its driver, `step` apart, the first at 0."""

    target: str
    channel: str
    driver: Literal["scroll", "time"]
    combine: Literal["add", "multiply"]
    keys: list[KitKey]
    step: float
    samples: list[float]


class KitOpen(KitPart):
    """An open lens: its `aperture` number at rest, `slope` and `near` as the kit's page uses them."""

    aperture: float
    slope: float
    near: float


class KitLens(KitPart, Sparse):
    """`distance` is the lens distance D in scene pixels; `angle_of_view` across, in degrees; `open` where it is no pinhole."""

    later: ClassVar[frozenset[str]] = frozenset({"open"})

    focal_length: float
    sensor_width: float
    distance: float
    angle_of_view: float
    open: KitOpen | None = None


class Kit(KitPart, Sparse):
    later: ClassVar[frozenset[str]] = frozenset({"carriers", "frame"})

    format: Literal["clinamen/kit"] = "clinamen/kit"
    version: Literal[1] = 1
    title: str
    view: document.View
    lens: KitLens
    pixels_per_metre: float
    camera: document.Camera
    drivers: dict[str, Any]
    pointer_frequency: float | None
    premultiplied: bool = False
    pages: list[KitPage]
    layers: list[KitLayer]
    carriers: list[KitCarrier] = Field(default=[])
    frame: document.Frame = document.Frame()
    tracks: list[KitTrack]
    model: str = "scene.glb"


def json_schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of kit.json."""
    schema = Kit.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Clinamen engine kit"}


class EngineKit(Export):
    id = "engine"
    name = "Engine kit"
    says = "kit.json with every number, packed atlas pages, and scene.glb."
    options = KitOptions

    def build(self, scene: Scene, shelf: ArtShelf, options: KitOptions, told: Told, more: More = ()) -> Files:
        return _build(scene, shelf, options, told)

    def leaves_out(self, scene: Scene) -> list[str]:
        lacks = gltf.leaves_out(scene)
        return [f"In scene.glb (kit.json has it all) {'; '.join(lacks)}"] if lacks else []


def build(scene: Scene, shelf: ArtShelf, options: KitOptions | None = None) -> Files:
    """The kit's files by path."""
    return _build(scene, shelf, options or KitOptions(), Told())


def _build(scene: Scene, shelf: ArtShelf, options: KitOptions, told: Told) -> Files:
    layers = visible(scene)
    by_id = {layer.id: layer for layer in layers}
    parts = dict(zip(by_id, told.each(list(by_id), lambda i: _part(scene, by_id[i], shelf), 0.0, 0.4), strict=True))
    cut = {layer.id: _sprites(layer, parts[layer.id][0], options) for layer in layers}
    alone = {layer.id for layer in layers if layer.repeats or (options.separate and not layer.frames)}
    packed = [sprite for layer in layers if layer.id not in alone for sprite in cut[layer.id]]
    images, spots = pack(packed, options.page_size, options.power_of_two)
    pages = [KitPage(file=f"pages/page-{i}.png", width=p.shape[1], height=p.shape[0]) for i, p in enumerate(images)]
    for layer in layers:
        if layer.id in alone:
            pixels = parts[layer.id][0]
            spots[cut[layer.id][0].id] = Spot(len(images), 0, 0)
            file = f"pages/{'repeat' if layer.repeats else 'layer'}-{len(images)}.png"
            pages.append(KitPage(file=file, width=pixels.shape[1], height=pixels.shape[0], wraps=layer.repeats))
            images.append(pixels)
    kit_layers = [_layer(scene, layer, parts[layer.id], cut[layer.id], spots) for layer in layers]
    kit = _kit(scene, options, pages, kit_layers)
    by_file = dict(zip((page.file for page in pages), images, strict=True))
    encoded = told.each(list(by_file), lambda file: encode_png(by_file[file]), 0.4, 0.9)
    files = dict(zip(by_file, encoded, strict=True))
    straight = files_of(pages, files)  # glTF knows no other
    if options.premultiplied:
        files |= {
            file: encode_png(np.rint(premultiply(image) * 255).astype(np.uint8)) for file, image in by_file.items()
        }
    cards = [_card(entry, images) for entry in kit_layers if entry.sprites]
    files["scene.glb"] = gltf.write(scene, cards, straight, options.pixels_per_metre)
    files["kit.json"] = kit.model_dump_json(indent=1).encode()
    if options.vectors:
        told.tell(0.9, "vectors.json")
        files |= vectors(scene, shelf)
    return files


def files_of(pages: list[KitPage], files: dict[str, bytes]) -> list[bytes]:
    """The pages' bytes in page order."""
    return [files[page.file] for page in pages]


Trimmed = tuple[np.ndarray[Any, Any], tuple[int, int, int, int]]


def _part(scene: Scene, layer: Layer, shelf: ArtShelf) -> Trimmed:
    """A layer's trimmed art at the size it is shown, and the box (left, top, right, bottom) of the art it holds."""
    use, finish = max(sharpest_use(scene, layer), 1e-3) * SPARE, finish_of(scene, layer)
    if layer.frames:
        return _cells(layer, shelf, use, finish)
    margin = finish.margin if finish else 0
    whole = (-margin, -margin, layer.art.width + margin, layer.art.height + margin)
    art = shelf.drawn(layer, use) if shelf.vector(layer) else shelf.pixels(layer)
    art = finish.work(art) if finish else art
    if shelf.vector(layer):
        return bled(art, BLED), whole
    box = (0, 0, layer.art.width, layer.art.height) if layer.repeats else trim_box(art)
    pixels = art[box[1] : box[3], box[0] : box[2]]
    share = min(1.0, use)
    width, height = int(np.ceil(pixels.shape[1] * share)), int(np.ceil(pixels.shape[0] * share))
    left, top, right, bottom = (side - margin for side in box)
    return bled(shrink(pixels, width, height), BLED), (left, top, right, bottom)


def _cells(layer: Layer, shelf: ArtShelf, use: float, finish: Finish | None) -> Trimmed:
    """An actor's cells, trimmed alike, below each other, and the box of the art that each holds."""
    cells, margin = finished_cells(finish, shelf.cells(layer)), finish.margin if finish else 0
    left, top, right, bottom = box = trim_box(cells.max(axis=0))
    share = min(1.0, use)
    width, height = max(1, int(np.ceil((right - left) * share))), max(1, int(np.ceil((bottom - top) * share)))
    small = [bled(shrink(cell[top:bottom, left:right], width, height), BLED) for cell in cells]
    left, top, right, bottom = (side - margin for side in box)
    return np.concatenate(small), (left, top, right, bottom)


def _sprites(layer: Layer, pixels: np.ndarray[Any, Any], options: KitOptions) -> list[Sprite]:
    """A layer's art as what is packed: whole, or the rectangles of it that show anything."""
    if layer.frames:
        parts = np.split(pixels, layer.frames.count)
        return [Sprite(f"{layer.id}/{n}", cell, (0, 0, cell.shape[1], cell.shape[0])) for n, cell in enumerate(parts)]
    if layer.repeats or options.separate or not options.trim:
        return [Sprite(layer.id, pixels)]
    return [Sprite(f"{layer.id}/{n}", pixels, box) for n, box in enumerate(rectangles(pixels[..., 3], PADDING))]


def _layer(scene: Scene, layer: Layer, part: Trimmed, cut: list[Sprite], spots: dict[str, Spot]) -> KitLayer:
    pixels, (left, top, right, bottom) = part
    high = pixels.shape[0] // (layer.frames.count if layer.frames else 1)
    across, down = (right - left) / pixels.shape[1], (bottom - top) / high  # art pixels a sprite's pixel
    sprites = []
    for number, sprite in enumerate(cut):
        spot, (x0, y0, x1, y1) = spots[sprite.id], sprite.place
        shows = {"x": left + x0 * across, "y": top + y0 * down, "width": (x1 - x0) * across, "height": (y1 - y0) * down}
        sprites.append(
            KitSprite(
                page=spot.page,
                x=spot.x,
                y=spot.y,
                width=x1 - x0,
                height=y1 - y0,
                part=shows,
                cell=number if layer.frames else None,
            )
        )
    return KitLayer(
        id=layer.id, name=layer.label, rate=rate_of(layer.depth, scene.lens_distance), depth=layer.depth,
        framing=layer.framing, tilt=layer.tilt, opacity=layer.opacity, blend=layer.blend, repeat=layer.repeat,
        frames=KitFrames(**layer.frames.model_dump(exclude={"columns", "rows"})) if layer.frames else None,
        anchor=layer.anchor, carriers=[bearer.id for bearer in document.bearers_of(scene, layer)], size={"width": layer.art.width,
        "height": layer.art.height}, sprites=sprites, takes_focus=layer.takes.focus,
        backdrop=document.frost_of(scene, layer),
    )  # fmt: skip


def _kit(scene: Scene, options: KitOptions, pages: list[KitPage], layers: list[KitLayer]) -> Kit:
    lens, pointer = scene.lens, scene.drivers.pointer
    motion = Motion(scene)
    carriers = _carriers(scene, motion)
    shown = dict.fromkeys(["camera", *(layer.id for layer in layers), *(carrier.id for carrier in carriers)])
    return Kit(
        title=scene.title,
        view=scene.view,
        lens=KitLens(
            focal_length=lens.focal_length,
            sensor_width=lens.sensor_width,
            distance=scene.lens_distance,
            angle_of_view=angle_of_view(lens.focal_length, lens.sensor_width),
            open=_open(scene),
        ),
        pixels_per_metre=options.pixels_per_metre,
        camera=scene.camera,
        drivers=scene.to_json()["drivers"],
        pointer_frequency=frequency(pointer.settle) if pointer and pointer.settle else None,
        premultiplied=options.premultiplied,
        pages=pages,
        layers=layers,
        carriers=carriers,
        frame=scene.frame,
        tracks=[KitTrack(**told) for target in shown for term in motion.own_terms(target) if (told := term.kit())],
    )


def _open(scene: Scene) -> KitOpen | None:
    if scene.lens.aperture is None:
        return None
    lens = lens_of(scene)
    return KitOpen(aperture=scene.lens.aperture, slope=lens.slope, near=lens.near)


def _carriers(scene: Scene, motion: Motion) -> list[KitCarrier]:
    """All that carries a layer that is shown."""
    found = dict[str, KitCarrier]()
    for layer in visible(scene):
        for by in motion.carriages(layer):
            at = document.Place(x=by.at[0], y=by.at[1])
            found[by.name] = KitCarrier(id=by.name, at=at, **{channel: mix.rest for channel, mix in by.mixes.items()})
    return list(found.values())


def _card(entry: KitLayer, images: list[Any]) -> gltf.Card:
    """The card of glTF."""
    cells, opaque = dict[int, list[gltf.Quad]](), True
    for sprite in entry.sprites:
        image, part = images[sprite.page], sprite.part
        height, width = image.shape[:2]
        right, bottom = sprite.x + sprite.width, sprite.y + sprite.height
        uv = (sprite.x / width, sprite.y / height, right / width, bottom / height)
        shows = (part["x"], part["y"], part["x"] + part["width"], part["y"] + part["height"])
        cells.setdefault(sprite.cell or 0, []).append(gltf.Quad(sprite.page, uv, shows))
        opaque = opaque and bool(image[sprite.y : bottom, sprite.x : right, 3].min() == 255)
    return gltf.Card(entry.id, {cell: tuple(quads) for cell, quads in cells.items()}, opaque)
