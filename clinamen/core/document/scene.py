"""The scene document: everything about a scene except the pixels, and what must hang together in it.

One set of models is read by the editor, the proof, every export and the command line; the JSON Schema is generated
from them. This package must stay quick to import: no NumPy here.
"""

import json
import math
from collections.abc import Iterable
from typing import Any, ClassVar, Literal

from pydantic import Field, model_validator

from clinamen.core.document.accepted import Accepted
from clinamen.core.document.carrying import Carrier, Group, bearers_of, seen_layers, wrong_carrying
from clinamen.core.document.ground import Ground
from clinamen.core.document.layer import Layer
from clinamen.core.document.look import Air, Film, Frame, Light
from clinamen.core.document.motion import Drivers, Track
from clinamen.core.errors import Problem
from clinamen.core.made.fontfile import FontFile
from clinamen.core.made.kinds import Words
from clinamen.core.parts import Angle, Colour, Finite, Part, Sparse

FORMAT: Literal["clinamen/scene"] = "clinamen/scene"
VERSION: Literal[1] = 1
MAX_LAYERS = 200
MAX_VIEW = 16384
MAX_VIEW_PIXELS = 64_000_000
MOST_KEYS = 20_000  # of all tracks together
MOST_SWINGS = 400  # of a drift over a scene's duration
NEAREST = 1e-4  # of the lens distance: as close as a layer may come to the camera, where its rate is 10 000


class View(Part):
    width: int = Field(default=1920, ge=1, le=MAX_VIEW)
    height: int = Field(default=1080, ge=1, le=MAX_VIEW)
    background: Colour = "#06222e"

    @model_validator(mode="after")
    def can_be_drawn(self) -> "View":
        if self.width * self.height > MAX_VIEW_PIXELS:
            raise ValueError(f"{self.width} × {self.height} px is more than 64 megapixels; make it smaller")
        return self


class Lens(Sparse):
    """Focal length and sensor width in millimetres (36 mm: the full frame of handbooks). `aperture` is the aperture number N;
    null is a pinhole, through which nothing is soft. `pixels_per_metre` says how large the scene is, for softness alone;
    `confusion` is the diameter in view pixels of the disc that still passes for a point."""

    later: ClassVar[frozenset[str]] = frozenset({"aperture", "pixels_per_metre", "confusion"})

    focal_length: float = Field(default=50.0, gt=0, le=10000)
    sensor_width: float = Field(default=36.0, gt=0, le=1000)
    aperture: float | None = Field(default=None, gt=0, le=1e9)
    pixels_per_metre: float = Field(default=100.0, gt=0, le=1e6)
    confusion: float = Field(default=4.0, gt=0, le=1000)


class Target(Part):
    """What the camera goes round: a place as the resting camera sees it (view pixels from the view's centre) at a depth."""

    x: Finite = 0.0
    y: Finite = 0.0
    depth: Finite = 0.0


class Camera(Sparse):
    """The resting camera: position in scene pixels, angles in degrees, zoom a factor; `arc` and `crane` take it round the
    target, to the left of it and below it where they are positive; `focus` is the rate of what the lens is focused on."""

    x: Finite = 0.0
    y: Finite = 0.0
    z: Finite = 0.0
    pitch: Angle = 0.0
    yaw: Angle = 0.0
    roll: Angle = 0.0
    later: ClassVar[frozenset[str]] = frozenset({"target", "arc", "crane", "focus"})

    zoom: float = Field(default=1.0, gt=0, le=1000)
    target: Target = Target()
    arc: Angle = 0.0
    crane: Angle = 0.0
    focus: float = Field(default=1.0, ge=0, le=1e3)


Purpose = Literal["any", "page", "game", "film"]


