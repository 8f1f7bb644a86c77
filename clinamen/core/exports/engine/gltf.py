"""scene.glb: the scene as glTF 2.0, unlit textured sheets standing at their true depths before a perspective camera.

glTF has y up and looks along −z, so a point (x, y, z) of the scene is (x, −y, −z) divided by the pixels of a metre; the
eye at its zero position is the origin. A sheet at rate k stands at (x, y, D)/k and is s/k large: it covers what its
framing says. What is infinitely far hangs on the node "far", which goes wherever the camera goes without turning. The view's
background is a sheet of one colour behind all others, fixed to the camera. Opacity at rest stands in the materials; opacity and
zoom that change are animated by KHR_animation_pointer, which an engine without it passes over: it shows them at rest.
Sources: glTF 2.0 (Khronos), KHR_materials_unlit, KHR_animation_pointer, IEC 61966-2-1 (sRGB).
"""

import struct
from dataclasses import dataclass
from typing import Any

import numpy as np
import pygltflib as g

from clinamen import __version__
from clinamen.core.arrays import Floats
from clinamen.core.bounds.needs import Needs
from clinamen.core.document import Frame, Frames, Layer, Scene, frost_of, own_softness, seen_layers
from clinamen.core.motion.cells import cell_at, resting_cell
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import States
from clinamen.core.optics import rate_of
from clinamen.core.raster import background
from clinamen.core.stage import Staged, stage
from clinamen.core.stage.formula import shaped

SCROLL_SECONDS = 10.0  # glTF animations run in seconds: the whole scroll is this long
STEPS = 120  # evenly spaced samples of an animation, besides its keys
FAR_FACTOR = 20.0  # infinitely far sheets stand this many times farther than the farthest other one
FAR_STEP = 0.99  # each later drawn one a little nearer, so that depth sorting keeps the drawing order
NEAR_SHARE = 0.02
MOST_TILES = 24
POINTER = "KHR_animation_pointer"
BEHIND_ALL = 1.5  # how many times farther than the farthest sheet the background stands
WIDEST_ZOOM = 8.0  # the background covers the view down to a zoom of one in so many
WRAPS = {"none": g.CLAMP_TO_EDGE, "tile": g.REPEAT, "mirror": g.MIRRORED_REPEAT}
_FLIP = np.diag([1.0, -1.0, -1.0])


@dataclass(frozen=True)
class Quad:
    """A rectangle of a layer's picture: `page` and `uv` (left, top, right, bottom, 0…1) of it, and the art's `part` it shows."""

    page: int
    uv: tuple[float, float, float, float]
    part: tuple[float, float, float, float]


@dataclass(frozen=True)
class Card:
    """A layer's picture in rectangles, an actor's by cell; opaque?"""

    id: str
    cells: dict[int, tuple[Quad, ...]]
    opaque: bool

    @property
    def pages(self) -> list[int]:
        """The pages that they stand on, in order."""
        return sorted({quad.page for quads in self.cells.values() for quad in quads})


def leaves_out(scene: Scene) -> list[str]:
    """What glTF has no words for, a sentence for each."""
    said = []
    blended = [layer.label for layer in seen_layers(scene) if layer.blend != "normal"]
    if blended:
        said.append(f"blend modes are left out ({', '.join(blended)} drawn normally)")
    moved = {track.channel for track in scene.tracks if scene.drivers.is_on(track.driver)}
    words = {"opacity": "opacity that changes", "zoom": "zoom that changes"}
    pointed = [word for channel, word in words.items() if channel in moved]
    if pointed:
        said.append(f"{' and '.join(pointed)} needs {POINTER} (without it: as at rest)")
    soft = any(own_softness(scene, x) for x in seen_layers(scene))
    if soft or "blur" in moved or (scene.lens.aperture is not None and any(x.takes.focus for x in seen_layers(scene))):
        said.append("softness is left out there")
    if any(frost_of(scene, x) for x in seen_layers(scene)):
        said.append("frost is left out there")
    if scene.frame != Frame():
        said.append("the frame is left out there")
    rates = [rate_of(layer.depth, scene.lens_distance) for layer in seen_layers(scene)]
    if any(before > after for before, after in zip(rates, rates[1:], strict=False)):
        said.append(
            "an engine that sorts by distance draws some layers in another order (extras.drawing_order has ours)"
        )
    acting = any(layer.frames for layer in seen_layers(scene))
    if scene.drivers.time and (acting or any(track.driver == "time" for track in scene.tracks)):
        said.append("the engine sets whether time begins again")
    if scene.drivers.pointer:
        said.append("the pointer moves nothing there")
    if any(piece.ease in ("hold", "step-start", "step-end") for track in scene.tracks for piece in track.keys[:-1]):
        said.append("jumps between keys become short ramps")
    return said


