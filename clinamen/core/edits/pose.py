"""Posing by hand: what is dragged in the view differs from what the tracks say until it is kept, a *loose* pose.

A loose pose is what each channel has more (or times more) than its tracks give; it is written as JSON, {target: {channel:
number}}. It is shown by giving every key of those channels as much, so that the moment in view is exactly what keeping it makes
there."""

import json
import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Key, Layer, Scene, Track, channels_of
from clinamen.core.edits.knots import knot_edit, value_at, with_key
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit, layer_of, named, with_layer
from clinamen.core.edits.scene import track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State
from clinamen.core.quantities import number, shown
from clinamen.core.stage import Staged, project, stage_at
from clinamen.core.stage.algebra import pitch, product, roll, yaw

Loose = dict[str, dict[str, float]]
LONGEST = 20_000  # characters of a loose pose
DOLLY = 0.02  # of the lens distance: a notch of the wheel
GROWS = 1.03  # times: a layer at a notch of the wheel
ROUND = 90.0  # degrees of arc for a drag over the whole view
STEPS = 4  # of Newton's, that a point of a sheet comes under the hand
CAMERA_GESTURES, LAYER_GESTURES = ("truck", "dolly", "look", "roll", "arc"), ("move", "size", "turn")


def loose_of(scene: Scene, text: str) -> Loose:
    """A loose pose as it was written; what is no longer in the scene, or nothing, is left out."""
    if len(text) > LONGEST:
        return {}
    try:
        told = json.loads(text or "{}")
        pairs = [(str(t), str(c), float(v)) for t, channels in told.items() for c, v in channels.items()]
    except (ValueError, TypeError, AttributeError):
        return {}
    known = {"camera", *(layer.id for layer in scene.layers), *(carrier.id for carrier in scene.carriers)}
    found: Loose = {}
    for target, channel, value in pairs:
        row = channels_of(target).get(channel)
        if target in known and row and math.isfinite(value) and abs(value) < 1e9 and value != row.rest:
            found.setdefault(target, {})[channel] = value
    return found


def loosened(scene: Scene, loose: Loose, driver: str) -> Scene:
    """The scene as it is shown: every key of the loose channels over a driver gives that much more."""
    tracks = {track.name: track for track in scene.tracks}
    for target, channels in loose.items():
        for channel, more in channels.items():
            row = channels_of(target)[channel]
            track = tracks.get((target, channel, driver))
            if track is None:
                keys: tuple[Key, ...] = (Key(at=0, value=more),)
                track = Track(target=target, channel=channel, driver=driver, keys=keys)
            else:
                grown = (k.value * more if row.combine == "multiply" else k.value + more for k in track.keys)
                keys = tuple(k.model_copy(update={"value": v}) for k, v in zip(track.keys, grown, strict=True))
                track = track.model_copy(update={"keys": keys})
            tracks[track.name] = track
    return scene.model_copy(update={"tracks": tuple(tracks.values())})


def said(scene: Scene, loose: Loose) -> list[str]:
    """A loose pose in words: "Camera truck +34 px"."""
    found = []
    for target, channels in loose.items():
        for channel, more in channels.items():
            row = channels_of(target)[channel]
            times = row.combine == "multiply"
            sign = "" if times or more < 0 else "+"
            text = f"× {shown(more, 3)}" if times else f"{sign}{shown(more, row.digits)}{row.suffix or ' ' + row.unit}"
            found.append(f"{named(scene, target)} {row.move} {text}")
    return found


@dataclass(frozen=True)
class Hand:
    """A gesture of the hand: from one point of the view to another (view pixels), or turned the wheel by notches; and when."""

    start: tuple[float, float]
    end: tuple[float, float]
    notches: float
    state: State

    @property
    def way(self) -> tuple[float, float]:
        return self.end[0] - self.start[0], self.end[1] - self.start[1]

    def about(self, x: float, y: float) -> tuple[float, float]:
        """How many times farther from a point it came to be, and by how many degrees it went round it."""
        one, two = (complex(p[0] - x, p[1] - y) for p in (self.start, self.end))
        if abs(one) < 1 or abs(two) < 1:
            return 1.0, 0.0
        turn = two / one
        return abs(turn), math.degrees(math.atan2(turn.imag, turn.real))