class Scene(Sparse):
    """A whole scene. `layers` stand in drawing order, first drawn first. `purpose` says what is made of it: a film is shot once,
    with nobody's pointer before it, so that the proof asks nothing of loops and of the pointer."""

    later: ClassVar[frozenset[str]] = frozenset(
        {"accepted", "air", "carriers", "film", "frame", "ground", "groups", "light", "purpose"}
    )

    format: Literal["clinamen/scene"] = FORMAT
    version: Literal[1] = VERSION
    title: str = Field(default="Untitled scene", max_length=200)
    description: str = Field(default="", max_length=2000)
    purpose: Purpose = "any"
    view: View = View()
    lens: Lens = Lens()
    camera: Camera = Camera()
    air: Air = Air()
    light: Light = Light()
    film: Film = Film()
    frame: Frame = Frame()
    ground: Ground = Ground()
    carriers: tuple[Carrier, ...] = Field(default=(), max_length=MAX_LAYERS)
    groups: tuple[Group, ...] = Field(default=(), max_length=MAX_LAYERS)
    layers: tuple[Layer, ...] = Field(default=(), max_length=MAX_LAYERS)
    drivers: Drivers = Drivers()
    tracks: tuple[Track, ...] = Field(default=(), max_length=2000)
    accepted: tuple[Accepted, ...] = Field(default=(), max_length=2000)

    @model_validator(mode="after")
    def hangs_together(self) -> "Scene":
        problems = [
            *_doubled_ids(self), *_layers_behind_eye(self), *_target_behind_eye(self), *_loose_tracks(self),
            *_doubled_tracks(self), *_too_many_keys(self), *_wrong_recipes(self), *wrong_carrying(self), *_wrong_made(self),
        ]  # fmt: skip
        if problems:
            raise ValueError("\n".join(f"@{problem.path}@{problem.message}" for problem in problems))
        return self

    @property
    def lens_distance(self) -> float:
        """D in scene pixels: view width · focal length / sensor width (pinhole model)."""
        return self.view.width * self.lens.focal_length / self.lens.sensor_width

    @property
    def fonts(self) -> tuple[FontFile, ...]:
        """The fonts that were brought in and words are set in, each once."""
        words = (layer.art.made for layer in self.layers if isinstance(layer.art.made, Words))
        return tuple({made.font.sha256: made.font for made in words if made.font is not None}.values())

    def layer(self, layer_id: str) -> Layer:
        """The layer with this id; KeyError if there is none."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise KeyError(layer_id)

    def to_json(self) -> dict[str, Any]:
        """The document as plain JSON data, absent drivers and recipes left out."""
        data: dict[str, Any] = json.loads(self.as_json)
        data["drivers"] = {name: value for name, value in data["drivers"].items() if value is not None}
        for layer in data["layers"]:
            if layer["recipe"] is None:
                del layer["recipe"]
        return data


def sharing(made: Scene, before: Scene) -> Scene:
    """The same scene, in which parts and layers that are as they were `before` are the very same objects: what is remembered of
    them stays. Tracks are left: there may be many, and to compare them would take longer than it saves."""
    known = {layer.id: layer for layer in before.layers}
    layers = tuple(known[layer.id] if known.get(layer.id) == layer else layer for layer in made.layers)
    parts = ((name, getattr(made, name), getattr(before, name)) for name in Scene.model_fields)
    return made.model_copy(update={name: old for name, new, old in parts if isinstance(new, Part) and new == old}
                           | {"layers": layers})  # fmt: skip


def described(scene: Scene) -> str:
    """What the scene shows, for who cannot see it: its own description, or one made of the layers' names, nearest first."""
    if scene.description:
        return scene.description
    names = [layer.label for layer in reversed(seen_layers(scene))]
    if not names:
        return scene.title
    return f"{scene.title}: {', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else f"{scene.title}: {names[0]}"


def _doubled_ids(scene: Scene) -> Iterable[Problem]:
    seen: set[str] = set()
    for index, layer in enumerate(scene.layers):
        if layer.id in seen:
            yield Problem(f"layers[{index}].id", f"{layer.id!r} is used twice; every layer needs an id of its own")
        if layer.id == "camera":
            yield Problem(f"layers[{index}].id", "'camera' names the camera; choose another id")
        seen.add(layer.id)


