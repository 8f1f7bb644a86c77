"""An opening: a connected part of the view that shows its background at one state, and how far cover would have to reach further.

Its amount is the largest distance, in view px, of one of its points from the nearest covered point, in the view or beyond the
view's edges: a strip of w px along an edge has w, a hole of radius r has r. It is measured by an exact distance transform on
a picture of the view with margins, and again on an enlarged piece of it around the place found.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clinamen.core.arrays import Floats
from clinamen.core.bounds.covering import covers
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.bounds.region import Rect, distance_to_art, hides, uncovered, uncovered_by
from clinamen.core.bounds.where import Where
from clinamen.core.document import Scene
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State, States
from clinamen.core.stage import Sheet, stage, stage_at

PIXELS = 600_000  # of the picture an opening is measured on
THIN_PIXELS = 2_500_000  # the same where it is thin
THIN = 6.0  # view px: the amount below which an opening is thin
QUICK_PIXELS = 16_000  # of one on which states are compared
NEAR_PIXELS = 60_000  # of one on which it is told whether an opening found there is one, and where
# margins round the view, of its longer side: looked at one after the other until the nearest cover lies within
MARGINS = (0.25, 1.0, 3.0)
LEAST_MARGIN = 0.02  # of the view's longer side
FINEST = 16.0  # picture px a view px, where a small opening is measured again
ALIKE = 1.0  # view px by which depths along two sides may differ and count as alike
MOST = 8  # openings of one state that are told, the largest first

Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class GapOpening:
    """One opening at one state: its `amount` (inf where nothing covers anywhere near), the `point` where it is deepest, the box
    `where` it lies on the view, and for each side of the view that it touches the largest distance along that side, how many
    view px of the side it takes, and the mean distance there."""

    amount: float
    point: tuple[float, float]
    where: Where
    sides: dict[str, tuple[float, float, float]]
    grain: float  # view px a pixel of the picture that this was read from

    @property
    def side(self) -> str:
        """The side of the view along which it is deepest, of those alike the one that it takes most of; "" of a hole inside."""
        deepest = max((depth for depth, *_ in self.sides.values()), default=0.0)
        alike = [side for side, (depth, *_) in self.sides.items() if depth >= deepest - max(ALIKE, 2 * self.grain)]
        if len(self.sides) > 2 and len(alike) > 1:  # bare from side to side: where art went out of sight last
            return max(alike, key=lambda side: self.sides[side][2])
        return max(alike, key=lambda side: self.sides[side][1]) if alike else ""

    def away(self, point: tuple[float, float]) -> float:
        """How far, view px, a point lies from its box; 0 within it."""
        x, y = point
        across = max(self.where.x - x, x - self.where.x - self.where.width, 0.0)
        return float(np.hypot(across, max(self.where.y - y, y - self.where.y - self.where.height, 0.0)))


class GapOpenings:
    """The openings of a scene, asked for at single states."""

    def __init__(self, scene: Scene, sets: dict[str, OpaqueSet], motion: Motion) -> None:
        self.scene, self.sets, self.motion = scene, sets, motion
        self.size = (scene.view.width, scene.view.height)
        self._known: dict[tuple[State, float], list[GapOpening]] = {}
        self._roughly: dict[tuple[bytes, float], list[GapOpening]] = {}

    def at(self, state: State, reach: float = 0.0) -> list[GapOpening]:
        """The openings at a state, the largest first; one of them is known to be `reach` large, if that is not 0."""
        if (state, reach) not in self._known:
            pixels = THIN_PIXELS if 0 < reach < THIN else PIXELS
            self._known[state, reach] = self._read(self._sheets(States.of(state)), 0, reach, pixels)
        return self._known[state, reach]

    def seen(self, states: Floats) -> Iterator[list[GapOpening]]:
        """The openings at each of some states [N, 4] as coarse pictures show them, the largest first, read when asked for."""
        return self._coarse(states, 0.0)

    def amounts(self, states: Floats, which: Callable[[GapOpening], bool], reach: float) -> Floats:
        """The largest amount [N] of the openings asked for at each of some states [N, 4], roughly."""
        seen = self._coarse(states, reach)
        return np.array([max((each.amount for each in openings if which(each)), default=0.0) for openings in seen])

    def largest(self, states: Floats, which: Callable[[GapOpening], bool], reach: float) -> tuple[float, int]:
        """The largest amount of an opening asked for at any of some states [N, 4], roughly, and which of them it is."""
        amounts = self.amounts(states, which, reach)
        return float(amounts.max()), int(amounts.argmax())

    def _coarse(self, states: Floats, reach: float) -> Iterator[list[GapOpening]]:
        """The openings at each of some states [N, 4] as coarse pictures show them."""
        margin = self._first_margin(reach)
        keys = [(row.tobytes(), margin) for row in states]
        # the same states are asked for once for every side; sheets at many states cost little more than at one
        new = [row for row, key in enumerate(keys) if key not in self._roughly]
        sheets = self._sheets(States(*states[new].T)) if new else []
        for row, key in enumerate(keys):
            if key not in self._roughly:
                self._roughly[key] = self._read(sheets, new.index(row), reach, QUICK_PIXELS)
            yield self._roughly[key]

    def _sheets(self, states: States) -> list[Sheet]:
        able = tuple(layer for layer in self.scene.layers if covers(self.scene, layer, self.sets[layer.id]))
        return list(stage(self.scene, states, self.motion, able).sheets)

    def _first_margin(self, reach: float) -> float:
        """View px round the view that are looked at first for an opening `reach` large: one of few margins, so that what was read
        for one opening serves another."""
        least = LEAST_MARGIN * max(self.size)
        doublings = max(0.0, np.ceil(np.log2(max(1.2 * reach, least) / least)))
        return float(min(least * 2**doublings, MARGINS[-1] * max(self.size)))

    def _read(self, sheets: list[Sheet], row: int, reach: float, pixels: int) -> list[GapOpening]:
        width, height = self.size
        longest, first = max(self.size), self._first_margin(reach)
        wider = [share * longest for share in MARGINS if share * longest > first and pixels != QUICK_PIXELS]
        for margin in (first, *wider):
            part = (-margin, -margin, width + margin, height + margin)
            scale = min(1.0, float((pixels / ((width + 2 * margin) * (height + 2 * margin))) ** 0.5))
            mask = uncovered_by(self.scene, self.sets, sheets, row, scale, part)
            edge = round(margin * scale)
            inner = (slice(edge, mask.shape[0] - edge), slice(edge, mask.shape[1] - edge))
            if not mask[inner].any():
                return []
            if not mask.all():
                away = _distances(mask) / scale
                if away[inner].max() <= margin or not wider:
                    return self._told(mask[inner], away[inner])
        return self._told(mask[inner], np.full(mask[inner].shape, np.inf))

    def measured(self, state: State, opening: GapOpening, pixels: int = PIXELS) -> GapOpening:
        """The same opening measured on an enlarged piece of the picture around its deepest point, of so many `pixels`."""
        if not np.isfinite(opening.amount):
            return opening
        width, height = self.size
        x, y = opening.point
        near = 2 * opening.grain
        reach = opening.amount + 2 * near
        scale = min(FINEST, float(pixels**0.5) / (2 * reach))
        part: Rect = (x - reach, y - reach, x + reach, y + reach)
        mask = uncovered(self.scene, self.sets, state, scale, self.motion, part)
        if mask.all():
            return opening
        away = _distances(mask) / scale
        rows = y - reach + (np.arange(mask.shape[0]) + 0.5) / scale
        columns = x - reach + (np.arange(mask.shape[1]) + 0.5) / scale
        asked = (np.abs(rows - y) <= near) & (rows >= 0) & (rows <= height)
        across = (np.abs(columns - x) <= near) & (columns >= 0) & (columns <= width)
        away = np.where(asked[:, None] & across[None, :], away, -1.0)
        row, column = np.unravel_index(int(away.argmax()), away.shape)
        if away[row, column] <= 0:
            return opening
        amount, point = float(away[row, column]), (float(columns[column]), float(rows[row]))
        if scale < 1:  # too coarse to be exact by pixels
            point = self._snapped(point, 1 / scale)
            amount = self._exact(state, point, amount, 3 / scale)
        return replace(opening, amount=amount, point=point)

    def _snapped(self, point: tuple[float, float], near: float) -> tuple[float, float]:
        """The point, on the view's edge where it lies `near` it."""
        x, y = (
            size if at > size - near else 0.0 if at < near else at for at, size in zip(point, self.size, strict=True)
        )
        return float(x), float(y)

    def _exact(self, state: State, point: tuple[float, float], amount: float, near: float) -> float:
        """The distance from a point to the nearest outline of what covers; the `amount` measured where outlines do not tell."""
        sheets = [x for x in stage_at(self.scene, state, self.motion).sheets if hides(x, self.sets[x.layer.id])]
        if any(sheet.layer.repeats for sheet in sheets):
            return amount
        exact = min((distance_to_art(sheet, self.sets[sheet.layer.id], point) for sheet in sheets), default=amount)
        return exact if abs(exact - amount) < near else amount

    def _told(self, mask: Mask, away: Floats) -> list[GapOpening]:
        """The connected parts of a picture of the view."""
        rows, columns = mask.shape
        zoom = np.array([self.size[0] / columns, self.size[1] / rows])
        count, labels, boxes, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
        largest = sorted(range(1, count), key=lambda part: -boxes[part, cv2.CC_STAT_AREA])[:MOST]
        found = []
        for part in largest:
            left, top, wide, high = (int(value) for value in boxes[part, :4])
            box = (slice(top, top + high), slice(left, left + wide))
            mine = np.where(labels[box] == part, away[box], -1.0)
            row, column = np.unravel_index(int(mine.argmax()), mine.shape)
            where = Where(*(float(at) for at in np.array([left, top, wide, high]) * np.tile(zoom, 2)))
            touched = {
                "left": left == 0,
                "right": left + wide == columns,
                "top": top == 0,
                "bottom": top + high == rows,
            }
            lines = {"left": mine[:, 0], "right": mine[:, -1], "top": mine[0], "bottom": mine[-1]}
            long = {"left": zoom[1], "right": zoom[1], "top": zoom[0], "bottom": zoom[0]}
            sides = {
                side: (
                    float(lines[side].max()),
                    float(np.count_nonzero(lines[side] > 0) * long[side]),
                    float(lines[side][lines[side] > 0].mean()),
                )
                for side, touches in touched.items()
                if touches
            }
            point = (float((left + column + 0.5) * zoom[0]), float((top + row + 0.5) * zoom[1]))
            found.append(GapOpening(float(mine[row, column]), point, where, sides, float(zoom.max())))
        return sorted(found, key=lambda opening: -opening.amount)


def _distances(mask: Mask) -> Floats:
    """Of each open pixel from the nearest covered one, in pixels; exact (Felzenszwalb and Huttenlocher, as OpenCV has it)."""
    found: Floats = cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE).astype(float)
    return found
