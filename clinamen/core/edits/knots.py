"""Knots on threads: keys put in, moved, copied, turned round, spread, taken out; any number of them, on any threads, at once.

A thread is written "target channel driver", a knot "target channel driver place"; chosen knots stand in `knots` with semicolons
between.
"""

import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from clinamen.core.document import EASING_NAMES, Channel, Key, Scene, Track, channels_of
from clinamen.core.edits.registry import Edited, Values, edit, named
from clinamen.core.edits.scene import track_of
from clinamen.core.errors import BadEdit
from clinamen.core.motion.curves import Curve, pieces_of
from clinamen.core.motion.cutting import cut, mirrored
from clinamen.core.quantities import counted, number, shown

SAME = 1e-9  # of a driver's length: places so near are one
MOST_PASTED = 200_000  # characters of knots that are pasted at once

Thread = tuple[str, str, str]
KNOT_EDITS: set[str] = set()


@dataclass(frozen=True)
class Chosen:
    """Chosen knots of one thread: its track, and the places of its keys that are chosen."""

    track: Track
    which: tuple[int, ...]

    @property
    def keys(self) -> tuple[Key, ...]:
        return tuple(self.track.keys[i] for i in self.which)


def knot_edit(name: str) -> Callable[[Callable[[Scene, Values], Edited]], Callable[[Scene, Values], Edited]]:
    """Register an edit after which what it made or moved is chosen."""
    KNOT_EDITS.add(name)
    return edit(name)


def thread_of(scene: Scene, text: str) -> Thread:
    """The thread that a text names; BadEdit where nothing of that name can move."""
    parts = text.split()
    if len(parts) != 3 or parts[2] not in ("scroll", "time"):
        raise BadEdit("thread: is not known; choose one of those that are drawn")
    target, channel, driver = parts
    named(scene, target)
    if channel not in channels_of(target):
        raise BadEdit(f"thread: nothing called {channel!r} can move; choose another")
    if not scene.drivers.is_on(driver):
        raise BadEdit(f"{driver}: is switched off; switch it on first")
    return target, channel, driver


def chosen_knots(scene: Scene, text: str) -> list[Chosen]:
    """The chosen knots by thread; BadEdit where one of them is no longer there."""
    found: dict[Thread, set[int]] = {}
    for part in filter(None, (each.strip() for each in text.split(";"))):
        name, _, place = part.rpartition(" ")
        thread = thread_of(scene, name)
        track = track_of(scene, thread[0], thread[2], thread[1])
        at = number(place, "knot", 0, 36000)
        close = SAME * scene.drivers.end(thread[2])
        index = next((i for i, key in enumerate(track.keys) if abs(key.at - at) <= close), None) if track else None
        if index is None:
            raise BadEdit("A chosen knot is no longer there; choose again")
        found.setdefault(thread, set()).add(index)
    if not found:
        raise BadEdit("No knot is chosen; choose one on a thread first")
    chosen = []
    for (target, channel, driver), which in found.items():
        track = track_of(scene, target, driver, channel)
        assert track is not None
        chosen.append(Chosen(track, tuple(sorted(which))))
    return chosen


def chosen_after(before: Scene, after: Scene, values: Values) -> str:
    """What is chosen after an edit of knots: all that stands where nothing unchosen stood before."""
    still: dict[tuple[str, ...], set[float]] = {t.name: {key.at for key in t.keys} for t in before.tracks if t.keys}
    for part in filter(None, values.get("knots", "").split(";")):
        name, _, place = part.strip().rpartition(" ")
        places = still.get(tuple(name.split()[i] for i in (0, 1, 2)), set()) if len(name.split()) == 3 else set()
        places -= {at for at in places if abs(at - float(place)) <= SAME * max(1.0, at)}
    return knots_text(
        (track, key) for track in after.tracks for key in track.keys if key.at not in still.get(track.name, set())
    )


def knots_text(knots: Iterable[tuple[Track, Key]]) -> str:
    """Knots as `knots` names them."""
    return ";".join(f"{t.target} {t.channel} {t.driver} {key.at!r}" for t, key in knots)


def value_at(track: Track | None, row: Channel, at: float) -> float:
    """What a thread adds or multiplies at a place."""
    return float(Curve(track).value(np.array([at]))[0]) if track else row.rest


