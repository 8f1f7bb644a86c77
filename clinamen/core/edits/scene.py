"""Edits of the scene as a whole, its layers' place and its drivers, each under its name."""

import contextlib
from typing import Any

from clinamen.core import document
from clinamen.core.document import Scene, channels_of
from clinamen.core.edits import changes
from clinamen.core.edits.carry import without_bearers
from clinamen.core.edits.depth import moved_in_depth
from clinamen.core.edits.handing import handed_on
from clinamen.core.edits.lens import with_rates_kept
from clinamen.core.edits.registry import Edited, Values, choice, driver_of, edit, layer_of, named, time_of, with_layer
from clinamen.core.errors import BadEdit
from clinamen.core.motion.implied import implied_rates
from clinamen.core.quantities import number, shown
from clinamen.core.recipes import extended

LEAST_VIEW = 16  # px: beside a smaller view the lens stands so near that sheets before it are all blur
SIDES = ("left", "right", "top", "bottom")


@edit("view")
def set_view(scene: Scene, values: Values) -> Edited:
    """The view's `width`, `height` and `background`; every layer keeps its rate."""
    view = scene.view
    width = int(number(values.get("width", str(view.width)), "width", LEAST_VIEW, document.MAX_VIEW, "px"))
    height = int(number(values.get("height", str(view.height)), "height", LEAST_VIEW, document.MAX_VIEW, "px"))
    background = values.get("background", view.background)
    changed = view.model_copy(update={"width": width, "height": height, "background": background})
    return with_rates_kept(scene, scene.model_copy(update={"view": changed})), f"View of {width} × {height} px"


@edit("framing")
def set_framing(scene: Scene, values: Values) -> Edited:
    """A layer's framing: `x`, `y`, `scale`, `rotation`."""
    layer = layer_of(scene, values)
    table = channels_of(layer.id)
    new = {
        name: number(values[name], name, row.low, row.high, row.units)
        for name in ("x", "y", "scale", "rotation")
        if name in values and (row := table[name])
    }
    framing = layer.framing.model_copy(update=new)
    return with_layer(scene, layer.model_copy(update={"framing": framing})), f"{layer.label} framed anew"


@edit("anchor")
def set_anchor(scene: Scene, values: Values) -> Edited:
    """The point of a layer's art that stays put while tracks scale and turn it: `x` and `y` in art pixels from its middle."""
    layer = layer_of(scene, values)
    new = {name: number(values[name], f"anchor {name}", -1e6, 1e6, "px") for name in ("x", "y") if name in values}
    anchor = layer.anchor.model_copy(update=new)
    return with_layer(
        scene, layer.model_copy(update={"anchor": anchor})
    ), f"{layer.label} turns and grows about another point"


@edit("layer")
def set_layer(scene: Scene, values: Values) -> Edited:
    """A layer's `name`, `visible`, `locked`, `opacity`, `blend`, `repeat_x`, `repeat_y`; how it frosts what is behind it: `frost`
    (σ in px) and `frost_saturation`."""
    layer = layer_of(scene, values)
    new: dict[str, Any] = {}
    says = f"{layer.label} changed"
    if "name" in values:
        new["name"] = values["name"].strip()[:200]
        says = f"{layer.label} renamed to {new['name'] or layer.id}"
    if "visible" in values:
        new["visible"] = values["visible"] in ("1", "true", "on")
        says = f"{layer.label} {'shown' if new['visible'] else 'hidden'}"
    if "locked" in values:
        new["locked"] = values["locked"] in ("1", "true", "on")
        says = f"{layer.label} {'locked' if new['locked'] else 'unlocked'}"
    if "opacity" in values:
        new["opacity"] = number(values["opacity"], "opacity", 0, 1, "%")
    if "blend" in values:
        new["blend"] = choice(values, "blend", document.BLEND_MODES)
    if "frost" in values or "frost_saturation" in values:
        frost = layer.backdrop or document.Backdrop()
        given = {
            name: number(values[field], field, 0, high, "px × x %")
            for name, field, high in (("blur", "frost", 1000), ("saturation", "frost_saturation", 10))
            if field in values
        }
        frost = frost.model_copy(update=given)
        new["backdrop"] = None if frost == document.Backdrop() else frost
    for axis in ("x", "y"):
        if f"repeat_{axis}" in values:
            kind = choice(values, f"repeat_{axis}", ("none", "tile", "mirror"))
            new["repeat"] = new.get("repeat", layer.repeat).model_copy(update={axis: kind})
    return with_layer(scene, layer.model_copy(update=new)), says


