"""Back through the placement: which art points a patch of the view can show over a whole cell of driver states.

The ray through view point p is r = ((p.x − W/2)/(mD), (p.y − H/2)/(mD), 1) in the camera, w = R·r in the scene; it
meets the sheet at λ·w with λ = (n·P)/(n·w), P = (x, y, D) − k·c, n = L·e3. All of it in intervals, so the box holds
every state of the cell. q.z of the point is λ itself.
"""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clinamen.core.document import Layer, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.easing import Floats
from clinamen.core.motion.pose import Cells, Motion

Matrix = list[list[Interval]]


@dataclass(frozen=True)
class Patches:
    """N rectangles of the view, in view pixels."""

    x: Interval
    y: Interval


@dataclass(frozen=True)
class ArtBox:
    """Where N patches fall on a layer's art: boxes a × b from its centre in art pixels; `scale` view pixels per art
    pixel; `seen` False where part of the patch may miss the sheet or lie behind the camera; `opacity`, `blur`."""

    a: Interval
    b: Interval
    scale: Interval
    seen: NDArray[np.bool_]
    opacity: Interval
    blur: Interval


class Pose:
    """The camera over N cells, shared by all layers; `select` keeps some of the cells without working them out again."""

    def __init__(self, scene: Scene, motion: Motion, cells: Cells, camera: dict[str, Interval] | None = None) -> None:
        self.scene, self.motion, self.cells = scene, motion, cells
        self.camera = camera or motion.camera_range(cells)
        angles = [self.camera[name] for name in ("yaw", "pitch", "roll")]
        self.turned = any(not angle.fixed or bool(np.any(angle.low != 0)) for angle in angles)
        self.turn = _product(_product(_yaw(angles[0]), _pitch(angles[1])), _roll(angles[2])) if self.turned else None

    def select(self, rows: NDArray[np.intp]) -> "Pose":
        """The pose over the cells `rows` only."""
        axes = (self.cells.scroll, self.cells.u, self.cells.v, self.cells.time)
        camera = {name: interval.select(rows) for name, interval in self.camera.items()}
        return Pose(self.scene, self.motion, Cells(*(axis.select(rows) for axis in axes)), camera)

    def rays(self, patches: Patches) -> tuple[list[Interval], Interval]:
        """w as three intervals, and the length of r that stretches distances off the view's centre."""
        view = self.scene.view
        focal = (self.camera["zoom"] * Interval.point(self.scene.lens_distance)).inverse()
        ray = [
            (patches.x - Interval.point(view.width / 2)) * focal,
            (patches.y - Interval.point(view.height / 2)) * focal,
            Interval.point(1.0),
        ]
        stretch = Interval.point(np.sqrt(1 + ray[0].largest ** 2 + ray[1].largest ** 2))
        return (_apply(self.turn, ray) if self.turn is not None else ray), stretch


@np.errstate(invalid="ignore", divide="ignore")  # 0 · ∞ at a sheet's horizon: what comes of it is not `seen`
def art_box(pose: Pose, layer: Layer, patches: Patches) -> ArtBox:
    """The art box of `layer` for N patches under the pose's N cells."""
    channels = pose.motion.layer_range(layer, pose.cells)
    distance = pose.scene.lens_distance
    rate = _rate(channels["depth"], distance)
    camera = pose.camera
    sheet = [
        channels["x"] - rate * camera["x"],
        channels["y"] - rate * camera["y"],
        Interval.point(distance) - rate * camera["z"],
    ]
    rays, stretch = pose.rays(patches)
    lean, turn = channels["lean"], channels["turn"]
    frontal = all(angle.fixed and not np.any(angle.low != 0) for angle in (lean, turn))
    if frontal:
        if rays[2].fixed and np.all(rays[2].low == 1):
            reach = sheet[2]
        else:
            reach = sheet[2] * rays[2].inverse()
        seen = (rays[2].low > 0) & (sheet[2].low > 0)
        plane = [reach * rays[0] - sheet[0], reach * rays[1] - sheet[1]]
        a, b = _unrotate(plane, channels["rotation"])
    else:
        stand = _product(_product(_yaw(turn), _pitch(-lean)), _roll(channels["rotation"]))
        normal = [stand[row][2] for row in range(3)]
        over, under = _dot(normal, sheet), _dot(normal, rays)
        reach = over * under.inverse()
        seen = np.isfinite(reach.low) & np.isfinite(reach.high) & (reach.low > 0)
        plane = [reach * ray - origin for ray, origin in zip(rays, sheet, strict=True)]
        a, b = (_dot([stand[row][column] for row in range(3)], plane) for column in (0, 1))
    shrink = channels["scale"].inverse()
    scale = channels["scale"] * camera["zoom"] * Interval.point(distance) * reach.inverse()
    if not frontal or pose.turned:
        scale = Interval(scale.low, scale.high * stretch.high)
    return ArtBox(a * shrink, b * shrink, scale, seen, channels["opacity"], channels["blur"])