def with_key(track: Track, at: float, value: float | None = None, ease: Any = None) -> Track:
    """A track with a key at a place: on its curve, which stays as it is, or at a value."""
    keys = list(track.keys)
    for index, key in enumerate(keys):
        if abs(key.at - at) <= SAME * max(1.0, at):
            changed = {**({} if value is None else {"value": value}), **({} if ease is None else {"ease": ease})}
            keys[index] = key.model_copy(update=changed)
            return track.model_copy(update={"keys": tuple(keys)})
    on = float(Curve(track).value(np.array([at]))[0])
    index = sum(key.at < at for key in keys)
    second: Any = keys[-1].ease if index else "linear"
    if 0 < index < len(keys):
        before, after = keys[index - 1], keys[index]
        rise = after.value - before.value
        share = (at - before.at) / (after.at - before.at)
        first, second = cut(before.ease, share, (on - before.value) / rise if rise else share)
        keys[index - 1] = before.model_copy(update={"ease": first})
    keys.insert(index, Key(at=at, value=on if value is None else value, ease=second if ease is None else ease))
    return track.model_copy(update={"keys": tuple(keys)})


def _put(scene: Scene, *tracks: Track) -> Scene:
    """The scene with these tracks in the place of those of their names; one without keys goes."""
    fresh = {track.name: track for track in tracks}
    kept = [fresh.pop(track.name, track) for track in scene.tracks]
    return scene.model_copy(update={"tracks": tuple(t for t in [*kept, *fresh.values()] if t.keys or t.drift)})


def _with_keys(track: Track, keys: Iterable[Key]) -> Track:
    return track.model_copy(update={"keys": tuple(sorted(keys, key=lambda key: key.at))})


def place_of(scene: Scene, values: Values, driver: str, field: str = "at") -> float:
    return number(values.get(field, ""), field, 0, scene.drivers.end(driver), "s %")


@knot_edit("add-knot")
def add_knot(scene: Scene, values: Values) -> Edited:
    """A knot on a `thread` at a place `at` of its driver: on its curve, or at a `value`."""
    target, channel, driver = thread_of(scene, values.get("thread", ""))
    row, at = channels_of(target)[channel], round(place_of(scene, values, driver), 4)
    value = number(values["value"], row.move, row.low, row.high, row.units) if "value" in values else None
    track = track_of(scene, target, driver, channel)
    if track is None:
        key = Key(at=at, value=row.rest if value is None else value, ease="ease-in-out")
        track = Track(target=target, channel=channel, driver=driver, keys=(key,))
    else:
        track = with_key(track, at, value)
    return _put(scene, track), f"{named(scene, target)} {row.move}: a knot at {_place(driver, at)}"


@knot_edit("move-knots")
def move_knots(scene: Scene, values: Values) -> Edited:
    """Move the chosen knots `by` so much of their driver, no farther than its ends; with `snap` (how near counts) the one at
    `grab` comes to rest on another knot, the driver's place `here`, or a frame. `lift` adds to their values."""
    chosen = chosen_knots(scene, values.get("knots", ""))
    drivers = {each.track.driver for each in chosen}
    if len(drivers) > 1:
        raise BadEdit("knots: lie on threads of two drivers; move those of one at a time")
    driver = drivers.pop()
    end = scene.drivers.end(driver)
    by = number(values.get("by", "0"), "by", -36000, 36000, "s %")
    first, last = min(c.keys[0].at for c in chosen), max(c.keys[-1].at for c in chosen)
    by = min(max(by, -first), end - last)
    if values.get("snap"):
        grab, near = number(values.get("grab", "0"), "grab", 0, end), number(values["snap"], "snap", 0, end)
        by = min(max(_snapped(scene, chosen, values, grab + by, near) - grab, -first), end - last)
    tracks = []
    for each in chosen:
        row = channels_of(each.track.target)[each.track.channel]
        lift = number(values.get("lift", "0"), "by", row.low - row.high, row.high - row.low, row.units)
        low = row.low if row.least is None else max(row.low, row.least)
        still = [key for i, key in enumerate(each.track.keys) if i not in each.which]
        moved = [
            key.model_copy(
                update={
                    "at": _free(round(key.at + by, 6), still, end),
                    "value": min(max(key.value + lift, low), row.high),
                }
            )
            for key in each.keys
        ]
        tracks.append(_with_keys(each.track, [*still, *moved]))
    count = sum(len(each.which) for each in chosen)
    return _put(scene, *tracks), f"{counted(count, 'knot')} moved"


def _snapped(scene: Scene, chosen: list[Chosen], values: Values, at: float, near: float) -> float:
    """The place to rest on: a knot, the driver's place or its ends where one is near, else the driver's step."""
    driver, end = chosen[0].track.driver, scene.drivers.end(chosen[0].track.driver)
    moved = {(each.track.name, key.at) for each in chosen for key in each.keys}
    others = [k.at for t in scene.tracks if t.driver == driver for k in t.keys if (t.name, k.at) not in moved]
    if values.get("here"):
        others.append(number(values["here"], "here", 0, end))
    best = min([*others, 0.0, end], key=lambda place: abs(place - at))
    if abs(best - at) <= near:
        return best
    step = scene.drivers.step(driver)
    return min(end, round(at / step) * step)


