"""How a move ends: it settles, going on a little in its last share instead of stopping dead; or it is turned round."""

from typing import Any

import numpy as np

from clinamen.core.document import Key, Linear, Scene, Track
from clinamen.core.edits.registry import Edited, Values, driver_of, edit, named
from clinamen.core.errors import BadEdit
from clinamen.core.motion.curves import pieces_of
from clinamen.core.motion.cutting import mirrored
from clinamen.core.quantities import number

LEFT = 0.06  # of the way is left for the settling
BENT = 0.5  # of the time before it: from here on straight stretches are bent to meet its speed


@edit("settle")
def settle(scene: Scene, values: Values) -> Edited:
    """Let the last move of a `target` (camera or a layer's id) over a `driver` settle: in its last `share` it goes on at one slow
    speed, and meets that speed without a jerk."""
    driver, target = driver_of(scene, values), values.get("target", "camera") or "camera"
    who, share = named(scene, target), number(values.get("share", ""), "share", 0.02, 0.9, "%")
    tracks = [t for t in scene.tracks if t.target == target and t.driver == driver and len(t.keys) > 1]
    if not tracks:
        raise BadEdit(f"{who}: does not move from key to key over {driver}; make a move first")
    settled = {track.name: _settled(track, share) for track in tracks}
    told = tuple(settled.get(track.name, track) for track in scene.tracks)
    return scene.model_copy(update={"tracks": told}), f"{who} settles over the last {share:.0%} of its move"


def _settled(track: Track, share: float) -> Track:
    before, last = track.keys[-2], track.keys[-1]
    rise, span = last.value - before.value, last.at - before.at
    if rise == 0:
        return track
    # the speed of the settling, as the slope at which the first part's easing has to end
    slope = LEFT / share * (1 - share) / (1 - LEFT)
    ease: Any = Linear(linear=_bent(before.ease, slope)) if isinstance(before.ease, Linear) else _bezier(track, slope)
    middle = Key(at=round(last.at - share * span, 6), value=last.value - LEFT * rise, ease="linear")
    keys = (*track.keys[:-2], before.model_copy(update={"ease": ease}), middle, last)
    return track.model_copy(update={"keys": keys})


def _bezier(track: Track, slope: float) -> tuple[float, ...]:
    piece = pieces_of(track.keys)[-1]
    starts = piece.handles[:2] if piece.handles and piece.start == track.keys[-2].at else (0.42, 0.0)
    return (round(starts[0], 4), round(starts[1], 4), 0.55, round(1 - 0.45 * slope, 6))


def _bent(ease: Linear, slope: float) -> tuple[tuple[float, float], ...]:
    """The same straight stretches to half the way, from there on a curve (Hermite's cubic) that ends at the slope."""
    half = [point for point in ease.linear if point[0] < BENT]
    (x0, y0), (x1, y1) = max(half), min(point for point in ease.linear if point[0] >= BENT)
    steep = (y1 - y0) / (x1 - x0)
    y_half = y0 + steep * (BENT - x0)
    t = np.linspace(0, 1, 65)
    wide = 1 - BENT
    y = (
        (2 * t**3 - 3 * t**2 + 1) * y_half
        + (t**3 - 2 * t**2 + t) * wide * steep
        + (-2 * t**3 + 3 * t**2)
        + (t**3 - t**2) * wide * slope
    )
    curve = [(round(float(BENT + wide * share), 6), round(float(value), 6)) for share, value in zip(t, y, strict=True)]
    return (*half, *curve[:-1], (1.0, 1.0))


@edit("turn-round")
def turn_round(scene: Scene, values: Values) -> Edited:
    """Turn the moves of a `target` over a `driver` round: what it did at the end it does at the start, the same way back."""
    driver, target = driver_of(scene, values), values.get("target", "camera") or "camera"
    who, end = named(scene, target), scene.drivers.end(driver)
    mine = [t for t in scene.tracks if t.target == target and t.driver == driver and t.keys]
    if not mine:
        raise BadEdit(f"{who}: does not move over {driver}; make a move first")
    turned = {t.name: t.model_copy(update={"keys": mirrored(t.keys, end / 2)}) for t in mine}
    told = tuple(turned.get(track.name, track) for track in scene.tracks)
    return scene.model_copy(update={"tracks": told}), f"{who}: turned round"
