"""The filled shapes of an SVG as closed outlines: points at even distances along each subpath, and one colour. Run in the child.

Read by svgelements, which resolves transforms, shapes and styles; only what is filled with one colour can be told.
"""

import io
from dataclasses import dataclass

import numpy as np
from svgelements import SVG, Color, Path, Shape

from clinamen.core.arrays import Floats
from clinamen.core.errors import BadArt
from clinamen.core.pictures import vector

POINTS = 256  # of each subpath
FINE = 2048  # points at which a subpath is measured first
MOST_PARTS = 200  # subpaths of a drawing


@dataclass(frozen=True)
class Form:
    """A filled shape: its subpaths [n, POINTS, 2] in pixels of the drawing, and its colour as sRGB shares with alpha."""

    outlines: Floats
    colour: tuple[float, float, float, float]


def forms(data: bytes, name: str) -> tuple[int, int, list[Form]]:
    """Width and height of a drawing and its filled shapes, first drawn first; BadArt says what cannot be told."""
    width, height = vector.size(data, name)
    vector.parse(data, name)
    try:
        drawing = SVG.parse(io.BytesIO(data), width=width, height=height, reify=True)
        shapes = [
            shape for shape in drawing.elements() if isinstance(shape, Shape) and _fill_of(shape, name) is not None
        ]
        found = [Form(_subpaths(Path(shape), name), _fill_of(shape, name) or (0, 0, 0, 1)) for shape in shapes]
    except BadArt:
        raise
    except Exception:
        raise BadArt(f"{name}: its paths cannot be read; save it as plain SVG, everything turned into paths") from None
    if not found:
        raise BadArt(f"{name}: holds no filled shape; draw closed shapes with a fill")
    if sum(len(form.outlines) for form in found) > MOST_PARTS:
        raise BadArt(f"{name}: holds more than {MOST_PARTS} outlines; simplify it")
    return width, height, found


def _fill_of(shape: Shape, name: str) -> tuple[float, float, float, float] | None:
    said = str(shape.values.get("fill") or "")
    if said.startswith("url("):
        raise BadArt(f"{name}: a shape is filled with a gradient or pattern; fill it with one colour")
    fill = shape.fill
    if not isinstance(fill, Color) or fill.value is None:
        return None
    opacity = 1.0
    for key in ("opacity", "fill-opacity"):
        try:
            opacity *= float(shape.values.get(key) or 1.0)
        except ValueError:
            continue
    return fill.red / 255, fill.green / 255, fill.blue / 255, min(1.0, max(0.0, opacity))


def _subpaths(path: Path, name: str) -> Floats:
    found = []
    for part in path.as_subpaths():
        points = np.array(_points(Path(part)))
        if len(points) < 3 or not np.all(np.isfinite(points)):
            continue
        found.append(even(points, POINTS))
    if not found:
        raise BadArt(f"{name}: a filled shape has no outline; draw it as a closed path")
    return np.stack(found)


def _points(piece: Path) -> list[tuple[float, float]]:
    """Points along a subpath, so many on each of its segments."""
    segments = [segment for segment in piece if segment.__class__.__name__ not in ("Move",)]
    each = max(2, FINE // max(1, len(segments)))
    return [
        (point.x, point.y)
        for segment in segments
        for share in np.linspace(0, 1, each, endpoint=False)
        if (point := segment.point(float(share))) is not None
    ]


def even(points: Floats, count: int) -> Floats:
    """Points [count, 2] at even distances along the closed line through `points`."""
    closed = np.vstack([points, points[:1]])
    far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    at = np.linspace(0, far[-1], count, endpoint=False)
    return np.column_stack([np.interp(at, far, closed[:, axis]) for axis in (0, 1)])
