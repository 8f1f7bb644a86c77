"""Motion made slower or quicker about a moment, and carried over from one layer to others, each a little later."""

from clinamen.core.document import Layer, Scene, Track
from clinamen.core.document.carrying import WITHIN
from clinamen.core.edits.registry import Edited, Values, driver_of, edit, layer_of, named
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number, shown

GROUP = "group:"  # before a group's name, where a target stands
CLOSE = 1e-9  # of a driver's length: rounding may carry a key so far past the end


@edit("retime")
def retime(scene: Scene, values: Values) -> Edited:
    """Make keys lie `factor` times as far from the moment `about` of a `driver`: of all that moves, of one `target` (the camera,
    a layer or carrier by its id), or of the layers of a `group`. 2 is half as quick; drifts over time change their pace."""
    driver, target, group = driver_of(scene, values), values.get("target", ""), values.get("group", "")
    if target.startswith(GROUP):
        target, group = "", target.removeprefix(GROUP)
    end = scene.drivers.end(driver)
    who = group or {"": "All that moves", "camera": "The camera"}.get(target) or named(scene, target)
    within = {layer.id for layer in scene.layers if f"{layer.group}{WITHIN}".startswith(f"{group}{WITHIN}")}
    factor = number(values.get("factor", ""), "factor", 0.01, 100, "× x %")
    about = number(values.get("about", "0"), "about", 0, end, "s %")
    mine = [
        t for t in scene.tracks if t.driver == driver and (t.target in within if group else target in ("", t.target))
    ]
    if not mine:
        raise BadEdit(f"{who}: nothing moves over {driver}; give it keys first")
    places = [about + (key.at - about) * factor for track in mine for key in track.keys]
    if places and (min(places) < -CLOSE * end or max(places) > end * (1 + CLOSE)):
        away = [key.at - about for track in mine for key in track.keys if key.at != about]
        most = min((about if by < 0 else end - about) / abs(by) for by in away)
        over = shown(max(max(places) - end, -min(places)), 3)
        says = (
            f"a key would lie {over} beyond the {driver}'s ends; go no further than {shown(most, 3)} about this moment"
        )
        raise BadEdit(f"factor: {says}")
    tracks = tuple(_retimed(t, about, factor, end) if t in mine else t for t in scene.tracks)
    how = f"slower by {shown(factor)}" if factor > 1 else f"quicker by {shown(1 / factor)}"
    return scene.model_copy(update={"tracks": tracks}), f"{who}: {how}"


def _retimed(track: Track, about: float, factor: float, end: float) -> Track:
    if track.drift is not None:
        pace = min(10.0, track.drift.pace / factor)
        return track.model_copy(update={"drift": track.drift.model_copy(update={"pace": pace})})
    keys = tuple(
        key.model_copy(update={"at": min(end, max(0.0, about + (key.at - about) * factor))}) for key in track.keys
    )
    return track.model_copy(update={"keys": keys})


@edit("copy-motion")
def copy_motion(scene: Scene, values: Values) -> Edited:
    """Give the motion of the layer `from` to the layers `to` (ids with commas between), each `shift` later than the one before;
    what they had on the same channels and drivers goes. Drifts get a seed of their own."""
    giver = layer_of(scene, {"layer": values.get("from", "")})
    takers = [layer_of(scene, {"layer": name.strip()}) for name in values.get("to", "").split(",") if name.strip()]
    if not takers or giver in takers:
        raise BadEdit("to: name the layers that are to move alike, others than the one they take it from")
    shift = number(values.get("shift", "0"), "shift", -36000, 36000, "s %")
    given = [track for track in scene.tracks if track.target == giver.id]
    if not given:
        raise BadEdit(f"{giver.label}: does not move by itself; give it keys or a drift first")
    gone = {(taker.id, *track.name[1:]) for taker in takers for track in given}
    tracks = [track for track in scene.tracks if track.name not in gone]
    seed = max((t.drift.seed for t in scene.tracks if t.drift is not None), default=0)
    for place, taker in enumerate(takers, 1):
        for track in given:
            seed += 1
            tracks.append(_given(scene, track, taker, shift * place, seed))
    return scene.model_copy(
        update={"tracks": tuple(tracks)}
    ), f"The motion of {giver.label} carried over to {len(takers)} more"


def _given(scene: Scene, track: Track, taker: Layer, shift: float, seed: int) -> Track:
    if track.drift is not None:
        drift = track.drift.model_copy(update={"seed": seed % 2**31})
        return track.model_copy(update={"target": taker.id, "drift": drift})
    end = scene.drivers.end(track.driver)
    keys = tuple(key.model_copy(update={"at": key.at + shift}) for key in track.keys)
    if keys[0].at < -CLOSE * end or keys[-1].at > end * (1 + CLOSE):
        beyond = f"{taker.label}'s keys would lie beyond the {track.driver}'s ends"
        raise BadEdit(f"shift: {beyond}; shift by less, or make the motion shorter first")
    return track.model_copy(update={"target": taker.id, "keys": keys})