def hand_of(values: Values) -> Hand:
    told = [number(values.get(name, "0"), name, -1e6, 1e6) for name in ("from_x", "from_y", "to_x", "to_y", "notches")]
    pointer = number(values.get("u", "0"), "u", -1, 1), number(values.get("v", "0"), "v", -1, 1)
    state = State(
        number(values.get("scroll", "0"), "scroll", 0, 1), pointer, number(values.get("time", "0"), "time", 0, 36000)
    )
    return Hand((told[0], told[1]), (told[2], told[3]), told[4], state)


def gestured(
    scene: Scene, loose: Loose, values: Values, driver: str, middle: tuple[float, float] | None = None
) -> Loose:
    """The loose pose after a gesture of the hand: one of the camera's (`gesture` truck, dolly, look, roll, arc), or of the layer
    `layer` (move, size, turn). A layer grows and turns about its anchor; where nobody has put that anywhere, about the `middle`
    of what its art shows (art px from the art's centre), which may lie far from the middle of its file."""
    gesture, hand = choice(values, "gesture", (*CAMERA_GESTURES, *LAYER_GESTURES)), hand_of(values)
    degrees = number(values.get("degrees", "0"), "degrees", -360, 360)
    if gesture == "roll" and degrees:
        return _added(loose, "camera", {"roll": degrees})
    if gesture in CAMERA_GESTURES:
        more = _camera(scene, stage_at(loosened(scene, loose, driver), hand.state, layers=()), gesture, hand)
        return _added(loose, "camera", more)
    layer = layer_of(scene, values)
    if gesture == "move":
        lock = values.get("lock", "")
        return _moved(scene, loose, layer, hand, driver, (0,) if lock == "x" else (1,) if lock == "y" else (0, 1))
    anchor = layer.anchor.x, layer.anchor.y
    about = middle if middle is not None and anchor == (0.0, 0.0) else anchor
    at = _seen(scene, loose, layer, hand.state, driver, about)
    times, round_it = hand.about(*at)
    if gesture == "turn":
        changed = _added(loose, layer.id, {"rotation": degrees or round_it})
    elif "factor" in values:
        changed = _added(loose, layer.id, {"scale": GROWS ** number(values["factor"], "notches", -200, 200)})
    else:
        changed = _added(loose, layer.id, {"scale": min(100.0, max(0.01, times))})
    if about == anchor:
        return changed
    back = Hand(_seen(scene, changed, layer, hand.state, driver, about), at, 0.0, hand.state)
    return _moved(scene, changed, layer, back, driver, (0, 1))


def _seen(
    scene: Scene, loose: Loose, layer: Layer, state: State, driver: str, point: tuple[float, float]
) -> tuple[float, float]:
    """Return where a point of a layer's art (art px from its centre) is seen in a loose pose, view px."""
    made = loosened(scene, loose, driver)
    matrix = stage_at(made, state, layers=(made.layer(layer.id),)).sheets[0].matrix[0]
    (at,), _ = project(matrix, np.array([point]))
    return float(at[0]), float(at[1])


def _added(loose: Loose, target: str, more: dict[str, float]) -> Loose:
    own = dict(loose.get(target, {}))
    for channel, value in more.items():
        row = channels_of(target)[channel]
        had = own.get(channel, row.rest)
        own[channel] = round(had * value if row.combine == "multiply" else had + value, 6)
    return {**loose, target: {c: v for c, v in own.items() if v != channels_of(target)[c].rest}}


def _camera(scene: Scene, staged: Staged, gesture: str, hand: Hand) -> dict[str, float]:
    """Return what a gesture adds to the camera: the picture at the picture plane follows the hand."""
    (dx, dy), view = hand.way, scene.view
    channels = staged.camera.channels
    zoom, focal = float(channels["zoom"][0]), float(np.ravel(staged.camera.focal)[0])
    own = product(product(yaw(channels["yaw"]), pitch(channels["pitch"])), roll(channels["roll"]))
    turn: Floats = np.array([[float(value[0]) for value in row] for row in own])
    if gesture in ("truck", "dolly"):
        by = (
            [-dx / zoom, -dy / zoom, 0.0]
            if gesture == "truck"
            else [0.0, 0.0, hand.notches * DOLLY * scene.lens_distance]
        )
        moved = turn @ np.array(by)
        return {axis: float(value) for axis, value in zip("xyz", moved, strict=True) if abs(value) > 1e-9}
    if gesture == "look":
        return {"yaw": -math.degrees(math.atan2(dx, focal)), "pitch": math.degrees(math.atan2(dy, focal))}
    if gesture == "roll":
        return {"roll": -hand.about(view.width / 2, view.height / 2)[1]}
    return {"arc": dx / view.width * ROUND, "crane": -dy / view.width * ROUND}


