"""The one formula: camera and layer channels to where a sheet is seen. Written once, for values and for bounds.

Axes: x right, y down, z forward. A layer's framing is what the camera sees from its zero position; the camera stands
at c, turned by R = Ry(yaw)·Rx(pitch)·Rz(roll), zoomed by m. For a point (a, b) of the art, from the art's centre:

    q = Rᵀ · ( (x, y, D) + s·a·L·e1 + s·b·L·e2 − k·c ),   view point = (W/2 + m·D·q.x/q.z, H/2 + m·D·q.y/q.z)

An arc takes the camera round the target P = (px, py, D)/kP: with A = Ry(arc)·Rx(crane) it is turned by A·R and stands at
P + A·(c − P), so that it goes on looking at the target. L = Ry(turn)·Rx(−lean)·Rz(rotation) and the rate
k = D / (D + depth), so H = K · Rᵀ · [ s·L·e1 | s·L·e2 | (x, y, D) − k·c ].
A layer's anchor a stays where it rests while the layer is scaled and turned: (x, y, D) + s0·L0·F·a − s·L·F·a takes the place of
(x, y, D), s0 and L0 being the layer's own scale and turn. F = [[1, tan(skew)], [0, stretch]] acts on art pixels first, so F·(a,
b) stands for (a, b). A carrier at P moved by (x, y), grown by σ and turned by ρ takes the anchor's framing point p to
P + (x, y) + σ·Rz(ρ)·(p − P), s to σ·s, L to Rz(ρ)·L, the opacity times its own, the depth plus its own; the inner one first.
What a lens of aperture number N leaves soft is a disc: with z = c.z/D, S its slope in view pixels, n how near it is (`ThinLens`),
focused on rate k0, a sheet at rate k gets  m · S/N · |k0 − k| / ((1 − k0·(z + n)) · (1 − k·z))  across: the thin lens's circle of
confusion with distances as rates, so that it too is finite at infinity. The camera's c.z has moved both rates.
Everything stays finite at infinite depth, where k = 0. Source: the pinhole model of Hartley and Zisserman, Multiple View
Geometry, 2nd ed., ch. 6 and 13, with the sheet's depth folded into k. A point with q.z ≤ 0 is behind the camera.

Nothing outside this package knows the formula: others ask a Camera or a Sheet.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Generic

import numpy as np

from clinamen.core.arrays import Floats, Indices
from clinamen.core.document import Layer, Scene, own_softness
from clinamen.core.interval import Interval
from clinamen.core.optics import NEAREST_FOCUS, ThinLens
from clinamen.core.stage.algebra import (
    Matrix,
    V,
    Vector,
    apply,
    column,
    cos_degrees,
    dot,
    like,
    limited,
    magnitude,
    pitch,
    product,
    quotient,
    roll,
    sin_degrees,
    still_at,
    together,
    transposed,
    yaw,
)

NEAREST = 1e-9  # of the lens distance: closest that the eye may come to a sheet before the sheet counts as behind it


@dataclass(frozen=True)
class Camera(Generic[V]):
    """The camera over N states or cells. `channels` after all drivers; `eye` is c, how far it is from where framings hold;
    `turn` is R, None where it never turns."""

    scene: Scene
    channels: dict[str, V]
    eye: Vector[V]
    turn: Matrix[V] | None

    @property
    def focal(self) -> V:
        """m·D: view pixels for a slope of 1."""
        zoom = self.channels["zoom"]
        return zoom * like(zoom, self.scene.lens_distance)

    def rays(self, x: V, y: V) -> tuple[Vector[V], Vector[V]]:
        """The rays through view points (x, y): in the camera, with z = 1, and in the scene, R times that."""
        focal, view = self.focal, self.scene.view
        per_pixel = quotient(1.0, focal, 1e-300)
        ray = (
            (x - like(x, view.width / 2)) * per_pixel,
            (y - like(y, view.height / 2)) * per_pixel,
            like(focal, 1.0),
        )
        return ray, ray if self.turn is None else apply(self.turn, ray)

    def select(self: "Camera[Interval]", rows: Indices) -> "Camera[Interval]":
        """The camera over the cells `rows` only."""
        return _camera(self.scene, {name: interval.select(rows) for name, interval in self.channels.items()})


@dataclass(frozen=True)
class Sheet(Generic[V]):
    """A layer as evaluated over N states or cells.

    `place` is where its centre is framed, (x, y) carried and held by its anchor; `origin` is (x, y, D) − k·c, where the centre
    stands before the eye; `stand` is L with `upright` telling that lean and turn are 0 throughout; `scale` s. `opacity` within
    0…1. `soft` is the standard deviation in view pixels of its own softness, `disc` the diameter of what the lens makes of a
    point of it, None where that is sharp throughout.
    """

    layer: Layer
    camera: Camera[V]
    rate: V
    place: tuple[V, V]
    origin: Vector[V]
    rotation: V
    stand: Matrix[V] | None
    scale: V
    opacity: V
    soft: V
    disc: V | None

    @property
    def blur(self) -> V:
        """Standard deviation in view pixels of all that softens it: a disc has that of a Gaussian of a quarter of it."""
        return self.soft if self.disc is None else together(self.soft, self.disc * like(self.disc, 0.25))

    @property
    def upright(self) -> bool:
        """True where the sheet faces the camera's resting direction: no lean, no turn."""
        return self.stand is None

    def onto(self, rays: Vector[V]) -> tuple[V, V, V, V]:
        """Where rays from the eye meet the sheet: (a, b) in art pixels from its centre; the share of the ray that is
        gone by then; and the sheet's normal times the ray, which is 0 where it runs beside the sheet."""
        if self.stand is None:
            under = rays[2]
            gone = self.origin[2] if still_at(under, 1.0) else self.origin[2] * _inverse(under)
            plane = (gone * rays[0] - self.origin[0], gone * rays[1] - self.origin[1])
            a, b = _unrotated(plane, self.rotation)
        else:
            normal = column(self.stand, 2)
            under = dot(normal, rays)
            gone = dot(normal, self.origin) * _inverse(under)
            on = (gone * rays[0] - self.origin[0], gone * rays[1] - self.origin[1], gone * rays[2] - self.origin[2])
            a, b = dot(column(self.stand, 0), on), dot(column(self.stand, 1), on)
        smaller = _inverse(self.scale)
        a, b = _unshaped(self.layer, a * smaller, b * smaller)
        return a, b, gone, under

    def homography(self) -> Matrix[V]:
        """H as rows: art pixels from the art's centre to view pixels; its third row gives q.z, positive before the
        camera, so it is not normalised."""
        if self.stand is None:
            turned = roll(self.rotation)
        else:
            turned = self.stand
        one, two = column(turned, 0), column(turned, 1)
        across_down, stretch = shape_of(self.layer)
        if (across_down, stretch) != (0.0, 1.0):
            down = [two[i] * like(two[i], stretch) + one[i] * like(one[i], across_down) for i in range(3)]
            two = down[0], down[1], down[2]
        scaled: Matrix[V] = (
            (one[0] * self.scale, one[1] * self.scale, one[2] * self.scale),
            (two[0] * self.scale, two[1] * self.scale, two[2] * self.scale),
            self.origin,
        )
        sheet = transposed(scaled)
        if self.camera.turn is not None:
            sheet = product(transposed(self.camera.turn), sheet)
        focal, view = self.camera.focal, self.camera.scene.view
        middle_x, middle_y = like(focal, view.width / 2), like(focal, view.height / 2)
        x, y, z = sheet
        return (
            (focal * x[0] + middle_x * z[0], focal * x[1] + middle_x * z[1], focal * x[2] + middle_x * z[2]),
            (focal * y[0] + middle_y * z[0], focal * y[1] + middle_y * z[1], focal * y[2] + middle_y * z[2]),
            z,
        )

    def stretched(self, least: float = 0.0) -> tuple[Vector[V], V]:
        """Where the sheet truly stands and how large it truly is, for programs with a world of their own: its centre
        ((x, y, D)/k, scene pixels from the camera's zero position), and s/k. What is farther than at rate `least` is
        taken to stand there."""
        farther = quotient(1.0, self.rate, least)
        eye, here = self.camera.eye, self.origin
        x, y, z = ((here[axis] + self.rate * eye[axis]) * farther for axis in range(3))
        return (x, y, z), self.scale * farther