class _Bin:
    """The binary chunk and its views."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.views: list[Any] = []
        self.accessors: list[Any] = []

    def view(self, data: bytes, target: int | None = None) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        self.views.append(g.BufferView(buffer=0, byteOffset=len(self.data), byteLength=len(data), target=target))
        self.data += data
        return len(self.views) - 1

    def floats(self, values: Floats, kind: str, target: int | None = None) -> int:
        values = np.asarray(values, dtype=np.float32)
        rows = values.reshape(len(values), -1)
        view = self.view(values.tobytes(), target)
        self.accessors.append(
            g.Accessor(
                bufferView=view,
                componentType=g.FLOAT,
                count=len(values),
                type=kind,
                min=rows.min(axis=0).tolist(),
                max=rows.max(axis=0).tolist(),
            )
        )
        return len(self.accessors) - 1

    def indices(self, values: list[int]) -> int:
        view = self.view(struct.pack(f"<{len(values)}H", *values), g.ELEMENT_ARRAY_BUFFER)
        accessor = g.Accessor(bufferView=view, componentType=g.UNSIGNED_SHORT, count=len(values), type=g.SCALAR)
        self.accessors.append(accessor)
        return len(self.accessors) - 1


def write(scene: Scene, sheets: list[Card], pages: list[bytes], pixels_per_metre: float) -> bytes:
    """The .glb's bytes; `pages` are PNG files, `sheets` in drawing order."""
    return _Writer(scene, sheets, pages, pixels_per_metre).write()