def _moved(scene: Scene, loose: Loose, layer: Layer, hand: Hand, driver: str, axes: tuple[int, ...]) -> Loose:
    """The layer's x and y moved so that the point of the art under the hand stays under it; of one of them alone, next to it."""
    made = loosened(scene, loose, driver)

    def matrix(more: Floats) -> Floats:
        tried = loosened(scene, _added(loose, layer.id, {"x": float(more[0]), "y": float(more[1])}), driver)
        return stage_at(tried, hand.state, layers=(tried.layer(layer.id),)).sheets[0].matrix[0]

    still = stage_at(made, hand.state, layers=(made.layer(layer.id),)).sheets[0].matrix[0]
    art = np.linalg.solve(still, [*hand.start, 1.0])
    point = (art[:2] / art[2])[None]
    more: Floats = np.zeros(2)
    for _ in range(STEPS):
        at = project(matrix(more), point)[0][0]
        steps = np.eye(2)[list(axes)]
        slopes = np.column_stack([project(matrix(more + step), point)[0][0] - at for step in steps])
        if np.linalg.matrix_rank(slopes, tol=1e-6) < len(axes):
            break
        more = more + np.linalg.lstsq(slopes, np.array(hand.end) - at)[0] @ steps
    return _added(loose, layer.id, {"x": float(more[0]), "y": float(more[1])}) if np.all(np.isfinite(more)) else loose


@knot_edit("keep-pose")
def keep_pose(scene: Scene, values: Values) -> Edited:
    """Keep a loose pose as keys at the place `at` of a `driver`; a thread that did not move before has one at the driver's start
    too, so that the picture as composed stays there."""
    driver = driver_of(scene, values)
    loose = loose_of(scene, values.get("loose", ""))
    if not loose:
        raise BadEdit("Nothing is loose; pose the camera or a layer in the view first")
    at = round(number(values.get("at", ""), "at", 0, scene.drivers.end(driver), "s %"), 6)
    tracks = {track.name: track for track in scene.tracks}
    for target, channels in loose.items():
        for channel, more in channels.items():
            row, track = channels_of(target)[channel], track_of(scene, target, driver, channel)
            old = value_at(track, row, at)
            value = min(max(old * more if row.combine == "multiply" else old + more, row.low), row.high)
            if track is None:
                keys = (Key(at=0, value=row.rest, ease="ease-in-out"),) if at > 0 else ()
                keys = (*keys, Key(at=at, value=value, ease="ease-in-out"))
                track = Track(target=target, channel=channel, driver=driver, keys=keys)
            else:
                track = with_key(track, at, value)
            tracks[track.name] = track
    says = f"Pose kept at {shown(at, 3)}{' s' if driver == 'time' else ''}: {', '.join(said(scene, loose))}"
    return scene.model_copy(update={"tracks": tuple(tracks.values())}), says


@edit("anchor-at")
def anchor_at(scene: Scene, values: Values) -> Edited:
    """Put a layer's anchor where a point of the view (`to_x`, `to_y`) shows its art, at a state of the drivers."""
    layer, hand = layer_of(scene, values), hand_of(values)
    matrix = stage_at(scene, hand.state, layers=(layer,)).sheets[0].matrix[0]
    if abs(np.linalg.det(matrix)) < 1e-12:
        raise BadEdit(f"{layer.label}: is seen edge-on here; move the driver first")
    art = np.linalg.solve(matrix, [*hand.end, 1.0])
    x, y = (float(value) for value in art[:2] / art[2])
    anchor: Any = layer.anchor.model_copy(update={"x": round(x, 2), "y": round(y, 2)})
    return with_layer(scene, layer.model_copy(update={"anchor": anchor})), f"{layer.label}: anchor moved"