def nearest_depths(scene: Scene) -> Iterable[tuple[int, Layer, float]]:
    """Every layer that is not infinitely far with its index and the least depth that it comes to, by itself and carried."""
    lows: dict[str, float] = {}  # how far tracks bring a layer or carrier forward
    for track in scene.tracks:
        if track.channel == "depth":
            low = -track.drift.reach if track.drift else min(key.value for key in track.keys)
            lows[track.target] = lows.get(track.target, 0.0) + low
    for index, layer in enumerate(scene.layers):
        if layer.depth == "infinite":
            continue
        lowest = layer.depth + lows.get(layer.id, 0.0)
        for bearer in bearers_of(scene, layer):
            lowest += lows.get(bearer.id, 0.0) + (bearer.depth if isinstance(bearer, Carrier) else 0.0)
        yield index, layer, lowest


def _layers_behind_eye(scene: Scene) -> Iterable[Problem]:
    limit = -scene.lens_distance * (1 - NEAREST)
    for index, _, lowest in nearest_depths(scene):
        if lowest <= limit:
            yield Problem(
                f"layers[{index}].depth",
                f"{lowest:g} would be at or behind the camera, or all but touch it; the depth must be greater than "
                f"{limit:.2f} with this lens",
            )


def _target_behind_eye(scene: Scene) -> Iterable[Problem]:
    limit = -scene.lens_distance * (1 - NEAREST)
    if scene.camera.target.depth <= limit:
        says = f"{scene.camera.target.depth:g} would be at or behind the camera; the depth must be greater than {limit:.2f}"
        yield Problem("camera.target.depth", says)


def _loose_tracks(scene: Scene) -> Iterable[Problem]:
    ids = {*(layer.id for layer in scene.layers), *(carrier.id for carrier in scene.carriers)}
    for index, track in enumerate(scene.tracks):
        if track.target != "camera" and track.target not in ids:
            yield Problem(
                f"tracks[{index}].target",
                f"there is no layer or carrier {track.target!r}; name the id of one, or 'camera'",
            )
        end = 1.0 if track.driver == "scroll" else scene.drivers.time.duration if scene.drivers.time else math.inf
        if track.drift is not None and track.drift.pace * end > MOST_SWINGS and math.isfinite(end):
            says = f"{track.drift.pace:g} Hz over {end:g} s is more than {MOST_SWINGS} swings; lower the pace or the duration"
            yield Problem(f"tracks[{index}].drift.pace", says)
        if track.keys and track.keys[-1].at > end:
            path = f"tracks[{index}].keys[{len(track.keys) - 1}].at"
            yield Problem(path, f"{track.keys[-1].at:g} lies past the end of the {track.driver} driver at {end:g}")


def _too_many_keys(scene: Scene) -> Iterable[Problem]:
    count = sum(len(track.keys) for track in scene.tracks)
    if count > MOST_KEYS:
        says = f"hold {count} keys together, and a scene holds at most {MOST_KEYS}; take out those that change nothing"
        yield Problem("tracks", says)


def _doubled_tracks(scene: Scene) -> Iterable[Problem]:
    first: dict[tuple[str, ...], int] = {}
    for index, track in enumerate(scene.tracks):
        if track.name in first:
            message = f"{' '.join(track.name)} has a track already (tracks[{first[track.name]}]); put them into one"
            yield Problem(f"tracks[{index}]", message)
        first.setdefault(track.name, index)


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


def _wrong_made(scene: Scene) -> Iterable[Problem]:
    layers = {layer.id: layer for layer in scene.layers}
    for index, layer in enumerate(scene.layers):
        other = layer.art.made.looks_at() if layer.art.made else None
        if other is None:
            continue
        path = f"layers[{index}].art.made.of"
        if other not in layers:
            yield Problem(path, f"there is no layer {other!r} to throw a shadow; name another")
        elif (own := layers[other].art.made) is not None and own.looks_at():
            yield Problem(path, f"{other!r} is a shadow itself; name the layer that throws it")


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
