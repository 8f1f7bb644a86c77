"""The registry of edits: an edit is a document and what the user typed in, a new document and a sentence out.

What the user typed arrives as text and is read here, so that units and errors are the same wherever an edit comes from.
"""

from collections.abc import Callable, Mapping

from clinamen.core import document
from clinamen.core.boundary import Asked, within
from clinamen.core.document import Layer, Scene, TimeDriver
from clinamen.core.edits.follow import followed
from clinamen.core.edits.locks import heeded
from clinamen.core.errors import BadDocument, BadEdit
from clinamen.core.quantities import number, shown

Values = Mapping[str, str]
Edited = tuple[Scene, str]
EDITS: dict[str, Callable[[Scene, Values], Edited]] = {}
BY_WHAT_SHOWS: set[str] = set()  # edits that go by what the layer's art shows, where the values say it


def edit(
    name: str, by_what_shows: bool = False
) -> Callable[[Callable[[Scene, Values], Edited]], Callable[[Scene, Values], Edited]]:
    """Register an edit under its name. `by_what_shows`: it goes by what the layer's art shows, which whoever has the
    art puts into the values (`pictures.showing`)."""

    def register(function: Callable[[Scene, Values], Edited]) -> Callable[[Scene, Values], Edited]:
        EDITS[name] = function
        if by_what_shows:
            BY_WHAT_SHOWS.add(name)
        return function

    return register


def apply(scene: Scene, name: str, values: Values) -> Edited:
    """The edited scene and a sentence saying what changed; BadEdit says why not."""
    if name not in EDITS:
        raise BadEdit(f"{name}: there is no such edit")
    edited, says = within(name, lambda: EDITS[name](scene, Asked(values)))
    heeded(scene, edited)
    edited = followed(scene, edited)
    try:
        return document.sharing(document.parse(edited.to_json()), scene), says
    except BadDocument as error:
        raise BadEdit(str(error.problems[0])) from None


def layer_of(scene: Scene, values: Values) -> Layer:
    """The layer that the values name."""
    try:
        return scene.layer(values.get("layer", ""))
    except KeyError:
        raise BadEdit("That layer is no longer in the scene; choose another") from None


def named(scene: Scene, target: str) -> str:
    """What a track's target is called: the camera, or the layer or carrier of this id."""
    for carrier in scene.carriers:
        if carrier.id == target:
            return carrier.label
    return "Camera" if target == "camera" else layer_of(scene, {"layer": target}).label


def driver_of(scene: Scene, values: Values) -> str:
    """The driver of keys that the values name; BadEdit where it is off."""
    driver = choice(values, "driver", ("scroll", "time"))
    if not scene.drivers.is_on(driver):
        raise BadEdit(f"{driver}: is switched off; switch it on first")
    return driver


def time_of(scene: Scene, what: str) -> TimeDriver:
    """The driver that `what` goes by; BadEdit where it is off."""
    if scene.drivers.time is None:
        raise BadEdit(f"{what}: goes by time, which is switched off; switch time on first")
    return scene.drivers.time


def choice(values: Values, field: str, allowed: tuple[str, ...]) -> str:
    """One of the allowed words; BadEdit names the field."""
    value = values.get(field, "")
    if value not in allowed:
        raise BadEdit(f"{field}: {value!r} is not one of {', '.join(allowed)}")
    return value


def with_layer(scene: Scene, layer: Layer) -> Scene:
    """The scene with the layer of this one's id replaced."""
    layers = tuple(layer if other.id == layer.id else other for other in scene.layers)
    return scene.model_copy(update={"layers": layers})


def places_of(scene: Scene, values: Values, driver: str) -> tuple[float, float]:
    """The places `from` and `to` of a driver; where they are not given, its start and its end."""
    end = scene.drivers.end(driver)
    first, last = (
        number(values[name], name, 0, end, "s %") if values.get(name, "").strip() else usual
        for name, usual in (("from", 0.0), ("to", end))
    )
    if last <= first:
        raise BadEdit(f"to: {shown(last, 3)} is not after {shown(first, 3)}; there must be some way between them")
    return first, last
