"""Two edits made on one revision: merged when they touch different things, refused when they touch the same.

A document is flattened into paths: layers and carriers by their id, tracks by target, channel and driver, keys by where they
stand on their track. An edit is the paths whose values it changes, so two people moving two keys of one track both win.
"""

import json
from dataclasses import dataclass
from typing import Any

Path = tuple[Any, ...]
Flat = dict[Path, Any]
_GONE = object()
_ORDER = ("layers", "order")
_NAMED_BY = {"accepted": "finding", "carriers": "id", "groups": "name"}  # lists whose entries are told by a name


def flatten(document: dict[str, Any]) -> Flat:
    """Leaf values by path; the order of layers is a value of its own, that of tracks says nothing."""
    flat: Flat = {}
    for key, value in document.items():
        if key == "layers":
            flat[_ORDER] = [layer["id"] for layer in value]
            for layer in value:
                _leaves(flat, ("layers", "by-id", layer["id"]), layer)
        elif key == "tracks":
            for track in value:
                _track(flat, track)
        elif key in _NAMED_BY:
            for each in value:
                _leaves(flat, (key, each[_NAMED_BY[key]]), each)
        else:
            _leaves(flat, (key,), value)
    return flat


def _track(flat: Flat, track: dict[str, Any]) -> None:
    name = ("tracks", track["target"], track["channel"], track["driver"], "drift" if track.get("drift") else "keys")
    for field, value in track.items():
        if field == "keys":
            for key in value:
                flat[(*name, "key", key["at"])] = {each: number for each, number in key.items() if each != "at"}
        elif field not in ("target", "channel", "driver"):
            _leaves(flat, (*name, "field", field), value)


def _leaves(flat: Flat, path: Path, value: Any) -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            _leaves(flat, (*path, key), inner)
    else:
        flat[path] = value


def unflatten(flat: Flat) -> dict[str, Any]:
    """The document of a flattened one; tracks in the order of their names' first paths, keys in order along them."""
    document: dict[str, Any] = {"drivers": {}}
    layers: dict[str, dict[str, Any]] = {}
    tracks: dict[Path, dict[str, Any]] = {}
    named: dict[str, dict[str, dict[str, Any]]] = {}
    for path, value in flat.items():
        if path[:2] == ("layers", "by-id"):
            _put(layers.setdefault(path[2], {}), path[3:], value)
        elif path[0] == "tracks":
            _put_track(tracks, path, value)
        elif path[0] in _NAMED_BY:
            _put(named.setdefault(path[0], {}).setdefault(path[1], {}), path[2:], value)
        elif path != _ORDER:
            _put(document, path, value)
    document["layers"] = [layers[layer_id] for layer_id in flat[_ORDER] if layer_id in layers]
    document |= {key: list(entries.values()) for key, entries in named.items()}
    for track in tracks.values():
        track.get("keys", []).sort(key=lambda key: key["at"])
    document["tracks"] = [track for track in tracks.values() if track.get("keys") or track.get("drift")]
    return document


def _put_track(tracks: dict[Path, dict[str, Any]], path: Path, value: Any) -> None:
    _, target, channel, driver, has, kind, *rest = path
    track = tracks.setdefault(
        path[:5], {"target": target, "channel": channel, "driver": driver, has: [] if has == "keys" else {}}
    )
    if kind == "key":
        track["keys"].append({"at": rest[0], **value})
    else:
        _put(track, tuple(rest), value)


def _put(target: dict[str, Any], path: Path, value: Any) -> None:
    for key in path[:-1]:
        target = target.setdefault(key, {})
    target[path[-1]] = value


def merge(base: dict[str, Any], mine: dict[str, Any], theirs: dict[str, Any]) -> dict[str, Any] | None:
    """`theirs` with my changes since `base`; None when both changed the same thing to different values."""
    old, own, other = flatten(base), flatten(mine), flatten(theirs)
    changed_by_me = _changed(old, own)
    changed_by_them = _changed(old, other)
    for path in changed_by_me & changed_by_them:
        if own.get(path, _GONE) != other.get(path, _GONE):
            return None
    merged = dict(other)
    for path in changed_by_me:
        if path in own:
            merged[path] = own[path]
        else:
            merged.pop(path, None)
    return unflatten(merged)


def _changed(old: Flat, new: Flat) -> set[Path]:
    return {path for path in old.keys() | new.keys() if old.get(path, _GONE) != new.get(path, _GONE)}


@dataclass(frozen=True)
class Part:
    """One thing that a version changed: its path, what it is called, and its values in the version and in the head, as text."""

    path: Path
    says: str
    mine: str
    theirs: str

    @property
    def key(self) -> str:
        """What names it in a form."""
        return json.dumps(self.path)


def differences(base: dict[str, Any], mine: dict[str, Any], theirs: dict[str, Any]) -> list[Part]:
    """What `mine` changed since `base` and `theirs` has otherwise."""
    old, own, other = flatten(base), flatten(mine), flatten(theirs)
    names = {layer["id"]: layer.get("name") or layer["id"] for each in (theirs, mine) for layer in each["layers"]}
    changed = [path for path in _changed(old, own) if own.get(path, _GONE) != other.get(path, _GONE)]
    return sorted(
        (Part(path, _called(path, names), _shown(own, path), _shown(other, path)) for path in changed),
        key=lambda part: part.says,
    )


def with_parts(mine: dict[str, Any], theirs: dict[str, Any], parts: list[Part]) -> dict[str, Any]:
    """`theirs` with some parts as `mine` has them."""
    own, merged = flatten(mine), flatten(theirs)
    for part in parts:
        if part.path in own:
            merged[part.path] = own[part.path]
        else:
            merged.pop(part.path, None)
    return unflatten(merged)


def _called(path: Path, names: dict[str, str]) -> str:
    """What a path is called: the layer by its name, then the field."""
    if path[:2] == ("layers", "by-id"):
        return f"{names.get(path[2], path[2])}: {' '.join(str(word) for word in path[3:])}"
    if path[0] == "tracks":
        target = names.get(path[1], path[1])
        at = f", key at {path[6]}" if path[5:6] == ("key",) else ""
        return f"{target}: {path[2]} over {path[3]}{at}"
    return " ".join(str(word) for word in path)


def _shown(flat: Flat, path: Path) -> str:
    if path not in flat:
        return "not there"
    value = flat[path]
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)[:120]
