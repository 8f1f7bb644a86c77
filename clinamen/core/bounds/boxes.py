"""Back through the placement: which art points a patch of the view can show over a whole cell of driver states.

The stage bounds rays and sheets over the cells; a box of art holds every point where they can meet.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Bools, Floats, Indices
from clinamen.core.document import Layer, Scene
from clinamen.core.interval import Interval
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import Cells
from clinamen.core.stage import BoundCamera, bound_camera, bound_sheet, shape_range


@dataclass(frozen=True)
class Patches:
    """N rectangles of the view, in view pixels."""

    x: Interval
    y: Interval


@dataclass(frozen=True)
class ArtBox:
    """Places of N patches on a layer's art: boxes a × b from its centre in art pixels; `scale` view pixels per art
    pixel; `seen` False where part of the patch may miss the sheet or lie behind the camera; `opacity`, `blur`."""

    a: Interval
    b: Interval
    scale: Interval
    seen: Bools
    opacity: Interval
    blur: Interval


class Pose:
    """The camera over N cells, shared by all layers; `select` keeps some of the cells without working them out again."""

    def __init__(self, scene: Scene, motion: Motion, cells: Cells, camera: BoundCamera | None = None) -> None:
        self.scene, self.motion, self.cells = scene, motion, cells
        self.camera = camera or bound_camera(scene, motion, cells)

    def select(self, rows: Indices) -> "Pose":
        """The pose over the cells `rows` only."""
        return Pose(self.scene, self.motion, self.cells.select(rows), self.camera.select(rows))


@np.errstate(invalid="ignore", divide="ignore")  # 0 · ∞ at a sheet's horizon: what comes of it is not `seen`
def art_box(pose: Pose, layer: Layer, patches: Patches) -> ArtBox:
    """The art box of `layer` for N patches under the pose's N cells."""
    camera = pose.camera
    sheet = bound_sheet(camera, pose.motion, layer, pose.cells)
    seen_by, rays = camera.rays(patches.x, patches.y)
    a, b, gone, under = sheet.onto(rays)
    if sheet.upright:
        seen = (under.low > 0) & (sheet.origin[2].low > 0)
    else:
        seen = np.isfinite(gone.low) & np.isfinite(gone.high) & (gone.low > 0)
    # `gone` is the depth in the camera at which the sheet is met, since rays have z = 1 there
    scale = sheet.scale * camera.focal * gone.inverse() * Interval.between(*shape_range(layer))
    if not sheet.upright or camera.turn is not None:  # off the view's centre a tilted sheet is stretched
        stretch = np.sqrt(1 + seen_by[0].largest ** 2 + seen_by[1].largest ** 2)
        scale = Interval(scale.low, scale.high * stretch)
    return ArtBox(a, b, scale, seen, sheet.opacity, sheet.blur)


def at_pointer_ends(box: Floats) -> Floats:
    """The cells [1…4, 4, 2] of a box of driver states at the ends of u and v alone. The pointer carries the eye along straight
    lines: where a ray meets a sheet goes evenly with it, and where a point of a sheet is seen is a ratio of two that do, so both
    are extreme at its ends."""
    across, down = (dict.fromkeys((box[axis, 0], box[axis, 1])) for axis in (1, 2))
    cells = [np.array([box[0], (u, u), (v, v), box[3]]) for u in across for v in down]
    return np.array(cells, float)


def parted(cells: Floats, axis: Indices, parts: int, jumps: Sequence[Floats] = ()) -> Floats:
    """Every cell cut into equal parts [parts·N, axes, 2] along the axis [N] given for it, its parts side by side.

    `jumps` [axes][K] are places where something jumps: a cell that holds one is cut there, its earlier part ends just before.
    """
    rows = np.arange(len(cells))
    low, high = cells[rows, axis, 0], cells[rows, axis, 1]
    cuts = low[:, None] + (high - low)[:, None] * np.linspace(0, 1, parts + 1)
    starts, stops = cuts[:, :-1], cuts[:, 1:].copy()
    for along in np.unique(axis) if len(jumps) else ():
        if len(jumps[along]):
            mine = np.flatnonzero(axis == along)
            starts[mine], stops[mine] = _cut_at_jumps(starts[mine], stops[mine], jumps[along])
    out = cells.repeat(parts, axis=0)
    which, all_axes = np.arange(parts * len(cells)), axis.repeat(parts)
    out[which, all_axes, 0] = starts.ravel()
    out[which, all_axes, 1] = stops.ravel()
    return out


def _cut_at_jumps(starts: Floats, stops: Floats, jumps: Floats) -> tuple[Floats, Floats]:
    """Parts [N, parts] whose inner cuts lie on the nearest jump [K, ascending] within their cell, where it holds one."""
    low, high, inner = starts[:, :1], stops[:, -1:], starts[:, 1:]
    after = np.searchsorted(jumps, inner)
    around = jumps[np.clip(np.stack([after - 1, after]), 0, len(jumps) - 1)]
    within = (around > low) & (around <= high)
    away = np.where(within, np.abs(around - inner), np.inf)
    nearest = np.where(away[0] <= away[1], around[0], around[1])
    held = np.isfinite(away.min(axis=0))
    cut = np.where(held, nearest, inner)
    ends = np.maximum(np.where(held, np.nextafter(cut, -np.inf), cut), np.concatenate([low, cut[:, :-1]], axis=1))
    return np.concatenate([low, cut], axis=1), np.concatenate([ends, np.maximum(high, cut[:, -1:])], axis=1)


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