def camera_of(scene: Scene, channels: dict[str, V]) -> Camera[V]:
    """The camera whose channels are these."""
    return _camera(scene, channels)


def _camera(scene: Scene, channels: dict[str, V]) -> Camera[V]:
    angles = [channels[name] for name in ("yaw", "pitch", "roll")]
    eye: Vector[V] = channels["x"], channels["y"], channels["z"]
    turn: Matrix[V] | None = None
    if not all(still_at(angle, 0.0) for angle in angles):
        turn = product(product(yaw(angles[0]), pitch(angles[1])), roll(angles[2]))
    arc, crane = channels["arc"], channels["crane"]
    if not (still_at(arc, 0.0) and still_at(crane, 0.0)):
        round_it = product(yaw(arc), pitch(crane))
        at = tuple(like(arc, value) for value in target_of(scene))
        away = apply(round_it, (eye[0] - at[0], eye[1] - at[1], eye[2] - at[2]))
        eye = (at[0] + away[0], at[1] + away[1], at[2] + away[2])
        turn = round_it if turn is None else product(round_it, turn)
    return Camera(scene, channels, eye, turn)


def target_of(scene: Scene) -> tuple[float, float, float]:
    """P: where the target of arcs truly stands, in scene pixels from the camera's zero position."""
    distance, target = scene.lens_distance, scene.camera.target
    farther = 1 + target.depth / distance  # 1/kP
    return target.x * farther, target.y * farther, distance * farther


