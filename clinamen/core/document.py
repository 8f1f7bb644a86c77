"""The scene document: everything about a scene except the pixels.

One set of models is read by the editor, the proof, every export and the command line; the JSON Schema is generated
from them. Unknown fields are refused with their path. This module must stay quick to import: no NumPy here.
"""

import json
import math
import re
from collections.abc import Iterable
from pathlib import PurePosixPath
from typing import Any, Literal

from pydantic import Field, ValidationError, field_serializer, field_validator, model_validator

from clinamen.core.errors import BadDocument, Problem
from clinamen.core.parts import MAX_ART_SIDE, Angle, Colour, Finite, LayerId, Part
from clinamen.core.prep.steps import Recipe

FORMAT: Literal["clinamen/scene"] = "clinamen/scene"
VERSION: Literal[1] = 1
MAX_LAYERS = 200
MAX_VIEW = 16384

CAMERA_CHANNELS = ("x", "y", "z", "pitch", "yaw", "roll", "zoom")
LAYER_CHANNELS = ("x", "y", "scale", "rotation", "lean", "turn", "opacity", "depth", "blur")
MULTIPLIED_CHANNELS = frozenset({"zoom", "scale", "opacity"})
EASING_NAMES = ("linear", "ease", "ease-in", "ease-out", "ease-in-out", "step-start", "step-end", "smooth", "hold")
BLEND_MODES = (
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion",
)  # fmt: skip

Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion",
]  # fmt: skip
Repetition = Literal["none", "tile", "mirror"]
EasingName = Literal["linear", "ease", "ease-in", "ease-out", "ease-in-out", "step-start", "step-end", "smooth", "hold"]


class View(Part):
    width: int = Field(default=1920, ge=1, le=MAX_VIEW)
    height: int = Field(default=1080, ge=1, le=MAX_VIEW)
    background: Colour = "#06222e"


class Lens(Part):
    """Focal length and sensor width in millimetres (36 mm: the full frame of handbooks)."""

    focal_length: float = Field(default=50.0, gt=0, le=10000)
    sensor_width: float = Field(default=36.0, gt=0, le=1000)


class Camera(Part):
    """The resting camera: position in scene pixels, angles in degrees, zoom a factor."""

    x: Finite = 0.0
    y: Finite = 0.0
    z: Finite = 0.0
    pitch: Angle = 0.0
    yaw: Angle = 0.0
    roll: Angle = 0.0
    zoom: float = Field(default=1.0, gt=0, le=1000)


class Art(Part):
    """The picture a layer shows: a file beside the document, and its size in art pixels (after the layer's recipe)."""

    file: str = Field(min_length=1, max_length=400)
    width: int = Field(ge=1, le=MAX_ART_SIDE)
    height: int = Field(ge=1, le=MAX_ART_SIDE)

    @field_validator("file")
    @classmethod
    def stays_inside(cls, value: str) -> str:
        path = PurePosixPath(value)
        outside = path.is_absolute() or ".." in path.parts or "\\" in value or "\0" in value
        if outside or re.match(r"^[A-Za-z][A-Za-z0-9+.-]*:", value):
            raise ValueError(f"must be a file beside the scene, not {value!r}; use a relative path without '..'")
        return value


class Framing(Part):
    """Where the layer sits as the resting camera sees it: view pixels from the view centre, degrees clockwise."""

    x: Finite = 0.0
    y: Finite = 0.0
    scale: float = Field(default=1.0, gt=0, le=10000)
    rotation: Finite = 0.0


class Tilt(Part):
    """How a layer stands, in degrees: `lean` back (90 lies on the floor), `turn` about its vertical axis."""

    lean: Angle = 0.0
    turn: Angle = 0.0


class Repeat(Part):
    x: Repetition = "none"
    y: Repetition = "none"


class Layer(Part):
    """`group` names the group a layer belongs to; groups within groups by " / ". `recipe`: what is done to the file."""

    id: LayerId
    name: str = Field(default="", max_length=200)
    group: str = Field(default="", max_length=200)
    art: Art
    recipe: Recipe | None = None
    depth: Finite | Literal["infinite"] = 0.0
    framing: Framing = Framing()
    tilt: Tilt = Tilt()
    opacity: float = Field(default=1.0, ge=0, le=1)
    blend: Blend = "normal"
    visible: bool = True
    repeat: Repeat = Repeat()

    @property
    def label(self) -> str:
        return self.name or self.id


class ScrollDriver(Part):
    """`length`: how many page pixels the scroll takes."""

    length: float = Field(default=4000, gt=0, le=1e6)


class PointerDriver(Part):
    """How far the pointer carries the camera (scene pixels at u, v = 1) and how long it takes to settle (seconds)."""

    reach_x: Finite = 60.0
    reach_y: Finite = 30.0
    settle: float = Field(default=0.35, ge=0, le=60)


