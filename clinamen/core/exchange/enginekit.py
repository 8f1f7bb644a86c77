"""The engine kit: kit.json with every number an engine needs, packed atlas pages, and scene.glb.

kit.json follows the models below; their JSON Schema ships in docs/kit.schema.json.
"""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from clinamen.core import document
from clinamen.core.artshelf import ArtShelf
from clinamen.core.artwork import encode_png, shrink, trim_box
from clinamen.core.document import Layer, Scene
from clinamen.core.errors import BadEdit
from clinamen.core.exchange import gltf
from clinamen.core.exchange.atlas import Spot, Sprite, pack
from clinamen.core.exchange.webpage import bleed
from clinamen.core.motion.settling import frequency
from clinamen.core.motion.tracks import Curve, pieces_of
from clinamen.core.optics import angle_of_view, rate_of
from clinamen.core.sharpness import sharpest_use

SAMPLES = 256  # steps of a sampled track over its driver
SPARE = 1.02


@dataclass(frozen=True)
class KitOptions:
    """`pixels_per_metre`: scene pixels in a metre; `page_size`: longest side of a page; `power_of_two`: page sides."""

    pixels_per_metre: float = 100.0
    page_size: int = 4096
    power_of_two: bool = False


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class KitPage(Part):
    """An atlas page; `wraps` marks one that holds a single repeating sprite without padding."""

    file: str
    width: int
    height: int
    wraps: bool = False


class KitSprite(Part):
    """Where a layer's trimmed art stands on its page (page pixels), and which part of the art that is (art pixels)."""

    page: int
    x: int
    y: int
    width: int
    height: int
    part: dict[Literal["x", "y", "width", "height"], int]


class KitLayer(Part):
    """A layer in drawing order. `rate` and `framing` are all that plain sideways scrolling needs."""

    id: str
    name: str
    rate: float
    depth: float | Literal["infinite"]
    framing: document.Framing
    tilt: document.Tilt
    opacity: float
    blend: str
    repeat: document.Repeat
    size: dict[Literal["width", "height"], int]
    sprite: KitSprite


class KitKey(Part):
    """A keyframe with its easing resolved: a cubic Bézier's four numbers, or "hold" or "jump"; None on the last."""

    at: float
    value: float
    ease: tuple[float, float, float, float] | Literal["hold", "jump"] | None


class KitTrack(Part):
    """A track as keys and as evenly spaced samples over its driver, `step` apart, the first at 0."""

    target: str
    channel: str
    driver: Literal["scroll", "time"]
    combine: Literal["add", "multiply"]
    keys: list[KitKey]
    step: float
    samples: list[float]


class KitLens(Part):
    """`distance` is the lens distance D in scene pixels; `angle_of_view` across, in degrees."""

    focal_length: float
    sensor_width: float
    distance: float
    angle_of_view: float


class Kit(Part):
    format: Literal["clinamen/kit"] = "clinamen/kit"
    version: Literal[1] = 1
    title: str
    view: document.View
    lens: KitLens
    pixels_per_metre: float
    camera: document.Camera
    drivers: dict[str, Any]
    pointer_frequency: float | None
    pages: list[KitPage]
    layers: list[KitLayer]
    tracks: list[KitTrack]
    model: str = "scene.glb"


def json_schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of kit.json."""
    schema = Kit.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Clinamen engine kit"}


def build(scene: Scene, shelf: ArtShelf, options: KitOptions | None = None) -> dict[str, bytes]:
    """The kit's files by path."""
    options = options or KitOptions()
    if not (64 <= options.page_size <= 16384 and options.pixels_per_metre > 0):
        raise BadEdit("engine kit: the page size must be 64 to 16384, the pixels per metre above 0")
    layers = [layer for layer in scene.layers if layer.visible]
    parts = {layer.id: _part(scene, layer, shelf) for layer in layers}
    packed = [Sprite(layer.id, parts[layer.id][0]) for layer in layers if not _repeats(layer)]
    images, spots = pack(packed, options.page_size, options.power_of_two)
    pages = [KitPage(file=f"pages/page-{i}.png", width=p.shape[1], height=p.shape[0]) for i, p in enumerate(images)]
    for layer in layers:
        if _repeats(layer):
            pixels = parts[layer.id][0]
            spots[layer.id] = Spot(len(images), 0, 0)
            file = f"pages/repeat-{len(images)}.png"
            pages.append(KitPage(file=file, width=pixels.shape[1], height=pixels.shape[0], wraps=True))
            images.append(pixels)
    kit_layers = [_layer(scene, layer, parts[layer.id], spots[layer.id]) for layer in layers]
    kit = _kit(scene, options, pages, kit_layers)
    files = {page.file: encode_png(image) for page, image in zip(pages, images, strict=True)}
    files["scene.glb"] = gltf.write(scene, [_sheet(entry, images) for entry in kit_layers], files_of(pages, files),
                                    options.pixels_per_metre)  # fmt: skip
    files["kit.json"] = kit.model_dump_json(indent=1).encode()
    return files