@dataclass(frozen=True)
class Carried(Generic[V]):
    """What a carrier does over N states or cells: about the point `at` of the framing, by its channels."""

    at: tuple[float, float]
    channels: dict[str, V]


def sheet_of(camera: Camera[V], layer: Layer, channels: dict[str, V], carried: Sequence[Carried[V]] = ()) -> Sheet[V]:
    """The sheet of a layer whose channels are these, before a camera over the same states; `carried` the inner first."""
    distance = camera.scene.lens_distance
    lean, turn, rotation, scale = (channels[name] for name in ("lean", "turn", "rotation", "scale"))
    stand: Matrix[V] | None = None
    if not (still_at(lean, 0.0) and still_at(turn, 0.0)):
        stand = product(product(yaw(turn), pitch(-lean)), roll(rotation))
    rest = resting_anchor(layer)
    x, y, z = (like(scale, value) for value in rest)
    x, y = channels["x"] + x, channels["y"] + y
    depth, opacity = channels["depth"], channels["opacity"]
    for by in carried:
        own = by.channels
        if not (still_at(own["scale"], 1.0) and still_at(own["rotation"], 0.0)):
            from_x, from_y = x - like(x, by.at[0]), y - like(y, by.at[1])
            cos, sin = cos_degrees(own["rotation"]), sin_degrees(own["rotation"])
            x = like(x, by.at[0]) + own["scale"] * (cos * from_x - sin * from_y)
            y = like(y, by.at[1]) + own["scale"] * (sin * from_x + cos * from_y)
            z, scale = own["scale"] * z, own["scale"] * scale
            if stand is None:
                rotation = rotation + own["rotation"]
            else:
                stand = product(roll(own["rotation"]), stand)
        x, y = x + own["x"], y + own["y"]
        depth, opacity = depth + own["depth"], opacity * own["opacity"]
    if (layer.anchor.x, layer.anchor.y) != (0.0, 0.0):
        turned = roll(rotation) if stand is None else stand
        a, b = shaped(layer, layer.anchor.x, layer.anchor.y)
        one, two = column(turned, 0), column(turned, 1)
        held = [scale * (one[axis] * like(scale, a) + two[axis] * like(scale, b)) for axis in range(3)]
        x, y, z = x - held[0], y - held[1], z - held[2]
    rate = quotient(distance, depth + like(depth, distance), NEAREST * distance)
    eye = camera.eye
    origin: Vector[V] = (x - rate * eye[0], y - rate * eye[1], like(rate, distance) + z - rate * eye[2])
    opacity, soft = limited(opacity, 0.0, 1.0), limited(channels["blur"], 0.0, np.inf)
    if look := own_softness(camera.scene, layer):
        soft = together(soft, like(soft, look))
    disc = _disc(camera, rate) if camera.scene.lens.aperture is not None and layer.takes.focus else None
    return Sheet(layer, camera, rate, (x, y), origin, rotation, stand, scale, opacity, soft, disc)


def lens_of(scene: Scene) -> ThinLens:
    """The scene's lens, in rates."""
    lens = scene.lens
    return ThinLens.of(scene.view.width, lens.focal_length, lens.sensor_width, lens.pixels_per_metre)