class TimeDriver(Part):
    """`duration` in seconds, `fps` frames a second for rendered output, `loop`: begins again at the end."""

    duration: float = Field(default=12.0, gt=0, le=36000)
    fps: float = Field(default=25.0, gt=0, le=240)
    loop: bool = True


class Drivers(Part):
    """What moves the scene. A driver that is absent is off."""

    scroll: ScrollDriver | None = None
    pointer: PointerDriver | None = None
    time: TimeDriver | None = None

    @field_serializer("scroll", "pointer", "time")
    def _as_part(self, value: Part | None) -> dict[str, Any] | None:
        return None if value is None else value.model_dump()


class Key(Part):
    """A keyframe: `at` is progress 0…1 for scroll, seconds for time; `ease` runs from this key to the next."""

    at: float = Field(ge=0, le=36000)
    value: Finite
    ease: EasingName | tuple[float, float, float, float] = "linear"

    @field_validator("ease")
    @classmethod
    def runs_forward(cls, value: Any) -> Any:
        if not isinstance(value, str) and not (0 <= value[0] <= 1 and 0 <= value[2] <= 1):
            raise ValueError("the first and third number of a cubic-bezier must be within 0…1")
        return value


class Track(Part):
    """A channel's values over a driver; added to the resting channel (zoom, scale, opacity: multiplied)."""

    target: str
    channel: str
    driver: Literal["scroll", "time"]
    keys: tuple[Key, ...] = Field(min_length=1, max_length=10000)

    @model_validator(mode="after")
    def keys_in_order(self) -> "Track":
        allowed = CAMERA_CHANNELS if self.target == "camera" else LAYER_CHANNELS
        if self.channel not in allowed:
            raise ValueError(f"channel {self.channel!r} is not one of {', '.join(allowed)}")
        for before, after in zip(self.keys, self.keys[1:], strict=False):
            if after.at <= before.at:
                raise ValueError(f"keys must follow each other: {after.at} comes after {before.at}")
        if self.channel in MULTIPLIED_CHANNELS and any(key.value < 0 for key in self.keys):
            raise ValueError(f"{self.channel} multiplies, so its values must not be below 0")
        if self.channel in ("zoom", "scale") and any(key.value == 0 for key in self.keys):
            raise ValueError(f"{self.channel} multiplies, so its values must be above 0")
        return self