class _Writer:
    def __init__(self, scene: Scene, sheets: list[Card], pages: list[bytes], pixels_per_metre: float) -> None:
        self.scene, self.sheets, self.pages, self.metre = scene, sheets, pages, pixels_per_metre
        self.layers = [scene.layer(sheet.id) for sheet in sheets]
        self.motion = Motion(scene)
        self.materials_of: dict[str, list[int]] = {}
        self.cell_nodes: dict[str, dict[int, int]] = {}
        self.bin = _Bin()
        self.file = g.GLTF2(asset=g.Asset(version="2.0", generator=f"Clinamen {__version__}"))
        self.file.extensionsUsed = ["KHR_materials_unlit"]
        farthest = min((rate_of(x.depth, scene.lens_distance) for x in self.layers if self._finite(x)), default=1.0)
        self.far = FAR_FACTOR / farthest

    @staticmethod
    def _finite(layer: Layer) -> bool:
        return layer.depth != "infinite"

    def write(self) -> bytes:
        self.rest = stage(self.scene, States.still(1), self.motion)
        eye, turn = self._camera_pose(self.rest)
        self.camera_node = self._add_node("camera", eye[0], _quaternions(turn)[0])
        self.file.nodes[self.camera_node].camera = 0
        self.file.cameras = [self._camera()]
        roots, self.sheet_nodes = [self.camera_node], {}
        self.far_node: int | None = None
        if not all(self._finite(layer) for layer in self.layers):
            self.far_node = self._add_node("far", eye[0])
            self.file.nodes[self.far_node].children = []
            roots.append(self.far_node)
        self._textures()
        self._background()
        for index, (sheet, layer) in enumerate(zip(self.sheets, self.layers, strict=True)):
            node = self.sheet_nodes[layer.id] = self._sheet_node(index, sheet, layer)
            hangs = layer.depth == "infinite" and self.far_node is not None
            (self.file.nodes[self.far_node].children if hangs else roots).append(node)
        self.file.scenes, self.file.scene = [g.Scene(nodes=roots, name=self.scene.title)], 0
        self._animations()
        self.file.bufferViews, self.file.accessors = self.bin.views, self.bin.accessors
        self.file.buffers = [g.Buffer(byteLength=len(self.bin.data))]
        self.file.set_binary_blob(bytes(self.bin.data))
        return b"".join(self.file.save_to_bytes())

    def _add_node(self, name: str, at: Floats, turn: Floats | None = None) -> int:
        node = g.Node(name=name, translation=[float(v) for v in at])
        if turn is not None:
            node.rotation = [float(v) for v in turn]
        self.file.nodes.append(node)
        return len(self.file.nodes) - 1

    def _camera(self) -> Any:
        view, distance = self.scene.view, self.scene.lens_distance * self.scene.camera.zoom
        nearest = max((rate_of(x.depth, self.scene.lens_distance) for x in self.layers), default=1.0)
        near = self.scene.lens_distance / max(nearest, 1.0) * NEAR_SHARE / self.metre
        perspective = g.Perspective(
            yfov=float(2 * np.arctan(view.height / (2 * distance))), aspectRatio=view.width / view.height, znear=near
        )
        return g.Camera(type="perspective", perspective=perspective, name="view")

    def _textures(self) -> None:
        self.wraps: dict[tuple[int, str, str], int] = {}
        self.file.images = [
            g.Image(bufferView=self.bin.view(page), mimeType="image/png", name=f"page {index}")
            for index, page in enumerate(self.pages)
        ]
        for sheet, layer in zip(self.sheets, self.layers, strict=True):
            for page in sheet.pages:
                key = (page, layer.repeat.x, layer.repeat.y)
                if key not in self.wraps:
                    self.wraps[key] = len(self.file.textures)
                    self.file.samplers.append(
                        g.Sampler(
                            magFilter=g.LINEAR,
                            minFilter=g.LINEAR_MIPMAP_LINEAR,
                            wrapS=WRAPS[layer.repeat.x],
                            wrapT=WRAPS[layer.repeat.y],
                        )
                    )
                    self.file.textures.append(g.Texture(source=page, sampler=len(self.file.samplers) - 1))

    def _background(self) -> None:
        """The view's background: a sheet of its colour, fixed to the camera behind everything."""
        view = self.scene.view
        code = [value / 255 for value in background(self.scene)]
        linear = [value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4 for value in code]
        colour = g.PbrMetallicRoughness(baseColorFactor=[*linear, 1.0], metallicFactor=0.0, roughnessFactor=1.0)
        material = g.Material(
            name="background", pbrMetallicRoughness=colour, alphaMode="OPAQUE", doubleSided=True,
            extensions={"KHR_materials_unlit": {}},
        )  # fmt: skip
        material.alphaCutoff = None
        self.file.materials.append(material)
        # as far out, in a space whose unit is the lens distance, as leaves every sheet before it
        away = self.far * BEHIND_ALL
        half = away * WIDEST_ZOOM / 2 / self.metre * np.array([view.width, view.height])
        corners = np.array([[-1, 1], [1, 1], [1, -1], [-1, -1]]) * half
        position = np.column_stack([corners, np.zeros(4)])
        attributes = g.Attributes(POSITION=self.bin.floats(position, g.VEC3, g.ARRAY_BUFFER))
        quad = g.Primitive(attributes=attributes, indices=self.bin.indices([0, 3, 2, 0, 2, 1]), material=0)
        self.file.meshes.append(g.Mesh(name="background", primitives=[quad]))
        node = self._add_node("background", np.array([0.0, 0.0, -away * self.scene.lens_distance / self.metre]))
        self.file.nodes[node].mesh = 0
        self.file.nodes[self.camera_node].children = [node]

    def _sheet_node(self, index: int, sheet: Card, layer: Layer) -> int:
        opacity = float(self.rest[layer.id].opacity[0])
        movers = self.motion.movers(layer)
        fades = any(track.target in movers and track.channel == "opacity" for track in self.scene.tracks)
        whole = sheet.opaque and opacity == 1 and not fades
        on = {page: self._material(page, layer, opacity, opaque=whole) for page in sheet.pages}
        self.materials_of[layer.id] = list(on.values())
        meshes: dict[int, int] = {}
        for cell, quads in sheet.cells.items():
            by_page = {page: [quad for quad in quads if quad.page == page] for page in sorted({q.page for q in quads})}
            primitives = [self._mesh(some, layer, on[page]) for page, some in by_page.items()]
            self.file.meshes.append(g.Mesh(name=layer.label, primitives=primitives))
            meshes[cell] = len(self.file.meshes) - 1
        position, rotation, scale = (part[0] for part in self._sheet_pose(layer, self.rest))
        node = self._add_node(layer.id, position, rotation)
        self.file.nodes[node].scale = [float(v) for v in scale]
        self.file.nodes[node].extras = {"drawing_order": index}
        if layer.frames is None:
            (self.file.nodes[node].mesh,) = meshes.values()
        else:
            self.file.nodes[node].children = list(self._cells(layer, layer.frames, meshes).values())
        return node

    def _cells(self, layer: Layer, frames: Frames, meshes: dict[int, int]) -> dict[int, int]:
        """A node for each cell of an actor, of no size while another is shown."""
        rest = resting_cell(frames, self.scene.drivers)
        found = self.cell_nodes[layer.id] = dict[int, int]()
        for cell, mesh in meshes.items():
            found[cell] = self._add_node(f"{layer.id} {cell}", np.zeros(3))
            self.file.nodes[found[cell]].mesh = mesh
            self.file.nodes[found[cell]].scale = [float(cell == rest)] * 3
        return found

    def _material(self, page: int, layer: Layer, opacity: float, opaque: bool) -> int:
        material = g.Material(
            name=layer.label,
            pbrMetallicRoughness=g.PbrMetallicRoughness(
                baseColorTexture=g.TextureInfo(index=self.wraps[(page, layer.repeat.x, layer.repeat.y)]),
                baseColorFactor=[1.0, 1.0, 1.0, opacity], metallicFactor=0.0, roughnessFactor=1.0,
            ),
            alphaMode="OPAQUE" if opaque else "BLEND",
            doubleSided=True,
            extensions={"KHR_materials_unlit": {}},
        )  # fmt: skip
        if material.alphaMode == "OPAQUE":
            material.alphaCutoff = None
        self.file.materials.append(material)
        return len(self.file.materials) - 1

    def _mesh(self, quads: list[Quad], layer: Layer, material: int) -> Any:
        """The rectangles on one page."""
        corners = [self._quad(quad, layer) for quad in quads]
        position, texture = (np.concatenate(part) for part in zip(*corners, strict=True))
        attributes = g.Attributes(
            POSITION=self.bin.floats(position, g.VEC3, g.ARRAY_BUFFER),
            TEXCOORD_0=self.bin.floats(texture, g.VEC2, g.ARRAY_BUFFER),
        )
        indices = [4 * number + corner for number in range(len(quads)) for corner in (0, 3, 2, 0, 2, 1)]
        return g.Primitive(attributes=attributes, indices=self.bin.indices(indices), material=material)

    def _quad(self, quad: Quad, layer: Layer) -> tuple[Floats, Floats]:
        """Corners [4, 3] of a rectangle in art pixels, y up, and their places on the page [4, 2]; repeating art is drawn as
        often as the view can need it."""
        left, top, right, bottom = quad.part
        uv = quad.uv
        if layer.repeats:
            (left, right, u0, u1), (top, bottom, v0, v1) = self._tiles(layer, 0), self._tiles(layer, 1)
            uv = (u0, v0, u1, v1)
        half_w, half_h = layer.art.width / 2, layer.art.height / 2
        x0, x1, y0, y1 = left - half_w, right - half_w, half_h - top, half_h - bottom
        corners = [shaped(layer, x, -y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))]
        position = np.array([[x, -y, 0] for x, y in corners])
        return position, np.array([[uv[0], uv[1]], [uv[2], uv[1]], [uv[2], uv[3]], [uv[0], uv[3]]])

    def _tiles(self, layer: Layer, axis: int) -> tuple[int, int, float, float]:
        size = (layer.art.width, layer.art.height)[axis]
        if (layer.repeat.x, layer.repeat.y)[axis] == "none":
            return 0, size, 0.0, 1.0
        box = Needs(self.scene, self.motion).of(layer).box
        low, high = (np.clip(box[side] / size + 0.5, -MOST_TILES, MOST_TILES) for side in (axis, axis + 2))
        first, last = int(np.floor(low)), int(np.ceil(high))
        return first * size, last * size, float(first), float(last)

    # --- poses -------------------------------------------------------------------------------------------------------

    def _camera_pose(self, staged: Staged) -> tuple[Floats, Floats]:
        """Positions [N, 3] in metres and rotations [N, 3, 3] of the camera."""
        eye, turn = staged.eye()
        return eye @ _FLIP / self.metre, _FLIP @ turn @ _FLIP

    def _sheet_pose(self, layer: Layer, staged: Staged) -> tuple[Floats, Floats, Floats]:
        """Positions [N, 3], rotations [N, 4] and scales [N, 3] of a sheet."""
        least = 0.0
        if not self._finite(layer):
            order = [x.id for x in self.layers if not self._finite(x)].index(layer.id)
            least = 1 / (self.far * FAR_STEP**order)
        at, turn, scale = staged[layer.id].standing(least)
        return (
            at @ _FLIP / self.metre,
            _quaternions(_FLIP @ turn @ _FLIP),
            (scale / self.metre)[:, None].repeat(3, axis=1),
        )

    def _animations(self) -> None:
        for driver in ("scroll", "time"):
            tracks = [t for t in self.scene.tracks if t.driver == driver and getattr(self.scene.drivers, driver)]
            actors = [x for x in self.layers if x.frames] if driver == "time" and self.scene.drivers.time else []
            if not tracks and not actors:
                continue
            end = self.scene.drivers.time.duration if driver == "time" and self.scene.drivers.time else 1.0
            keys = [0.0, *(key.at for track in tracks for key in track.keys if key.at <= end)]
            at = np.unique(np.round(np.concatenate([np.linspace(0, end, STEPS + 1), keys]), 9))
            staged = stage(self.scene, States.still(len(at), **{driver: at}), self.motion)
            seconds = self.bin.floats(at if driver == "time" else at * SCROLL_SECONDS, g.SCALAR)
            animation = g.Animation(name=driver)
            moved = {track.target for track in tracks}
            if "camera" in moved:
                self._animate_camera(animation, seconds, staged)
            for layer in self.layers:
                if moved & self.motion.movers(layer):
                    poses = self._sheet_pose(layer, staged)
                    for path, values in zip(("translation", "rotation", "scale"), poses, strict=True):
                        self._channel(animation, self.sheet_nodes[layer.id], path, seconds, values)
                    self._animate_opacity(animation, layer, seconds, staged)
            for actor in actors:
                self._animate_cells(animation, actor, end)
            if animation.channels:
                self.file.animations.append(animation)

    def _animate_cells(self, animation: Any, layer: Layer, end: float) -> None:
        """Each cell steps to its size when it is shown and back to none."""
        frames = layer.frames
        assert frames is not None
        steps = np.arange(np.floor(frames.fps * frames.offset) + 1, frames.fps * (end + frames.offset))
        at = np.concatenate([[0.0], steps / frames.fps - frames.offset])
        shown = cell_at(frames, self.scene.drivers, at)
        for cell, node in self.cell_nodes[layer.id].items():
            on = (shown == cell).astype(float)
            turns = np.flatnonzero(np.concatenate([[True], on[1:] != on[:-1]]))
            # a hair early, so that the moment itself is not lost in rounding
            seconds = self.bin.floats(np.nextafter(at[turns].astype(np.float32), np.float32(0)), g.SCALAR)
            sizes = on[turns][:, None].repeat(3, axis=1)
            target = g.AnimationChannelTarget(node=node, path="scale")
            self._sampled(animation, target, seconds, sizes, g.VEC3, "STEP")

    def _animate_camera(self, animation: Any, seconds: int, staged: Staged) -> None:
        eye, turn = self._camera_pose(staged)
        self._channel(animation, self.camera_node, "translation", seconds, eye)
        if np.ptp(turn, axis=0).max() > 0:
            self._channel(animation, self.camera_node, "rotation", seconds, _quaternions(turn))
        if self.far_node is not None:
            self._channel(animation, self.far_node, "translation", seconds, eye)

        focal = np.broadcast_to(staged.camera.focal, len(eye))
        if np.ptp(focal) > 0:
            yfov = 2 * np.arctan(self.scene.view.height / (2 * focal))
            self._pointer(animation, "/cameras/0/perspective/yfov", seconds, yfov, g.SCALAR)

    def _animate_opacity(self, animation: Any, layer: Layer, seconds: int, staged: Staged) -> None:
        opacity = staged[layer.id].opacity
        if np.ptp(opacity) > 0:
            colours = np.column_stack([np.ones((len(opacity), 3)), opacity])
            for material in self.materials_of[layer.id]:
                where = f"/materials/{material}/pbrMetallicRoughness/baseColorFactor"
                self._pointer(animation, where, seconds, colours, g.VEC4)

    def _pointer(self, animation: Any, where: str, seconds: int, values: Floats, kind: str) -> None:
        if POINTER not in self.file.extensionsUsed:
            self.file.extensionsUsed.append(POINTER)
        target = g.AnimationChannelTarget(path="pointer", extensions={POINTER: {"pointer": where}})
        self._sampled(animation, target, seconds, values, kind)

    def _channel(self, animation: Any, node: int, path: str, seconds: int, values: Floats) -> None:
        kind = g.VEC4 if path == "rotation" else g.VEC3
        self._sampled(animation, g.AnimationChannelTarget(node=node, path=path), seconds, values, kind)

    def _sampled(
        self, animation: Any, target: Any, seconds: int, values: Floats, kind: str, how: str = "LINEAR"
    ) -> None:
        sampler = g.AnimationSampler(input=seconds, output=self.bin.floats(values, kind), interpolation=how)
        animation.samplers.append(sampler)
        animation.channels.append(g.AnimationChannel(sampler=len(animation.samplers) - 1, target=target))


def _quaternions(matrices: Floats) -> Floats:
    """Unit quaternions [N, 4] (x, y, z, w) of rotations [N, 3, 3], neighbours on the same side."""
    out = np.empty((len(matrices), 4))
    for index, m in enumerate(matrices):
        # Bar-Itzhack: the largest eigenvector of this symmetric matrix, free of the trace method's special cases
        k = np.array([
            [m[0, 0] - m[1, 1] - m[2, 2], m[1, 0] + m[0, 1], m[2, 0] + m[0, 2], m[2, 1] - m[1, 2]],
            [m[1, 0] + m[0, 1], m[1, 1] - m[0, 0] - m[2, 2], m[2, 1] + m[1, 2], m[0, 2] - m[2, 0]],
            [m[2, 0] + m[0, 2], m[2, 1] + m[1, 2], m[2, 2] - m[0, 0] - m[1, 1], m[1, 0] - m[0, 1]],
            [m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1], m[0, 0] + m[1, 1] + m[2, 2]],
        ])  # fmt: skip
        q = np.linalg.eigh(k)[1][:, -1]
        ahead = out[index - 1] if index else np.array([0.0, 0.0, 0.0, 1.0])
        out[index] = q if q @ ahead >= 0 else -q
    return out
