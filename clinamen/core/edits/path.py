"""The camera's way: its knots moved in plan and section, straight or smooth, and gone along at one even pace."""

from collections.abc import Sequence

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Key, Linear, Scene, Track, channels_of
from clinamen.core.edits.knots import knot_edit, place_of, with_key
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit
from clinamen.core.edits.scene import track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.states import States
from clinamen.core.quantities import number, shown
from clinamen.core.stage import stage

AXES = ("x", "y", "z")
TURNS = ("arc", "crane")  # what takes the camera round its subject
SAMPLES, STRETCHES = 4001, 48  # of the way as it is measured; of an easing that keeps the pace between two knots
SMALL = 1e-6  # of a move: what is less along an axis is none
STILL = 1e-9  # px: a way shorter than this is none


def way_of(scene: Scene, driver: str) -> dict[str, Track]:
    """The tracks that take the camera along over a driver, by axis."""
    found = {axis: track_of(scene, "camera", driver, axis) for axis in AXES}
    return {axis: track for axis, track in found.items() if track is not None}


def moving_tracks(scene: Scene, driver: str) -> list[Track]:
    """All tracks that take the camera from place to place over a driver: along, and round its subject."""
    found = (track_of(scene, "camera", driver, channel) for channel in (*AXES, *TURNS))
    return [track for track in found if track is not None]


def eyes(scene: Scene, driver: str, at: Floats) -> Floats:
    """Where the camera is [N, 3] in scene pixels at places [N] of a driver, the others at rest."""
    return stage(scene, States.still(len(at), **{driver: at}), layers=()).eye()[0]


def knots_of(tracks: Sequence[Track]) -> list[float]:
    """Every place where one of the tracks has a key, in order."""
    places: list[float] = []
    for at in sorted(key.at for track in tracks for key in track.keys):
        if not places or at - places[-1] > 1e-9 * max(1.0, at):
            places.append(at)
    return places


@knot_edit("path-knot")
def path_knot(scene: Scene, values: Values) -> Edited:
    """Put the camera's way at the place `at` of a `driver` through other numbers of `x`, `y` or `z`, each where it is given; or
    move it there by `by_x`, `by_y`, `by_z` scene pixels as it is seen, whatever arcs it has gone round by then."""
    driver = driver_of(scene, values)
    at, tracks = place_of(scene, values, driver), {track.name: track for track in scene.tracks}
    values = {**values, **_moved_by(scene, values, driver, at)}
    for axis in AXES:
        if axis not in values:
            continue
        row = channels_of("camera")[axis]
        value = number(values[axis], row.move, row.low, row.high, row.units)
        track = track_of(scene, "camera", driver, axis)
        if track is None:
            keys = (
                (Key(at=at, value=value),) if at == 0 else (Key(at=0, value=0, ease="smooth"), Key(at=at, value=value))
            )
            track = Track.model_validate(
                {"target": "camera", "channel": axis, "driver": driver, "keys": [k.model_dump() for k in keys]}
            )
        else:
            track = with_key(track, at, value)
        tracks[track.name] = track
    return scene.model_copy(update={"tracks": tuple(tracks.values())}), "The camera goes another way"


def _moved_by(scene: Scene, values: Values, driver: str, at: float) -> dict[str, str]:
    """The numbers that move the camera by what `by_x`, `by_y` and `by_z` say; none where nothing is said."""
    by = np.array([number(values.get(f"by_{axis}", "0"), f"by {axis}", -1e7, 1e7) for axis in AXES])
    if not by.any():
        return {}
    channels = stage(scene, States.still(1, **{driver: np.array([at])}), layers=()).camera.channels
    own = np.array([float(channels[axis][0]) for axis in AXES])
    # the camera's own numbers come before its arcs: one px of each says which way it then goes
    tried = [
        _eye_with(scene, {axis: float(own[i] + (i == j)) for i, axis in enumerate(AXES)}, driver, at) for j in range(3)
    ]
    here = _eye_with(scene, dict(zip(AXES, own, strict=True)), driver, at)
    moved = np.linalg.solve(np.column_stack(tried) - here[:, None], by)
    return {
        axis: f"{value + more:.6f}"
        for axis, value, more in zip(AXES, own, moved, strict=True)
        if abs(more) > SMALL * np.abs(by).max()
    }


def _eye_with(scene: Scene, numbers: dict[str, float], driver: str, at: float) -> Floats:
    """Where the camera is [3] at a place of a driver with these numbers in the place of its tracks of x, y and z."""
    tracks = tuple(t for t in scene.tracks if t.target != "camera" or t.channel not in AXES)
    pointer = scene.drivers.model_copy(update={"pointer": None})
    camera = scene.camera.model_copy(update=numbers)
    return eyes(
        scene.model_copy(update={"tracks": tracks, "camera": camera, "drivers": pointer}), driver, np.array([at])
    )[0]