def files_of(pages: list[KitPage], files: dict[str, bytes]) -> list[bytes]:
    """The pages' bytes in page order."""
    return [files[page.file] for page in pages]


def _repeats(layer: Layer) -> bool:
    return layer.repeat.x != "none" or layer.repeat.y != "none"


Trimmed = tuple[np.ndarray[Any, Any], tuple[int, int, int, int]]


def _part(scene: Scene, layer: Layer, shelf: ArtShelf) -> Trimmed:
    """A layer's trimmed art at the size it is shown, and the box (left, top, right, bottom) of the art it holds."""
    use = max(sharpest_use(scene, layer), 1e-3) * SPARE
    if shelf.vector(layer):
        return bleed(shelf.drawn(layer, use)), (0, 0, layer.art.width, layer.art.height)
    art = shelf.pixels(layer)
    box = (0, 0, layer.art.width, layer.art.height) if _repeats(layer) else trim_box(art)
    pixels = art[box[1] : box[3], box[0] : box[2]]
    share = min(1.0, use)
    width, height = int(np.ceil(pixels.shape[1] * share)), int(np.ceil(pixels.shape[0] * share))
    return bleed(shrink(pixels, width, height)), box


def _layer(scene: Scene, layer: Layer, part: Trimmed, spot: Spot) -> KitLayer:
    pixels, (left, top, right, bottom) = part
    sprite = KitSprite(
        page=spot.page, x=spot.x, y=spot.y, width=pixels.shape[1], height=pixels.shape[0],
        part={"x": left, "y": top, "width": right - left, "height": bottom - top},
    )  # fmt: skip
    return KitLayer(
        id=layer.id, name=layer.label, rate=rate_of(layer.depth, scene.lens_distance), depth=layer.depth,
        framing=layer.framing, tilt=layer.tilt, opacity=layer.opacity, blend=layer.blend, repeat=layer.repeat,
        size={"width": layer.art.width, "height": layer.art.height}, sprite=sprite,
    )  # fmt: skip


def _kit(scene: Scene, options: KitOptions, pages: list[KitPage], layers: list[KitLayer]) -> Kit:
    lens, pointer = scene.lens, scene.drivers.pointer
    shown = {"camera", *(layer.id for layer in layers)}
    return Kit(
        title=scene.title,
        view=scene.view,
        lens=KitLens(
            focal_length=lens.focal_length,
            sensor_width=lens.sensor_width,
            distance=scene.lens_distance,
            angle_of_view=angle_of_view(lens.focal_length, lens.sensor_width),
        ),
        pixels_per_metre=options.pixels_per_metre,
        camera=scene.camera,
        drivers=scene.to_json()["drivers"],
        pointer_frequency=frequency(pointer.settle) if pointer and pointer.settle else None,
        pages=pages,
        layers=layers,
        tracks=[_track(scene, t) for t in scene.tracks if t.target in shown and getattr(scene.drivers, t.driver)],
    )


def _track(scene: Scene, track: document.Track) -> KitTrack:
    end = 1.0 if track.driver == "scroll" or scene.drivers.time is None else scene.drivers.time.duration
    eases: list[Any] = [
        piece.handles if piece.handles else ("jump" if piece.jumps_at_start else "hold") for piece in pieces_of(track)
    ]
    keys = [KitKey(at=k.at, value=k.value, ease=e) for k, e in zip(track.keys, [*eases, None], strict=True)]
    values = Curve(track).value(np.linspace(0, end, SAMPLES + 1))
    return KitTrack(
        target=track.target,
        channel=track.channel,
        driver=track.driver,
        combine="multiply" if track.channel in document.MULTIPLIED_CHANNELS else "add",
        keys=keys,
        step=end / SAMPLES,
        samples=[round(float(value), 6) for value in values],
    )


def _sheet(entry: KitLayer, images: list[Any]) -> gltf.Sheet:
    sprite, image = entry.sprite, images[entry.sprite.page]
    box = (sprite.x, sprite.y, sprite.x + sprite.width, sprite.y + sprite.height)
    uv = (box[0] / image.shape[1], box[1] / image.shape[0], box[2] / image.shape[1], box[3] / image.shape[0])
    part = sprite.part
    whole = (part["x"], part["y"], part["x"] + part["width"], part["y"] + part["height"])
    cut = image[box[1] : box[3], box[0] : box[2], 3]
    return gltf.Sheet(entry.id, sprite.page, uv, whole, bool(cut.min() == 255))
