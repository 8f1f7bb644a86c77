"""Edits of what the whole scene looks through: aperture, focus and its pulls, the scene's scale, air, and what a layer takes."""

import math
from typing import Any

from clinamen.core.air import AIRS, share_at, visibility_for
from clinamen.core.document import Scene, seen_layers
from clinamen.core.edits.changes import from_to, replace_layer
from clinamen.core.edits.depth import resting_rate
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit, layer_of, places_of
from clinamen.core.errors import BadEdit
from clinamen.core.quantities import number, shown
from clinamen.core.stage.formula import lens_of

USUAL_APERTURE = 2.8
NEAR_SHEET = 0.02  # of the drawing's length: so near to a sheet the focus that is dragged snaps to it
TAKEN = ("air", "focus", "light")


def _with(scene: Scene, part: str, **fields: Any) -> Scene:
    return scene.model_copy(update={part: getattr(scene, part).model_copy(update=fields)})


def _dragged(values: Values) -> tuple[float, float]:
    """Where on the light bench a hand is: the rate at `at` (0…1 from rate `near` to 0), and `up` px of softness."""
    near = number(values.get("near", "1"), "near", 0.01, 1e6)
    return near * (1 - number(values["at"], "at", 0, 1)), number(values.get("up", "0"), "up", 0, 1e6)


@edit("aperture")
def set_aperture(scene: Scene, values: Values) -> Edited:
    """The aperture number by `aperture` ("2.8", "f/2.8"); `closed` "1" is a pinhole again, "0" opens it. By `soft`: so that
    `layer` is that soft (standard deviation in view px at rest). By a place on the light bench, which a side of the V then
    goes through."""
    lens = scene.lens
    if "closed" in values:
        opened = None if values["closed"] == "1" else lens.aperture or USUAL_APERTURE
        says = "Lens closed to a pinhole: nothing is soft" if opened is None else f"Lens opened to f/{opened:g}"
        return _with(scene, "lens", aperture=opened), says
    thin, camera = lens_of(scene), scene.camera
    if "soft" in values:
        layer = layer_of(scene, values)
        soft = number(values["soft"], "softness", 0, 1e6, "px")
        if not layer.takes.focus:
            raise BadEdit(f"{layer.label}: is left out of focus, so no aperture makes it soft; let it take focus first")
        aperture = thin.aperture_for(4 * soft / camera.zoom, resting_rate(scene, layer), camera.focus)
    elif "at" in values:
        rate, up = _dragged(values)
        aperture = thin.aperture_for(4 * max(up, 0.05) / camera.zoom, rate, camera.focus)
    else:
        text = values.get("aperture", "").strip().casefold().replace("f/", "").replace("ƒ/", "")
        aperture = number(text, "aperture", 1e-6, 1e9)
    aperture = float(f"{aperture:.4g}")
    return _with(scene, "lens", aperture=aperture), f"Aperture f/{aperture:g}"


@edit("focus")
def set_focus(scene: Scene, values: Values) -> Edited:
    """What the resting lens is focused on: a `layer` (`on` "1"), a `rate`, or a place on the light bench, where it snaps to
    sheets."""
    if values.get("on"):
        layer = layer_of(scene, {"layer": values["on"]})
        rate, what = resting_rate(scene, layer), layer.label
    elif "at" in values:
        rate, _ = _dragged(values)
        snap = NEAR_SHEET * number(values.get("near", "1"), "near", 0.01, 1e6)
        near = [x for x in seen_layers(scene) if abs(resting_rate(scene, x) - rate) < snap]
        if near:
            layer = min(near, key=lambda x: abs(resting_rate(scene, x) - rate))
            rate, what = resting_rate(scene, layer), layer.label
        else:
            rate = round(rate, 3)
            what = f"rate {shown(rate, 3)}"
    else:
        rate = number(values.get("rate", ""), "focus", 0, 1e3, "× x %")
        what = f"rate {shown(rate, 3)}"
    return _with(scene, "camera", focus=rate), f"Focused on {what}"


