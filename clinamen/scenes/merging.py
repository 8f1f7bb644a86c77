"""Two edits made on one revision: merged when they touch different things, refused when they touch the same.

A document is flattened into paths (layers and tracks by what they are, not where they stand); an edit is the paths whose
values it changes.
"""

from typing import Any

Flat = dict[tuple[str, ...], Any]
_GONE = object()


def flatten(document: dict[str, Any]) -> Flat:
    """Leaf values by path; layers by id, tracks by target, channel, driver and count; orders as values of their own."""
    flat: Flat = {}
    for key, value in document.items():
        if key == "layers":
            flat[("layers", "order")] = [layer["id"] for layer in value]
            for layer in value:
                _leaves(flat, ("layers", "by-id", layer["id"]), layer)
        elif key == "tracks":
            names = _track_names(value)
            flat[("tracks", "order")] = names
            flat.update({("tracks", "by-name", name): track for name, track in zip(names, value, strict=True)})
        else:
            _leaves(flat, (key,), value)
    return flat


def _track_names(tracks: list[dict[str, Any]]) -> list[str]:
    seen: dict[str, int] = {}
    names = []
    for track in tracks:
        base = "/".join((track["target"], track["channel"], track["driver"]))
        seen[base] = seen.get(base, 0) + 1
        names.append(f"{base}/{seen[base]}")
    return names


def _leaves(flat: Flat, path: tuple[str, ...], value: Any) -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            _leaves(flat, (*path, key), inner)
    else:
        flat[path] = value


def unflatten(flat: Flat) -> dict[str, Any]:
    """The document of a flattened one."""
    document: dict[str, Any] = {"drivers": {}}
    layers: dict[str, dict[str, Any]] = {}
    for path, value in flat.items():
        if path[:2] == ("layers", "by-id"):
            _put(layers.setdefault(path[2], {}), path[3:], value)
        elif path[0] not in ("layers", "tracks"):
            _put(document, path, value)
    document["layers"] = [layers[layer_id] for layer_id in flat[("layers", "order")] if layer_id in layers]
    order = flat.get(("tracks", "order"), [])
    document["tracks"] = [flat[("tracks", "by-name", name)] for name in order if ("tracks", "by-name", name) in flat]
    return document


def _put(target: dict[str, Any], path: tuple[str, ...], value: Any) -> None:
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


def _changed(old: Flat, new: Flat) -> set[tuple[str, ...]]:
    return {path for path in old.keys() | new.keys() if old.get(path, _GONE) != new.get(path, _GONE)}
