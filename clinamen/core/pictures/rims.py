"""Rims: what colours the edge of cut-out art has, beside those of the piece itself and of what it was cut from.

The edge is looked at within two pixels, in at most eight squares along it.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Bools, Floats, Pixels
from clinamen.core.prep.colour import delta_e, lab, nearest_at
from clinamen.core.prep.edges import signed_distance

DEEP = 5.0  # px inside an edge where colours are the piece's own
BEYOND = 6.0  # px outside it where they are the old background's
RIM = 2.0  # px inside it that are looked at
TILE, READY_TILE = 384, 192  # px: edges are looked at in squares of so much; of art that came cut out
TILES = 8  # squares
FAINT, SOLID = 26, 250  # of 255: alpha that shows; that hides what is behind it
WIDEST = 4.0  # px over which an edge may go from clear to solid and still be one
FADES = 1.25  # times farther off where it is half clear, or at its outermost pixel: no line that somebody drew
DRAWN = 35.0  # L*: a rim that is darker than this, and than both sides, is taken for a drawn line
TOLD = 3000  # places along the edge that are told


@dataclass(frozen=True)
class Rim:
    """An edge: `away` mean colour difference (CIE76) between what shows at the edge and what lies deeper inside; `own` between
    two depths inside; `outward`: how far the edge's colours lie on the way to the old background's, 0…1; `onward`: mean
    difference between the edge and the old background, infinite where that is not known; `length` in px.

    `fades`: the edge is farther off the farther out it is looked at, as a colour that was mixed in; `soft`: px over which it goes
    from clear to solid. `places` [N, 2] px of the art, `colours` [N, 3] L*a*b* of the edge and `inside` of what lies deeper in:
    evenly chosen along it.
    """

    away: float
    own: float
    outward: float
    onward: float
    length: int
    fades: bool
    soft: float
    places: Floats
    colours: Floats
    inside: Floats


@dataclass(frozen=True)
class _Part:
    """The edge's pixels in a square, one row each."""

    off: Floats
    own: Floats
    outward: Floats
    onward: Floats
    depth: Floats
    alpha: Floats
    places: Floats
    colours: Floats
    inside: Floats
    soft: int


def rim_of(pixels: Pixels, behind: Pixels | None, reach: float = 0.0) -> Rim | None:
    """The edge of cut-out pixels [h, w, 4] before the picture they were cut from; with `reach`, after the fringe was taken off so
    far. None where there is no edge, or nothing deep enough inside it."""
    behind = behind if behind is not None and behind.shape[:2] == pixels.shape[:2] else None
    squares = _squares(pixels, READY_TILE if behind is None else TILE)
    parts = [part for place in squares if (part := _part(pixels, behind, place, reach)) is not None]
    if not parts:
        return None
    off, own, outward, onward, depth, alpha, places, colours, inside = (
        np.concatenate([getattr(part, name) for part in parts])
        for name in ("off", "own", "outward", "onward", "depth", "alpha", "places", "colours", "inside")
    )
    length = len(off) / RIM
    some = np.linspace(0, len(off) - 1, min(len(off), TOLD)).astype(int)
    return Rim(
        away=float(off.mean()),
        own=float(own.mean()),
        outward=float(outward.mean()),
        onward=float(onward.mean()),
        length=int(length),
        fades=_fades(off, depth, alpha),
        soft=sum(part.soft for part in parts) / length,
        places=places[some],
        colours=colours[some],
        inside=inside[some],
    )


def _fades(off: Floats, depth: Floats, alpha: Floats) -> bool:
    """True of an edge that is farther off where it is clearer; where none of it is clear, at its outermost pixel."""
    clear = alpha < 0.8 * SOLID
    far, near = (clear, ~clear) if clear.sum() > 0.1 * len(off) else (depth > -1, depth <= -1)
    if not far.any() or not near.any():
        return False
    return bool(off[far].mean() > FADES * off[near].mean())