@edit("pull-focus")
def pull_focus(scene: Scene, values: Values) -> Edited:
    """A focus pull: keys on `focus` over a `driver` from the sheet `first` to the sheet `last`, between its places `from` and
    `to`; `ease` as of any key. What was keyed of focus over that driver is keyed anew."""
    if scene.lens.aperture is None:
        raise BadEdit("Focus pull: through a pinhole everything is sharp; open the lens first")
    driver = driver_of(scene, values)
    first, last = (layer_of(scene, {"layer": values.get(name, "")}) for name in ("first", "last"))
    if first.id == last.id:
        raise BadEdit(f"Focus pull: both ends are {first.label}; choose another sheet for one of them")
    ends = [resting_rate(scene, layer) - scene.camera.focus for layer in (first, last)]
    ease = values.get("ease") or "ease-in-out"
    track = from_to(scene, "camera", "focus", driver, ends[0], ends[1], ease, places_of(scene, values, driver))
    kept = [t for t in scene.tracks if t.drift or (t.target, t.channel, t.driver) != ("camera", "focus", driver)]
    return scene.model_copy(update={"tracks": (*kept, track)}), f"Focus pulled from {first.label} to {last.label}"


@edit("focus-at")
def focus_at(scene: Scene, values: Values) -> Edited:
    """Let the lens be focused on the layer `on` where a key of focus stands, `at` its place on a `driver`; other keys stay."""
    driver, layer = driver_of(scene, values), layer_of(scene, {"layer": values.get("on", "")})
    end = scene.drivers.end(driver)
    at = number(values.get("at", ""), "at", 0, end, "s")
    track = next((t for t in scene.tracks if t.keys and t.name == ("camera", "focus", driver)), None)
    index = next((i for i, key in enumerate(track.keys) if abs(key.at - at) <= 1e-6 * end), None) if track else None
    if track is None or index is None:
        raise BadEdit(f"at: no knot of focus stands at {shown(at, 3)} over {driver}; choose a place that has one")
    value = resting_rate(scene, layer) - scene.camera.focus
    keys = (*track.keys[:index], track.keys[index].model_copy(update={"value": value}), *track.keys[index + 1 :])
    tracks = tuple(t.model_copy(update={"keys": keys}) if t is track else t for t in scene.tracks)
    return scene.model_copy(update={"tracks": tracks}), f"Focused on {layer.label} at {shown(at, 3)} over {driver}"


@edit("no-pull")
def no_pull(scene: Scene, values: Values) -> Edited:
    """Take all keys of focus out: the lens stays focused as at rest."""
    kept = tuple(t for t in scene.tracks if (t.target, t.channel) != ("camera", "focus"))
    return scene.model_copy(update={"tracks": kept}), "Focus stays where it rests"


@edit("metre")
def set_metre(scene: Scene, values: Values) -> Edited:
    """How many scene pixels a metre has: it changes how soft things are and nothing else."""
    metre = number(values.get("pixels_per_metre", ""), "pixels in a metre", 1e-3, 1e6, "px")
    return _with(scene, "lens", pixels_per_metre=metre), f"A metre is {shown(metre, 2)} px"


@edit("confusion")
def set_confusion(scene: Scene, values: Values) -> Edited:
    """The disc that still passes for a point: its diameter in view pixels, or in mm on the sensor."""
    text = values.get("confusion", "")
    if text.strip().lower().endswith("mm"):
        on_sensor = number(text, "circle of confusion", 1e-4, 100, "mm")
        disc = on_sensor * scene.view.width / scene.lens.sensor_width
    else:
        disc = number(text, "circle of confusion", 0.01, 1000, "px mm")
    return _with(scene, "lens", confusion=round(disc, 4)), f"Sharp is what is under {shown(disc, 2)} px wide"


@edit("takes")
def set_takes(scene: Scene, values: Values) -> Edited:
    """Whether a layer takes on the scene's `air`, `focus` and `light`."""
    layer = layer_of(scene, values)
    given = {name: values[name] in ("1", "true", "on") for name in TAKEN if name in values}
    takes = layer.takes.model_copy(update=given)
    says = " · ".join(f"{'takes' if on else 'left out of'} {name}" for name, on in given.items())
    return replace_layer(scene, layer.id, takes=takes), f"{layer.label}: {says}"