def _free(at: float, still: list[Key], end: float) -> float:
    """The place, or the next one where no knot stands that is not moved."""
    at = min(max(at, 0.0), end)
    while any(abs(key.at - at) <= 1e-6 * end for key in still):
        at += 1e-4 * end if at + 1e-4 * end <= end else -3e-4 * end
    return at


@knot_edit("set-knots")
def set_knots(scene: Scene, values: Values) -> Edited:
    """The chosen knots' `value`, `ease` (a word, or four numbers of a curve of one's own), or the one chosen knot's place
    `at`."""
    chosen = chosen_knots(scene, values.get("knots", ""))
    tracks = []
    for each in chosen:
        row = channels_of(each.track.target)[each.track.channel]
        keys = list(each.track.keys)
        for index in each.which:
            changed: dict[str, Any] = {}
            if "value" in values:
                changed["value"] = number(values["value"], row.move, row.low, row.high, row.units)
            if "ease" in values:
                changed["ease"] = read_ease(values["ease"])
            keys[index] = keys[index].model_copy(update=changed)
        if "at" in values:
            if len(chosen) > 1 or len(each.which) > 1:
                raise BadEdit("place: more than one knot is chosen; choose the one that is to go there")
            index = each.which[0]
            at = place_of(scene, values, each.track.driver)
            if any(i != index and abs(k.at - at) <= SAME * max(1, at) for i, k in enumerate(keys)):
                raise BadEdit(f"place: a knot of this thread stands at {shown(at, 3)} already; choose another place")
            keys[index] = keys[index].model_copy(update={"at": at})
        tracks.append(_with_keys(each.track, keys))
    count = sum(len(each.which) for each in chosen)
    return _put(scene, *tracks), f"{counted(count, 'knot')} changed"


def read_ease(text: str) -> Any:
    """An easing as it is typed: a word, or four numbers."""
    if text in EASING_NAMES:
        return text
    parts = text.replace(",", " ").replace("(", " ").replace(")", " ").replace("cubic-bezier", " ").split()
    if len(parts) != 4:
        raise BadEdit(
            f"easing: {text[:40]!r} is neither one of {', '.join(EASING_NAMES)} nor four numbers as 0.3 0 0.7 1"
        )
    x1, y1, x2, y2 = (number(part, "easing", -1e3, 1e3) for part in parts)
    if not (0 <= x1 <= 1 and 0 <= x2 <= 1):
        raise BadEdit("easing: the first and third number must be within 0 and 1, since a driver does not run back")
    return (x1, y1, x2, y2)


@knot_edit("remove-knots")
def remove_knots(scene: Scene, values: Values) -> Edited:
    """Take the chosen knots out; a thread without knots is gone."""
    chosen = chosen_knots(scene, values.get("knots", ""))
    tracks = [_with_keys(c.track, [k for i, k in enumerate(c.track.keys) if i not in c.which]) for c in chosen]
    count = sum(len(each.which) for each in chosen)
    return _put(scene, *tracks), f"{counted(count, 'knot')} taken out"


@knot_edit("paste-knots")
def paste_knots(scene: Scene, values: Values) -> Edited:
    """Put copied knots in, the first of them at `at`: `clip` is JSON, a list of {"thread", "at", "value", "ease"}. They go to
    their own threads; those of one thread alone go to `thread` where that is given. A knot that stands in their place goes."""
    clip = _read_clip(values.get("clip", ""))
    threads = dict.fromkeys(each["thread"] for each in clip)
    onto = values.get("thread", "")
    tracks: dict[Thread, Track | None] = {}
    start = min(each["at"] for each in clip)
    for each in clip:
        target, channel, driver = thread_of(scene, onto if onto and len(threads) == 1 else each["thread"])
        row, end = channels_of(target)[channel], scene.drivers.end(driver)
        at = round(place_of(scene, values, driver) + each["at"] - start, 9)
        if at > end * (1 + SAME):
            raise BadEdit(
                f"The last of them would lie at {shown(at, 3)}, past the {driver}'s end at {shown(end, 3)}; paste earlier"
            )
        if not row.low <= each["value"] <= row.high or (row.least is not None and each["value"] < row.least):
            raise BadEdit(f"{row.move}: {each['value']:g} is out of range; paste onto another thread")
        thread = (target, channel, driver)
        track = tracks.get(thread) or track_of(scene, target, driver, channel)
        key = Key(at=min(at, end), value=each["value"], ease=each["ease"])
        others = [k for k in track.keys if abs(k.at - key.at) > SAME * end] if track else []
        tracks[thread] = Track(
            target=target, channel=channel, driver=driver, keys=tuple(sorted([*others, key], key=lambda k: k.at))
        )
    return _put(scene, *(track for track in tracks.values() if track)), f"{counted(len(clip), 'knot')} pasted"