@edit("order")
def set_order(scene: Scene, values: Values) -> Edited:
    """Move a layer in drawing order: `by` −1 (drawn earlier) or 1 (later), or `to` an index; `reverse` turns all."""
    layers = list(scene.layers)
    if values.get("reverse"):
        return scene.model_copy(update={"layers": tuple(reversed(layers))}), "Drawing order turned round"
    layer = layer_of(scene, values)
    index = layers.index(layer)
    target = (
        int(number(values["to"], "to", -1e6, 1e6))
        if "to" in values
        else index + int(number(values["by"], "by", -200, 200))
    )
    layers.insert(max(0, min(len(layers) - 1, target)), layers.pop(index))
    return scene.model_copy(update={"layers": tuple(layers)}), f"{layer.label} moved in drawing order"


@edit("remove")
def remove_layer(scene: Scene, values: Values) -> Edited:
    """Take a layer out, with its tracks; what it carried keeps its motion where tracks of its own can say it."""
    layer = layer_of(scene, values)
    after = without_bearers(scene, {layer.id})
    with contextlib.suppress(BadEdit):
        after = handed_on(scene, layer, after)
    return after, f"{layer.label} taken out"


PURPOSES: dict[str, str] = {"any": "anything", "page": "a web page", "game": "a game", "film": "a film"}


@edit("purpose")
def set_purpose(scene: Scene, values: Values) -> Edited:
    """What the scene is made for, one of PURPOSES: which states and faults count goes by it."""
    purpose = choice(values, "purpose", tuple(PURPOSES))
    return scene.model_copy(update={"purpose": purpose}), f"Made for {PURPOSES[purpose]}"


@edit("title")
def set_title(scene: Scene, values: Values) -> Edited:
    """The scene's title."""
    title = values.get("title", "").strip()[:200]
    if not title:
        raise BadEdit("title: is empty; type a name for the scene")
    return scene.model_copy(update={"title": title}), f"Renamed to {title}"


@edit("description")
def set_description(scene: Scene, values: Values) -> Edited:
    """What the scene shows, in words; empty: made of the layers' names again."""
    text = " ".join(values.get("description", "").split())[:2000]
    return scene.model_copy(update={"description": text}), "Description changed" if text else "Description taken back"


DRIVER_DEFAULTS: dict[str, Any] = {
    "scroll": document.ScrollDriver, "pointer": document.PointerDriver, "time": document.TimeDriver,
}  # fmt: skip


@edit("driver")
def set_driver(scene: Scene, values: Values) -> Edited:
    """Switch a `driver` `on` or off, or set one of its fields (the scroll's axis as `along`)."""
    name = choice(values, "driver", ("scroll", "pointer", "time"))
    current = getattr(scene.drivers, name)
    if "on" in values:
        on = values["on"] in ("1", "true", "on")
        drivers = scene.drivers.model_copy(update={name: (current or DRIVER_DEFAULTS[name]()) if on else None})
        return scene.model_copy(update={"drivers": drivers}), f"{name.capitalize()} switched {'on' if on else 'off'}"
    if current is None:
        raise BadEdit(f"{name}: is switched off; switch it on first")
    limits = {
        "length": (1, 1e6, "px"), "reach_x": (-1e6, 1e6, "px"), "reach_y": (-1e6, 1e6, "px"),
        "settle": (0, 60, "s ms"), "duration": (0.04, 36000, "s"), "fps": (1, 240, "fps"),
        "begin": (-1e6, 1e6, "px"), "end": (-1e6, 1e6, "px"), "dead_zone": (0, 0.9, "%"),
    }  # fmt: skip
    words = {"axis": ("y", "x"), "start": ("load", "seen")}
    # an edit from a page also says which axis its drawing shows: the scroll's comes as `along`
    values = {name: text for name, text in values.items() if name != "axis"}
    if "along" in values:
        values["axis"] = values["along"]
    own = {field for field in type(current).model_fields if field in values}
    new: dict[str, Any] = {f: number(values[f], f.replace("_", " "), *limits[f]) for f in limits if f in own}
    new |= {f: choice(values, f, words[f]) for f in words if f in own}
    new |= {f: values[f] in ("1", "true", "on") for f in ("loop", "pinned", "returns") if f in own}
    if new.get("pinned") is False and current.pinned:  # a scene that goes by moves while it comes in and goes out
        new.setdefault("begin", -current.length / 2)
    elif new.get("pinned") and not current.pinned and current.begin == -current.length / 2:
        new.setdefault("begin", 0.0)
    scene = stretched(scene, current.duration, new["duration"]) if "duration" in new else scene
    drivers = scene.drivers.model_copy(update={name: current.model_copy(update=new)})
    return scene.model_copy(update={"drivers": drivers}), f"{name.capitalize()} changed"