class Scene(Part):
    """A whole scene. `layers` stand in drawing order, first drawn first."""

    format: Literal["clinamen/scene"] = FORMAT
    version: Literal[1] = VERSION
    title: str = Field(default="Untitled scene", max_length=200)
    view: View = View()
    lens: Lens = Lens()
    camera: Camera = Camera()
    layers: tuple[Layer, ...] = Field(default=(), max_length=MAX_LAYERS)
    drivers: Drivers = Drivers()
    tracks: tuple[Track, ...] = Field(default=(), max_length=2000)

    @model_validator(mode="after")
    def hangs_together(self) -> "Scene":
        problems = [*_doubled_ids(self), *_layers_behind_eye(self), *_loose_tracks(self), *_wrong_recipes(self)]
        if problems:
            raise ValueError("\n".join(f"@{problem.path}@{problem.message}" for problem in problems))
        return self

    @property
    def lens_distance(self) -> float:
        """D in scene pixels: view width · focal length / sensor width (pinhole model)."""
        return self.view.width * self.lens.focal_length / self.lens.sensor_width

    def layer(self, layer_id: str) -> Layer:
        """The layer with this id; KeyError if there is none."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise KeyError(layer_id)

    def to_json(self) -> dict[str, Any]:
        """The document as plain JSON data, absent drivers and recipes left out."""
        data = self.model_dump(mode="json")
        data["drivers"] = {name: value for name, value in data["drivers"].items() if value is not None}
        for layer in data["layers"]:
            if layer["recipe"] is None:
                del layer["recipe"]
        return data


def _doubled_ids(scene: Scene) -> Iterable[Problem]:
    seen: set[str] = set()
    for index, layer in enumerate(scene.layers):
        if layer.id in seen:
            yield Problem(f"layers[{index}].id", f"{layer.id!r} is used twice; every layer needs an id of its own")
        if layer.id == "camera":
            yield Problem(f"layers[{index}].id", "'camera' names the camera; choose another id")
        seen.add(layer.id)


def _layers_behind_eye(scene: Scene) -> Iterable[Problem]:
    limit = -scene.lens_distance
    for index, layer in enumerate(scene.layers):
        if layer.depth == "infinite":
            continue
        lowest = layer.depth + sum(
            min(key.value for key in track.keys)
            for track in scene.tracks
            if track.target == layer.id and track.channel == "depth"
        )
        if lowest <= limit:
            yield Problem(
                f"layers[{index}].depth",
                f"{lowest:g} would be at or behind the camera; the depth must be greater than {limit:.2f} with this lens",
            )


def _loose_tracks(scene: Scene) -> Iterable[Problem]:
    ids = {layer.id for layer in scene.layers}
    for index, track in enumerate(scene.tracks):
        if track.target != "camera" and track.target not in ids:
            yield Problem(
                f"tracks[{index}].target", f"there is no layer {track.target!r}; name a layer's id or 'camera'"
            )
        end = 1.0 if track.driver == "scroll" else scene.drivers.time.duration if scene.drivers.time else math.inf
        if track.keys[-1].at > end:
            path = f"tracks[{index}].keys[{len(track.keys) - 1}].at"
            yield Problem(path, f"{track.keys[-1].at:g} lies past the end of the {track.driver} driver at {end:g}")


def _wrong_recipes(scene: Scene) -> Iterable[Problem]:
    layers = {layer.id: layer for layer in scene.layers}
    for index, layer in enumerate(scene.layers):
        if layer.recipe is None:
            continue
        made = layer.recipe.final
        if (made.width, made.height) != (layer.art.width, layer.art.height):
            size = f"{layer.art.width} × {layer.art.height} px"
            message = f"{size} is not the {made.width} × {made.height} px that its recipe makes; correct the size"
            yield Problem(f"layers[{index}].art", message)
        for other in sorted(layer.recipe.looks_at):
            if other not in layers:
                message = f"there is no layer {other!r} to look at; name another or take the step out"
                yield Problem(f"layers[{index}].recipe", message)
            elif _looks_back(layers, other, layer.id):
                message = f"looks at {other!r}, which looks back at this layer; one of them must not"
                yield Problem(f"layers[{index}].recipe", message)


def _looks_back(layers: dict[str, Layer], start: str, target: str) -> bool:
    """True when the art of `start` depends on that of `target`."""
    seen, ahead = set[str](), [start]
    while ahead:
        layer_id = ahead.pop()
        if layer_id == target:
            return True
        recipe = layers[layer_id].recipe if layer_id in layers else None
        if recipe is not None and layer_id not in seen:
            ahead += recipe.looks_at
        seen.add(layer_id)
    return False


def parse(data: Any, source: str = "") -> Scene:
    """Read a document from JSON data, migrating an older version; BadDocument lists every problem with its path."""
    if not isinstance(data, dict):
        raise BadDocument([Problem("", "a scene document must be a JSON object")], source)
    try:
        return Scene.model_validate(migrate(data, source))
    except ValidationError as error:
        raise BadDocument(list(_problems(error)), source) from None


def parse_text(text: str | bytes, source: str = "") -> Scene:
    """Read a document from JSON text."""
    try:
        data = json.loads(text, parse_constant=_no_constant)
    except (ValueError, RecursionError) as error:
        raise BadDocument([Problem("", f"not valid JSON ({error}); save it again as JSON in UTF-8")], source) from None
    return parse(data, source)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number in JSON")


def migrate(data: dict[str, Any], source: str = "") -> dict[str, Any]:
    """Bring an older document up to the current version; a newer one is refused. Version 1 is the first."""
    version = data.get("version", VERSION)
    if data.get("format", FORMAT) != FORMAT:
        raise BadDocument([Problem("format", f"must be {FORMAT!r}, not {data['format']!r}")], source)
    if isinstance(version, int) and version > VERSION:
        message = f"version {version} is newer than this program reads ({VERSION}); update Clinamen"
        raise BadDocument([Problem("version", message)], source)
    return data


def _problems(error: ValidationError) -> Iterable[Problem]:
    for item in error.errors(include_url=False):
        path = _path(item["loc"])
        message = item["msg"].removeprefix("Value error, ")
        if message.startswith("@"):
            for line in message.split("\n"):
                _, inner, text = line.split("@", 2)
                yield Problem(inner, text)
        elif item["type"] == "extra_forbidden":
            yield Problem(path, "this field is not known; remove it or correct its name")
        elif item["type"] == "missing":
            yield Problem(path, "this field is missing")
        else:
            yield Problem(path, f"{message[:1].lower()}{message[1:]}, not {_short(item.get('input'))}")


def _path(loc: tuple[int | str, ...]) -> str:
    path = ""
    for step in loc:
        if isinstance(step, int):
            path += f"[{step}]"
        elif not re.match(r"^(function-|literal\[|tuple\[|float$|constrained-|nullable)", step):
            path += f".{step}" if path else step
    return path


def _short(value: Any) -> str:
    text = json.dumps(value, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


def json_schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the document."""
    schema = Scene.model_json_schema(mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Clinamen scene"}