def _squares(pixels: Pixels, tile: int) -> list[tuple[slice, slice]]:
    """Squares of `tile` px that hold the edge, evenly chosen where there are many."""
    solid = (pixels[..., 3] >= 128).astype(np.uint8)
    edge = cv2.morphologyEx(solid, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    height, width = solid.shape
    corners = [
        (y, x) for y in range(0, height, tile) for x in range(0, width, tile) if edge[y : y + tile, x : x + tile].any()
    ]
    if len(corners) > TILES:
        corners = [corners[i] for i in np.linspace(0, len(corners) - 1, TILES).astype(int)]
    margin = int(2 * BEYOND + 2 * DEEP)
    return [
        (slice(max(0, y - margin), y + tile + margin), slice(max(0, x - margin), x + tile + margin)) for y, x in corners
    ]


def _part(pixels: Pixels, behind: Pixels | None, place: tuple[slice, slice], reach: float) -> _Part | None:
    """The edge's pixels in a square: how far off their colours are, the piece's own ones, and how far out they lie."""
    cut = np.ascontiguousarray(pixels[place])
    solid = cut[..., 3] >= 128
    if solid.all() or not solid.any():
        return None
    away = signed_distance(solid)
    ring = (away <= 0) & (away >= -RIM)
    deep = (away <= -(DEEP + reach)) & (cut[..., 3] >= SOLID)
    deeper = (away <= -(2 * DEEP + reach)) & deep
    if not ring.any() or not deep.any():
        return None
    colours = np.ascontiguousarray(cut[..., :3])

    def there(values: Pixels, known: Bools) -> NDArray[np.float32]:
        """L*a*b* [N, 3] of the known pixels that are nearest to the edge's."""
        return lab(nearest_at(ring, values, known)[:, None])[:, 0]

    inside = there(colours, deep)
    shown = there(colours, away <= -reach) if reach else lab(colours[ring][:, None])[:, 0]
    off = delta_e(shown, inside)
    own = delta_e(there(colours, deeper), inside) if deeper.any() else np.zeros(len(off))
    outward, onward = np.zeros(len(off)), np.full(len(off), np.inf)
    beyond = (away >= BEYOND) & (away <= 2 * BEYOND)
    if behind is not None and beyond.any():
        outside = there(np.ascontiguousarray(behind[place][..., :3]), beyond)
        way = outside - inside
        along = ((shown - inside) * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1.0)
        outward, onward = np.clip(along, 0, 1), delta_e(shown, outside)
    ys, xs = np.nonzero(ring)
    places = np.column_stack([xs + place[1].start + 0.5, ys + place[0].start + 0.5])
    soft = np.count_nonzero((cut[..., 3] >= FAINT) & (cut[..., 3] < SOLID) & (np.abs(away) < 3 * WIDEST))
    return _Part(
        off.astype(float), own.astype(float), outward.astype(float), onward.astype(float), away[ring].astype(float),
        cut[..., 3][ring].astype(float), places, shown.astype(float), inside.astype(float), int(soft),
    )  # fmt: skip


def ready_cut_fringe(rim: Rim, beside: Floats, seen: float) -> bool:
    """True of an edge whose colour is neither the piece's own nor that of what stands behind it, `beside` [N, 3] L*a*b* at the
    rim's places, by more than `seen` ΔE; and that no one drew: it fades inwards, or is lighter than both sides."""
    if rim.away - rim.own <= seen or rim.soft > WIDEST:
        return False
    if _off_the_way(rim, beside) <= seen:
        return False
    light, inside, behind = (float(colours[:, 0].mean()) for colours in (rim.colours, rim.inside, beside))
    if light < min(DRAWN, inside, behind):
        return False
    return rim.fades or light > max(inside, behind) + seen


def _off_the_way(rim: Rim, beside: Floats) -> float:
    """Mean ΔE between an edge's colours and the nearest mix of what lies inside and what stands behind."""
    way = beside - rim.inside
    share = ((rim.colours - rim.inside) * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1e-6)
    mixed = rim.inside + np.clip(share, 0, 1)[:, None] * way
    return float(np.linalg.norm(rim.colours - mixed, axis=1).mean())