def stretched(scene: Scene, old: float, new: float) -> Scene:
    """Time tracks keep their shape when the duration changes."""
    tracks = tuple(
        track
        if track.driver != "time" or track.drift
        else track.model_copy(
            update={"keys": tuple(key.model_copy(update={"at": min(key.at * new / old, new)}) for key in track.keys)}
        )
        for track in scene.tracks
    )
    return scene.model_copy(update={"tracks": tracks})


@edit("travel")
def set_travel(scene: Scene, values: Values) -> Edited:
    """The travel of a `target` (the camera, or a layer by its id) on one `channel` over a `driver`: `start` and `end` value and
    `ease`. Keys between the ends stay; a travel from rest to rest with nothing between is taken out."""
    driver, target = driver_of(scene, values), values.get("target") or "camera"
    who, table = named(scene, target), channels_of(target)
    row = table[choice(values, "channel", tuple(table))]
    existing = track_of(scene, target, driver, row.name)
    first, last = (existing.keys[0].value, existing.keys[-1].value) if existing else (row.rest, row.rest)
    start, end = (
        number(values[end], end, row.low, row.high, row.units) if end in values else before
        for end, before in (("start", first), ("end", last))
    )
    ease: Any = (
        choice(values, "ease", document.EASING_NAMES)
        if values.get("ease")
        else (existing.keys[0].ease if existing else "ease-in-out")
    )
    over = scene.drivers.end(driver)
    inner = existing.keys[1:-1] if existing and len(existing.keys) > 2 else ()
    keys = [document.Key(at=0, value=start, ease=ease), *inner, document.Key(at=over, value=end)]
    if values.get("ease"):
        keys = [key.model_copy(update={"ease": ease}) for key in keys]
    others = [track for track in scene.tracks if track is not existing]
    if inner or start != row.rest or end != row.rest:
        others.append(document.Track(target=target, channel=row.name, driver=driver, keys=tuple(keys)))
    return scene.model_copy(
        update={"tracks": tuple(others)}
    ), f"{who} {row.name} from {start:g} to {end:g} over {driver}"


@edit("fit-depth")
def fit_depth(scene: Scene, values: Values) -> Edited:
    """Give a layer the depth that its own way along an `axis` over a `driver` stands for. Where the camera moves along it, the
    camera does it from now on, and the layer's own keys are taken out."""
    layer, driver, axis = layer_of(scene, values), driver_of(scene, values), choice(values, "axis", ("x", "y"))
    found = next((each for each in implied_rates(scene, layer, driver) if each.axis == axis), None)
    if found is None:
        raise BadEdit(
            f"{layer.label}: does not go along {axis} over {driver} beside a camera or layer that does; move it first"
        )
    if found.depth is None:
        raise BadEdit(f"{layer.label}: goes against what it is measured by, as no depth does; turn its way round first")
    scene = with_layer(scene, moved_in_depth(layer, found.depth, scene.lens_distance, values.get("hold", "framing")))
    place = "infinitely far" if found.depth == "infinite" else f"at depth {shown(found.depth, 1)}"
    if found.against:
        return scene, f"{layer.label} {place}, as its way beside {found.against} says"
    return _without(scene, layer.id, axis, driver), f"{layer.label} {place}; the camera moves it now"


@edit("level")
def make_level(scene: Scene, values: Values) -> Edited:
    """Take out what a layer (or the "camera") goes along an `axis` over a `driver`, so that it goes level along the other."""
    driver, axis, target = driver_of(scene, values), choice(values, "axis", ("x", "y")), values.get("layer", "")
    return _without(scene, target, axis, driver), f"{named(scene, target)} goes {'level' if axis == 'y' else 'upright'}"


def _without(scene: Scene, target: str, channel: str, driver: str) -> Scene:
    """The scene without the keys of a channel."""
    name = (target, channel, driver)
    return scene.model_copy(update={"tracks": tuple(track for track in scene.tracks if track.name != name)})


DRIFT_PACE = 0.2  # Hz: of a drift that is given a reach alone