@edit("path-tie")
def path_tie(scene: Scene, values: Values) -> Edited:
    """Give the camera's way a knot at that place of it that is nearest to a point seen along `axis` ("x" from above, "y" from the
    side): `across` (x or y) and `ahead` (z), scene pixels."""
    driver, axis = driver_of(scene, values), choice(values, "axis", ("x", "y"))
    point = [number(values.get(name, ""), name, -1e9, 1e9) for name in ("across", "ahead")]
    tracks = moving_tracks(scene, driver)
    if not tracks:
        raise BadEdit("The camera does not go anywhere over this driver; make a move first")
    along = np.linspace(0, scene.drivers.end(driver), SAMPLES)
    way = eyes(scene, driver, along)[:, [AXES.index(axis), 2]]
    at = round(float(along[int(np.linalg.norm(way - point, axis=1).argmin())]), 6)
    made = {track.name: with_key(track, at) for track in tracks}
    return _put(scene, made), f"The camera's way has a knot at {shown(at, 3)}{' s' if driver == 'time' else ''}"


@edit("path-bends")
def path_bends(scene: Scene, values: Values) -> Edited:
    """Let the camera's way over a `driver` be `straight` from knot to knot, or `smooth` through all of them: every axis has a key
    at every knot then."""
    driver, how = driver_of(scene, values), choice(values, "how", ("straight", "smooth"))
    way = _moving(scene, driver)
    ease = "linear" if how == "straight" else "smooth"
    places = knots_of(list(way.values()))
    made = {}
    for track in way.values():
        for at in places:
            track = with_key(track, at)
        keys = tuple(key.model_copy(update={"ease": ease}) for key in track.keys)
        made[track.name] = track.model_copy(update={"keys": keys})
    return _put(scene, made), f"The camera's way is {how}"


@edit("even-pace")
def even_pace(scene: Scene, values: Values) -> Edited:
    """Go along the camera's way over a `driver` at one speed from its first knot to its last: knots keep their places in the
    world and are reached when that speed says."""
    driver = driver_of(scene, values)
    way = _moving(scene, driver)
    places = np.array(knots_of(list(way.values())))
    first, last = float(places[0]), float(places[-1])
    along = np.unique(np.concatenate([np.linspace(first, last, SAMPLES), places]))
    curves = {axis: Curve(track) for axis, track in way.items()}
    points = np.column_stack([curve.value(along) for curve in curves.values()])
    far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    if far[-1] < STILL:
        raise BadEdit("The camera does not go anywhere over this driver; give its way another knot first")
    far += np.arange(len(far)) * 1e-12 * far[-1]  # where it stands still it goes on, all but not at all
    reached = first + (last - first) * np.interp(places, along, far) / far[-1]
    made = {}
    for axis, track in way.items():
        made[track.name] = _paced(track, curves[axis], places, reached, along, far)
    return _put(scene, made), "The camera goes at one pace"


def _paced(track: Track, curve: Curve, places: Floats, reached: Floats, along: Floats, far: Floats) -> Track:
    keys = []
    for index, (old, new) in enumerate(zip(places, reached, strict=True)):
        value = float(curve.value(np.array([old]))[0])
        ease: object = "linear"
        if index + 1 < len(places):
            start, end = np.interp([old, places[index + 1]], along, far)
            shares = np.linspace(0, 1, STRETCHES + 1)
            values = curve.value(np.interp(start + (end - start) * shares, far, along))
            rise = float(curve.value(np.array([places[index + 1]]))[0]) - value
            if abs(rise) > STILL:
                told = [(float(s), float((v - value) / rise)) for s, v in zip(shares, values, strict=True)]
                ease = Linear(linear=((0.0, 0.0), *told[1:-1], (1.0, 1.0)))
        keys.append({"at": round(float(new), 9), "value": value, "ease": ease})
    return Track.model_validate(
        {"target": track.target, "channel": track.channel, "driver": track.driver, "keys": keys}
    )


def _moving(scene: Scene, driver: str) -> dict[str, Track]:
    way = way_of(scene, driver)
    if not way or len(knots_of(list(way.values()))) < 2:
        raise BadEdit("The camera does not go anywhere over this driver; make a move first")
    return way


def _put(scene: Scene, made: dict[tuple[str, ...], Track]) -> Scene:
    return scene.model_copy(update={"tracks": tuple(made.get(track.name, track) for track in scene.tracks)})
