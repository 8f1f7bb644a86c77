"""An easing between two keys cut in two at a place, or run backwards, so that the motion stays what it was.

A Bézier is cut as de Casteljau cuts it; each half is written as an easing of its own, its ends at 0 and 1.
"""

from typing import Any

from clinamen.core.document import Key, Linear
from clinamen.core.motion.easing import NAMED, Handles, parameter

FLAT = 1e-9  # of a rise: a half that rises no more than this has no shape that an easing could tell
SLACK, STRETCHES = 1e-9, 64
BACKWARDS = {
    "ease-in": "ease-out",
    "ease-out": "ease-in",
    "hold": "step-start",
    "step-end": "step-start",
    "step-start": "hold",
}


def cut(ease: Any, share: float, value: float) -> tuple[Any, Any]:
    """The easings before and after a key put in at `share` of the way, where the easing has come to `value` (0…1 of the rise)."""
    if ease in ("smooth", "linear"):
        return ease, ease
    if ease in ("hold", "step-end"):
        return "hold", "hold"
    if ease == "step-start":
        return "step-start", "hold"
    if isinstance(ease, Linear):
        return _cut_points(ease, share, value)
    return _cut_bezier(NAMED[ease] if isinstance(ease, str) else ease, share)


def _cut_bezier(handles: Handles, share: float) -> tuple[Any, Any]:
    x1, y1, x2, y2 = handles
    t = parameter(x1, x2, share)

    def between(p: tuple[float, float], q: tuple[float, float]) -> tuple[float, float]:
        return p[0] + (q[0] - p[0]) * t, p[1] + (q[1] - p[1]) * t

    points = ((0.0, 0.0), (x1, y1), (x2, y2), (1.0, 1.0))
    a, b, c = (between(p, q) for p, q in zip(points, points[1:], strict=False))
    d, e = between(a, b), between(b, c)
    at = between(d, e)
    return _eased((0.0, 0.0), a, d, at), _eased(at, e, c, (1.0, 1.0))


def _eased(
    start: tuple[float, float], one: tuple[float, float], two: tuple[float, float], end: tuple[float, float]
) -> Any:
    wide, high = end[0] - start[0], end[1] - start[1]
    if wide <= 0 or abs(high) < FLAT:
        return "linear"
    x1, x2 = ((p[0] - start[0]) / wide for p in (one, two))
    if not (-SLACK <= x1 <= 1 + SLACK and -SLACK <= x2 <= 1 + SLACK):
        return _sampled(start, one, two, end)  # a half that no cubic-bezier() of CSS can tell
    x1, x2 = (min(1.0, max(0.0, x)) for x in (x1, x2))
    return (x1, (one[1] - start[1]) / high, x2, (two[1] - start[1]) / high)


def _sampled(start: Any, one: Any, two: Any, end: Any) -> Any:
    """A Bézier as straight stretches."""
    points: list[tuple[float, float]] = []
    for step in range(STRETCHES + 1):
        t = step / STRETCHES
        shares = ((1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t * t, t**3)
        x, y = (sum(s * p[i] for s, p in zip(shares, (start, one, two, end), strict=True)) for i in (0, 1))
        x, y = (x - start[0]) / (end[0] - start[0]), (y - start[1]) / (end[1] - start[1])
        if not points or x > points[-1][0] + 1e-9:
            points.append((x, y))
    return Linear(linear=((0.0, 0.0), *points[1:-1], (1.0, 1.0)))


def _cut_points(ease: Linear, share: float, value: float) -> tuple[Any, Any]:
    before = [p for p in ease.linear if p[0] < share - 1e-12]
    after = [p for p in ease.linear if p[0] > share + 1e-12]
    first: Any = "linear"
    second: Any = "linear"
    if abs(value) > FLAT and len(before) > 1:
        first = Linear(linear=(*((x / share, y / value) for x, y in before), (1.0, 1.0)))
    if abs(1 - value) > FLAT and len(after) > 1:
        rest = ((x - share) / (1 - share) for x, _ in after)
        second = Linear(linear=((0.0, 0.0), *zip(rest, ((y - value) / (1 - value) for _, y in after), strict=True)))
    return first, second


def backwards(ease: Any) -> Any:
    """The easing that runs the same way back."""
    if isinstance(ease, Linear):
        return Linear(linear=tuple((1 - x, 1 - y) for x, y in reversed(ease.linear)))
    if isinstance(ease, str):
        if ease == "ease":
            return backwards(NAMED["ease"])
        return BACKWARDS.get(ease, ease)
    x1, y1, x2, y2 = ease
    return (1 - x2, 1 - y2, 1 - x1, 1 - y1)


def mirrored(keys: tuple[Key, ...], about: float) -> tuple[Key, ...]:
    """Keys that follow each other, run backwards about a place: what was last comes first."""
    turned = list(reversed(keys))
    eases = [backwards(key.ease) for key in reversed(keys[:-1])] + [keys[-1].ease]
    return tuple(
        key.model_copy(update={"at": 2 * about - key.at, "ease": ease}) for key, ease in zip(turned, eases, strict=True)
    )