def _read_clip(text: str) -> list[dict[str, Any]]:
    wrong = BadEdit("Nothing that could be pasted was copied; choose knots and copy them first")
    if len(text) > MOST_PASTED:
        raise BadEdit("These are too many knots to paste at once; copy fewer")
    try:
        clip = json.loads(text)
        found = [
            {
                "thread": str(each["thread"]),
                "at": float(each["at"]),
                "value": float(each["value"]),
                "ease": each["ease"],
            }
            for each in clip
        ]
        for each in found:
            Key(at=each["at"], value=each["value"], ease=each["ease"])
    except (ValueError, TypeError, KeyError):
        raise wrong from None
    if not found:
        raise wrong
    return found


@knot_edit("reverse-knots")
def reverse_knots(scene: Scene, values: Values) -> Edited:
    """Swap the direction of the chosen knots: what came last comes first, between the same ends, eased as before."""
    chosen = chosen_knots(scene, values.get("knots", ""))
    if sum(len(each.which) for each in chosen) < 2:
        raise BadEdit("One knot has no direction; choose two or more")
    first, last = min(c.keys[0].at for c in chosen), max(c.keys[-1].at for c in chosen)
    tracks = []
    for each in chosen:
        run = range(each.which[0], each.which[-1] + 1)
        if len(run) != len(each.which):
            raise BadEdit("Between the chosen knots stand others that are not; choose them too, or fewer")
        keys = list(each.track.keys)
        turned = mirrored(each.keys, (first + last) / 2)
        others = [key for i, key in enumerate(keys) if i not in each.which]
        if {round(k.at, 9) for k in turned} & {round(k.at, 9) for k in others}:
            raise BadEdit("A knot that is not chosen stands where one would come to lie; choose it too")
        tracks.append(_with_keys(each.track, [*others, *turned]))
    return _put(scene, *tracks), "Knots turned round"


@knot_edit("scale-knots")
def scale_knots(scene: Scene, values: Values) -> Edited:
    """Spread or draw the chosen knots together: `factor` times as far from the place `about`."""
    chosen = chosen_knots(scene, values.get("knots", ""))
    factor = number(values.get("factor", ""), "factor", 0.001, 1000, "× x %")
    tracks = []
    for each in chosen:
        end, driver = scene.drivers.end(each.track.driver), each.track.driver
        about = place_of(scene, values, driver, "about")
        still = [key for i, key in enumerate(each.track.keys) if i not in each.which]
        places = [about + (key.at - about) * factor for key in each.keys]
        if min(places) < -SAME * end or max(places) > end * (1 + SAME):
            raise BadEdit(f"factor: a knot would lie beyond the {driver}'s ends; take a smaller one, or another place")
        moved = [
            key.model_copy(update={"at": _free(min(max(at, 0.0), end), still, end)})
            for key, at in zip(each.keys, places, strict=True)
        ]
        tracks.append(_with_keys(each.track, [*still, *moved]))
    return _put(scene, *tracks), f"Knots {shown(factor, 3)} times as far from each other"


@edit("bend")
def bend(scene: Scene, values: Values) -> Edited:
    """Bend the easing that begins at the knot `at` of a `thread`: its `handle` 1 or 2 to a place `to_at` of the driver and a
    `to_value`."""
    target, channel, driver = thread_of(scene, values.get("thread", ""))
    track = track_of(scene, target, driver, channel)
    at = place_of(scene, values, driver)
    index = (
        next((i for i, k in enumerate(track.keys[:-1]) if abs(k.at - at) <= SAME * max(1, at)), None) if track else None
    )
    if track is None or index is None:
        raise BadEdit("That knot is no longer there; choose again")
    key, after = track.keys[index], track.keys[index + 1]
    piece = next(p for p in pieces_of(track.keys) if p.start == key.at)
    rise, span = after.value - key.value, after.at - key.at
    if piece.handles is None or piece.end != after.at:
        raise BadEdit("This easing has no handles; choose a curved one for the knot first")
    if rise == 0:
        raise BadEdit("Both knots have the same value, so nothing can bend between them; give one another value")
    x = min(1.0, max(0.0, (number(values.get("to_at", ""), "place", -36000, 72000) - key.at) / span))
    y = (number(values.get("to_value", ""), "value", -1e9, 1e9) - key.value) / rise
    x1, y1, x2, y2 = piece.handles
    ease = (round(x, 4), round(y, 4), x2, y2) if values.get("handle") == "1" else (x1, y1, round(x, 4), round(y, 4))
    keys = tuple(k.model_copy(update={"ease": ease}) if i == index else k for i, k in enumerate(track.keys))
    row = channels_of(target)[channel]
    return _put(scene, track.model_copy(update={"keys": keys})), f"{named(scene, target)} {row.move}: easing bent"


def _place(driver: str, at: float) -> str:
    return f"{shown(at, 3)} s" if driver == "time" else shown(at, 3)