@edit("air")
def set_air(scene: Scene, values: Values) -> Edited:
    """The air's `colour`, its `visibility` (scene px; "clear" for none), one of the `kind`s; or by `keeps`: so that `layer`
    keeps that share of its colour; or by a place on the light bench (`at`, `kept` 0…1)."""
    if values.get("kind"):
        kind = AIRS[choice(values, "kind", tuple(AIRS))]
        clear = scene.air.model_copy(update={"visibility": None})
        air = clear if kind.share is None else kind.air(scene)
        return scene.model_copy(update={"air": air}), f"Air: {kind.name.lower()}"
    if "colour" in values:
        return _with(scene, "air", colour=values["colour"].lower()), f"Air of colour {values['colour'].lower()}"
    if "keeps" in values:
        layer = layer_of(scene, values)
        return _kept(scene, resting_rate(scene, layer), number(values["keeps"], "colour kept", 0, 1, "%"), layer.label)
    if "at" in values:
        rate, _ = _dragged(values)
        return _kept(scene, rate, min(max(number(values["kept"], "kept", 0, 1), 0.003), 0.997), "")
    text = values.get("visibility", "").strip().casefold()
    visibility = None if text in ("", "clear", "∞") else number(text, "visibility", 1, 1e12, "px")
    says = "Clear air" if visibility is None else f"Air: sight of {shown(visibility, 0)} px"
    return _with(scene, "air", visibility=visibility), says


@edit("frame")
def set_frame(scene: Scene, values: Values) -> Edited:
    """The view's frame: `aspect` ("2.39", "16:9", "view" for all of it), `corners`, `shape`, `colour`."""
    given: dict[str, Any] = {}
    if "aspect" in values:
        text = values["aspect"].strip().casefold()
        given["aspect"] = None if text in ("", "view") else _aspect(text)
    if "corners" in values:
        given["corners"] = number(values["corners"], "corners", 0, 16384, "px")
    if "shape" in values:
        given["shape"] = choice(values, "shape", ("box", "ellipse"))
    if "colour" in values:
        given["colour"] = values["colour"].lower()
    return _with(scene, "frame", **given), "Frame changed"


def _aspect(text: str) -> float:
    wide, _, high = text.replace("/", ":").partition(":")
    if not high:
        return number(text, "aspect", 0.1, 10)
    ratio = number(wide, "aspect", 1e-3, 1e5) / number(high, "aspect", 1e-3, 1e5)
    return number(f"{ratio:.6f}", "aspect", 0.1, 10)


@edit("film")
def set_film(scene: Scene, values: Values) -> Edited:
    """How a render sees what moves: the `shutter`'s angle in degrees, and `samples` a frame."""
    given: dict[str, Any] = {}
    if "shutter" in values:
        given["shutter"] = number(values["shutter"], "shutter", 0, 720, "° deg")
    if "samples" in values:
        given["samples"] = round(number(values["samples"], "samples", 1, 256))
    return _with(scene, "film", **given), "Motion blur of renders changed"


def _kept(scene: Scene, rate: float, share: float, label: str) -> Edited:
    if rate <= 0:
        raise BadEdit("colour kept: what is infinitely far keeps none in any air; choose a sheet that stands nearer")
    if share >= 1:
        return _with(scene, "air", visibility=None), "Clear air"
    if share <= 0:
        raise BadEdit("colour kept: 0 % would take air that nothing shines through; type a share above 0 %")
    visibility = visibility_for(share, rate, scene.lens_distance)
    visibility = float(f"{visibility:.4g}")
    kept = share_at(rate, scene.lens_distance, visibility)
    assert math.isfinite(visibility)
    return _with(scene, "air", visibility=visibility), f"{label or 'There'} keeps {100 * kept:.0f} % of its colour"