def parted(cells: Floats, axis: NDArray[np.intp], parts: int) -> Floats:
    """Every cell cut into equal parts [parts·N, axes, 2] along the axis [N] given for it, its parts side by side."""
    rows = np.arange(len(cells))
    low, high = cells[rows, axis, 0], cells[rows, axis, 1]
    cuts = low[:, None] + (high - low)[:, None] * np.linspace(0, 1, parts + 1)
    out = cells.repeat(parts, axis=0)
    which, all_axes = np.arange(parts * len(cells)), axis.repeat(parts)
    out[which, all_axes, 0] = cuts[:, :-1].ravel()
    out[which, all_axes, 1] = cuts[:, 1:].ravel()
    return out


def ends_of(cells: Floats, axes: tuple[int, ...]) -> Floats:
    """Points of every cell, as cells without extent [N · (2^axes + 1), all, 2]: its middle, and with `axes` at their
    ends. What grows steadily along an axis is greatest at an end of it."""
    middle = cells.mean(axis=2)
    points = [middle]
    for ends in itertools.product((0, 1), repeat=len(axes)):
        point = middle.copy()
        for axis, end in zip(axes, ends, strict=True):
            point[:, axis] = cells[:, axis, end]
        points.append(point)
    return np.concatenate(points)[:, :, None].repeat(2, axis=2)


def _rate(depth: Interval, distance: float) -> Interval:
    return Interval(distance / (distance + depth.high), distance / np.maximum(distance + depth.low, 1e-9 * distance))


def _unrotate(plane: list[Interval], rotation: Interval) -> tuple[Interval, Interval]:
    if rotation.fixed and not np.any(rotation.low != 0):
        return plane[0], plane[1]
    cos, sin = rotation.cos_degrees(), rotation.sin_degrees()
    return plane[0] * cos + plane[1] * sin, plane[1] * cos - plane[0] * sin


def _yaw(angle: Interval) -> Matrix:
    return _turn(angle, 0, 2, 1)


def _pitch(angle: Interval) -> Matrix:
    return _turn(angle, 1, 2, -1)


def _roll(angle: Interval) -> Matrix:
    return _turn(angle, 0, 1, -1)


def _turn(angle: Interval, i: int, j: int, sign: int) -> Matrix:
    matrix = [[Interval.point(float(row == column)) for column in range(3)] for row in range(3)]
    cos, sin = angle.cos_degrees(), angle.sin_degrees()
    matrix[i][i] = matrix[j][j] = cos
    matrix[i][j], matrix[j][i] = (sin, -sin) if sign > 0 else (-sin, sin)
    return matrix


def _product(left: Matrix, right: Matrix) -> Matrix:
    return [[_dot(left[row], [right[k][column] for k in range(3)]) for column in range(3)] for row in range(3)]


def _apply(matrix: Matrix | None, vector: list[Interval]) -> list[Interval]:
    assert matrix is not None
    return [_dot(row, vector) for row in matrix]


def _dot(left: list[Interval], right: list[Interval]) -> Interval:
    total = left[0] * right[0]
    for a, b in zip(left[1:], right[1:], strict=True):
        total = total + a * b
    return total