def _disc(camera: Camera[V], rate: V) -> V:
    scene, lens = camera.scene, lens_of(camera.scene)
    zoom, focus = camera.channels["zoom"], limited(camera.channels["focus"], 0.0, np.inf)
    along = camera.eye[2] * like(rate, 1 / scene.lens_distance)
    one = like(rate, 1.0)
    focused = quotient(1.0, one - focus * (along + like(rate, lens.near)), NEAREST_FOCUS)
    here = quotient(1.0, one - rate * along, NEAREST_FOCUS)
    opened = quotient(lens.slope, camera.channels["aperture"], NEAREST_FOCUS)
    return zoom * opened * magnitude(focus - rate) * focused * here


def shape_of(layer: Layer) -> tuple[float, float]:
    """The second column of F: how far an art pixel down moves across, and how high it is."""
    return math.tan(math.radians(layer.framing.skew)), layer.framing.stretch


def shaped(layer: Layer, a: float, b: float) -> tuple[float, float]:
    """F·(a, b)."""
    across, stretch = shape_of(layer)
    return a + across * b, stretch * b


def framed_at(layer: Layer, a: float, b: float) -> tuple[float, float]:
    """Where the framing puts a place of the art of a layer that stands upright: view pixels from the view's middle."""
    framing, (x, y) = layer.framing, shaped(layer, a, b)
    turn = math.radians(framing.rotation)
    across, down = x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn)
    return framing.x + framing.scale * across, framing.y + framing.scale * down


def art_under(layer: Layer, x: float, y: float) -> tuple[float, float]:
    """The place of the art that `framed_at` puts there."""
    framing, (across, stretch) = layer.framing, shape_of(layer)
    x, y, turn = (x - framing.x) / framing.scale, (y - framing.y) / framing.scale, math.radians(framing.rotation)
    a, b = x * math.cos(turn) + y * math.sin(turn), y * math.cos(turn) - x * math.sin(turn)
    return a - across * b / stretch, b / stretch


def _unshaped(layer: Layer, a: V, b: V) -> tuple[V, V]:
    across, stretch = shape_of(layer)
    if stretch != 1.0:
        b = b * like(b, 1 / stretch)
    return (a - b * like(b, across) if across else a), b


def resting_anchor(layer: Layer) -> tuple[float, float, float]:
    """s0·L0·F·a: where a layer's anchor rests, from where its centre does."""
    framing, tilt, a = layer.framing, layer.tilt, shaped(layer, layer.anchor.x, layer.anchor.y)
    if a == (0.0, 0.0):
        return 0.0, 0.0, 0.0
    own = product(product(yaw(np.array(tilt.turn)), pitch(np.array(-tilt.lean))), roll(np.array(framing.rotation)))
    x, y, z = (framing.scale * (float(row[0]) * a[0] + float(row[1]) * a[1]) for row in own)
    return x, y, z


def carried_across(front: Sheet[V], behind: Sheet[V], point: tuple[float, float]) -> tuple[V, V]:
    """Where the eye sees a point of one sheet on another behind it, both upright and unrotated, in the other's pixels.

    A point is seen along w = (X, D) − k·c; it meets the sheet behind at the share t = (D − k_B·c_z) / (D − k_F·c_z), so
    turning and zooming do not matter. The camera's place is factored out, so that bounds stay narrow.
    """
    eye = front.camera.eye
    share = like(eye[2], 1.0) if still_at(eye[2], 0.0) else behind.origin[2] * _inverse(front.origin[2])
    along = share * front.rate - behind.rate
    smaller, on = _inverse(behind.scale), shaped(front.layer, *point)
    x, y = (
        (
            share * (front.place[axis] + front.scale * like(front.scale, on[axis]))
            - behind.place[axis]
            - along * eye[axis]
        )
        * smaller
        for axis in range(2)
    )
    return _unshaped(behind.layer, x, y)


def _inverse(value: V) -> V:
    if isinstance(value, Interval):
        return value.inverse()
    with np.errstate(divide="ignore"):
        inverse: Floats = 1 / value
        return inverse


def _unrotated(plane: tuple[V, V], rotation: V) -> tuple[V, V]:
    if still_at(rotation, 0.0):
        return plane
    cos, sin = cos_degrees(rotation), sin_degrees(rotation)
    return plane[0] * cos + plane[1] * sin, plane[1] * cos - plane[0] * sin
