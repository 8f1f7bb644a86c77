"""Edits that mend what the proof finds in motion: ends that meet where time begins again, jumps and dead stops made smooth."""

from clinamen.core.document import EASING_NAMES, Scene, Track
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit, named
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number, shown

SAME = 1e-6  # of a driver's length: places so near are one


def _targets(scene: Scene, values: Values) -> list[str]:
    """The targets named in `targets`, ids with spaces between."""
    targets = values.get("targets", "").split()
    if not targets:
        raise BadEdit("targets: none is named; choose a layer, a carrier or the camera")
    for target in targets:
        named(scene, target)
    return targets


@edit("meet-ends")
def meet_ends(scene: Scene, values: Values) -> Edited:
    """Let the time tracks of the `targets` (ids with spaces between) end where they begin, so that a loop closes."""
    targets = _targets(scene, values)

    def met(track: Track) -> Track:
        if track.target not in targets or track.driver != "time" or len(track.keys) < 2:
            return track
        last = track.keys[-1].model_copy(update={"value": track.keys[0].value})
        return track.model_copy(update={"keys": (*track.keys[:-1], last)})

    names = ", ".join(named(scene, target) for target in targets)
    return scene.model_copy(
        update={"tracks": tuple(met(track) for track in scene.tracks)}
    ), f"{names} ends where it begins"


@edit("ease-at")
def ease_at(scene: Scene, values: Values) -> Edited:
    """Give the way that ends `at` a place of a `driver` another `ease`, on every track of the `targets` with a key there; with
    `around`, also the way that begins there, at the end of a loop the way that begins it."""
    targets, driver = _targets(scene, values), driver_of(scene, values)
    ease = choice(values, "ease", EASING_NAMES)
    end = scene.drivers.end(driver)
    at = number(values.get("at", ""), "at", 0, end, "s")
    around = values.get("around") == "1"

    def eased(track: Track) -> Track:
        if track.target not in targets or track.driver != driver:
            return track
        keys = list(track.keys)
        for index in range(1, len(keys)):
            if abs(keys[index].at - at) <= SAME * end:
                keys[index - 1] = keys[index - 1].model_copy(update={"ease": ease})
                if around:
                    on = 0 if index == len(keys) - 1 and at >= end * (1 - SAME) else index
                    keys[on] = keys[on].model_copy(update={"ease": ease})
        return track.model_copy(update={"keys": tuple(keys)}) if track.keys else track

    names = ", ".join(named(scene, target) for target in targets)
    tracks = tuple(eased(track) for track in scene.tracks)
    if tracks == scene.tracks:
        raise BadEdit(f"at: {names} has no knot at {shown(at, 3)} over {driver}; choose a place that has one")
    return scene.model_copy(update={"tracks": tracks}), f"{names}: {ease} up to {shown(at, 3)} over {driver}"