@edit("drift")
def set_drift(scene: Scene, values: Values) -> Edited:
    """Drift of a `target` (camera or a layer's id) on a `channel`: `reach`, `pace` in Hz and `seed`, each where it is given; a
    reach of 0 takes it out."""
    target = values.get("target", "")
    who = named(scene, target)
    row = channels_of(target)[choice(values, "channel", tuple(channels_of(target)))]
    time_of(scene, "drift")
    existing = drift_of(scene, target, row.name)
    most = 0.999 if row.combine == "multiply" else row.high
    reach = number(values["reach"], "reach", 0, most, row.units) if "reach" in values else existing.reach
    pace = number(values["pace"], "pace", 0.001, 10, "Hz") if "pace" in values else existing.pace
    seed = int(number(values["seed"], "seed", 0, 2**31 - 1)) if "seed" in values else existing.seed
    others = tuple(t for t in scene.tracks if not (t.drift and t.target == target and t.channel == row.name))
    name = f"{who} {row.move}"
    if reach == 0:
        return scene.model_copy(update={"tracks": others}), f"{name} drifts no more"
    drift = document.Drift(reach=reach, pace=pace, seed=seed)
    track = document.Track(target=target, channel=row.name, driver="time", drift=drift)
    return scene.model_copy(update={"tracks": (*others, track)}), f"{name} drifts by {reach:g} at {pace:g} Hz"


def drift_of(scene: Scene, target: str, channel: str) -> document.Drift:
    """A target's drift on a channel; one without reach where it has none, its seed unlike those of the others."""
    drifts = {(track.target, track.channel): track.drift for track in scene.tracks if track.drift is not None}
    if (target, channel) in drifts:
        return drifts[target, channel]
    taken = {drift.seed for drift in drifts.values()}
    seed = next(seed for seed in range(1, len(taken) + 2) if seed not in taken)
    return document.Drift(reach=0, pace=DRIFT_PACE, seed=seed)


@edit("target")
def set_target(scene: Scene, values: Values) -> Edited:
    """What the camera's arcs go round: `x`, `y` and `depth`, each where it is given; or the middle of the layer `round`, where
    it rests."""
    camera = scene.camera
    if values.get("round"):
        layer = layer_of(scene, {"layer": values["round"]})
        if layer.depth == "infinite":
            raise BadEdit(f"{layer.label}: is infinitely far; nothing can go round it, choose a nearer layer")
        place = {"x": layer.framing.x, "y": layer.framing.y, "depth": float(layer.depth)}
        says = f"Arcs go round {layer.label}"
    else:
        place = {name: number(values[name], name, -1e6, 1e6, "px") for name in ("x", "y", "depth") if name in values}
        says = "Arcs go round another place"
    target = camera.target.model_copy(update=place)
    return scene.model_copy(update={"camera": camera.model_copy(update={"target": target})}), says


def track_of(scene: Scene, target: str, driver: str, channel: str) -> document.Track | None:
    """A target's track with keys on a channel over a driver."""
    wanted = (target, channel, driver)
    return next((t for t in scene.tracks if t.keys and (t.target, t.channel, t.driver) == wanted), None)


@edit("extend")
def extend_side(scene: Scene, values: Values) -> Edited:
    """Add `pixels` of art on a `side` of a layer, by a step of its recipe."""
    layer, side = layer_of(scene, values), choice(values, "side", SIDES)
    pixels = int(number(values.get("pixels", ""), "pixels", 1, 60000, "px"))
    return with_layer(scene, extended(layer, side, pixels)), f"{layer.label} extended by {pixels} px, {side}"


@edit("pointer-reach")
def set_pointer_reach(scene: Scene, values: Values) -> Edited:
    """How far the pointer carries the camera along an `axis`, its sign kept."""
    if scene.drivers.pointer is None:
        raise BadEdit("pointer: is switched off; there is no reach to shorten")
    axis, reach = choice(values, "axis", ("x", "y")), number(values.get("reach", ""), "reach", 0, 1e6, "px")
    return changes.with_pointer_reach(scene, axis, reach), f"Pointer reaches {reach:g} px"


@edit("shorten")
def shorten_travel(scene: Scene, values: Values) -> Edited:
    """Bring the camera's travel over a `driver` to a `share` of what it is."""
    driver = choice(values, "driver", ("scroll", "time"))
    share = number(values.get("share", ""), "share", 0, 1, "%")
    return changes.with_travel(scene, driver, share), f"Travel over {driver} shortened to {share:.1%}"
