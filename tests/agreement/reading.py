"""Another reading of the written rules, apart from the core: plain numbers, one state at a time, no arrays.

It shares no code with the core but the document. Axes, signs and formulas as in docs/scene-document.md.
"""

import math
from typing import Any

Matrix = list[list[float]]
NAMED = {
    "linear": (0, 0, 1, 1), "ease": (0.25, 0.1, 0.25, 1), "ease-in": (0.42, 0, 1, 1), "ease-out": (0, 0, 0.58, 1),
    "ease-in-out": (0.42, 0, 0.58, 1),
}  # fmt: skip
FACTORS = ("zoom", "scale", "opacity")


def bezier(handles: Any, x: float) -> float:
    """y at x on a cubic-bezier(), its parameter found by bisection."""
    low, high = 0.0, 1.0
    for _ in range(200):
        t = (low + high) / 2
        if 3 * (1 - t) ** 2 * t * handles[0] + 3 * (1 - t) * t * t * handles[2] + t**3 < x:
            low = t
        else:
            high = t
    return 3 * (1 - t) ** 2 * t * handles[1] + 3 * (1 - t) * t * t * handles[3] + t**3


def along(keys: list[dict[str, Any]], at: float) -> float:
    """A track's value; smooth easings are not read here."""
    if at < keys[0]["at"]:
        return keys[0]["value"]
    for one, two in zip(keys, keys[1:], strict=False):
        if one["at"] <= at < two["at"]:
            if one["ease"] in ("hold", "step-end"):
                return one["value"]
            if one["ease"] == "step-start":
                return two["value"]
            share = (at - one["at"]) / (two["at"] - one["at"])
            if isinstance(one["ease"], dict):
                points = one["ease"]["linear"]
                (x0, y0), (x1, y1) = next((p, q) for p, q in zip(points, points[1:], strict=False) if share <= q[0])
                return one["value"] + (two["value"] - one["value"]) * (y0 + (y1 - y0) * (share - x0) / (x1 - x0))
            handles = NAMED[one["ease"]] if isinstance(one["ease"], str) else one["ease"]
            return one["value"] + (two["value"] - one["value"]) * bezier(handles, share)
    return keys[-1]["value"]


def channel(document: dict[str, Any], target: str, name: str, rest: float, state: dict[str, float]) -> float:
    value = rest
    for each in document["tracks"]:
        driver = document["drivers"].get(each["driver"])
        if each["target"] != target or each["channel"] != name or driver is None:
            continue
        at = state[each["driver"]]
        if each["driver"] == "time" and at > driver["duration"]:
            at = at % driver["duration"] if driver["loop"] else driver["duration"]
        told = along(each["keys"], at)
        value = value * told if name in FACTORS else value + told
    return value


def times(left: Matrix, right: Matrix) -> Matrix:
    return [[sum(left[i][k] * right[k][j] for k in range(3)) for j in range(3)] for i in range(3)]


def about(axis: str, degrees: float) -> Matrix:
    """Right-handed rotation matrices about x, y, z."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return {
        "x": [[1, 0, 0], [0, c, -s], [0, s, c]], "y": [[c, 0, s], [0, 1, 0], [-s, 0, c]],
        "z": [[c, -s, 0], [s, c, 0], [0, 0, 1]],
    }[axis]  # fmt: skip


def carried_by(document: dict[str, Any], rider: dict[str, Any]) -> list[str]:
    """Names of what carries a layer, the inner first: along carriers of carriers, then its groups'."""
    known = {each["id"]: each for each in [*document["layers"], *document.get("carriers", [])]}

    def up(one: dict[str, Any]) -> list[str]:
        found = [one["carrier"], *up(known[one["carrier"]])] if one.get("carrier") else []
        parts = one["group"].split(" / ") if one.get("group") else []
        for count in range(len(parts), 0, -1):
            for group in document.get("groups", []):
                if group["name"] == " / ".join(parts[:count]) and group.get("carrier"):
                    found += [group["carrier"], *up(known[group["carrier"]])]
        return found

    return list(dict.fromkeys(up(rider)))


def carrying(document: dict[str, Any], name: str, state: dict[str, float]) -> tuple[Any, dict[str, float]]:
    """The point that a carrier acts about, and what it does; a layer does what its tracks do to it."""
    rest = {"x": 0.0, "y": 0.0, "scale": 1.0, "rotation": 0.0, "opacity": 1.0, "depth": 0.0}
    for each in document.get("carriers", []):
        if each["id"] == name:
            moved = {key: channel(document, name, key, each[key], state) for key in rest}
            return (each["at"]["x"], each["at"]["y"]), moved
    (own,) = (each["framing"] for each in document["layers"] if each["id"] == name)
    return (own["x"], own["y"]), {key: channel(document, name, key, value, state) for key, value in rest.items()}


def seen(
    document: dict[str, Any], layer: dict[str, Any], state: dict[str, float], a: float, b: float
) -> tuple[Any, float]:
    """Where a point (a, b) of a layer's art, from its centre, is seen; and its q.z."""
    view, lens, rest = document["view"], document["lens"], {"arc": 0, "crane": 0, **document["camera"]}
    goal = rest.pop("target", {"x": 0, "y": 0, "depth": 0})
    distance = view["width"] * lens["focal_length"] / lens["sensor_width"]
    camera = {name: channel(document, "camera", name, rest[name], state) for name in rest}
    pointer = document["drivers"].get("pointer")
    if pointer:
        camera["x"] += state["u"] * pointer["reach_x"]
        camera["y"] += state["v"] * pointer["reach_y"]
    own = {"stretch": 1, "skew": 0, **layer["framing"], **layer["tilt"], "depth": layer["depth"]}
    sheet = {name: channel(document, layer["id"], name, own[name], state) for name in own if own[name] != "infinite"}
    shear, high = math.tan(math.radians(own["skew"])), own["stretch"]
    a, b = a + shear * b, high * b
    stand = times(times(about("y", sheet["turn"]), about("x", -sheet["lean"])), about("z", sheet["rotation"]))
    look = times(times(about("y", camera["yaw"]), about("x", camera["pitch"])), about("z", camera["roll"]))
    around = times(about("y", camera["arc"]), about("x", camera["crane"]))
    look = times(around, look)
    near = distance / (distance + goal["depth"])
    goal_at = (goal["x"] / near, goal["y"] / near, distance / near)
    away = [camera[axis] - goal_at[i] for i, axis in enumerate("xyz")]
    stands = [goal_at[i] + sum(around[i][k] * away[k] for k in range(3)) for i in range(3)]
    pin = layer.get("anchor", {"x": 0, "y": 0})
    pin = (pin["x"] + shear * pin["y"], high * pin["y"])
    rests = times(times(about("y", own["turn"]), about("x", -own["lean"])), about("z", own["rotation"]))
    place = [own["scale"] * (rests[i][0] * pin[0] + rests[i][1] * pin[1]) for i in range(3)]
    place = [place[0] + sheet["x"], place[1] + sheet["y"], place[2]]
    size, depth = sheet["scale"], sheet.get("depth", 0)
    for name in carried_by(document, layer):
        at, moved = carrying(document, name, state)
        turned = about("z", moved["rotation"])
        off = [place[0] - at[0], place[1] - at[1], place[2]]
        off = [moved["scale"] * sum(turned[i][k] * off[k] for k in range(3)) for i in range(3)]
        place = [at[0] + moved["x"] + off[0], at[1] + moved["y"] + off[1], off[2]]
        stand, size, depth = times(turned, stand), size * moved["scale"], depth + moved["depth"]
    rate = 0.0 if layer["depth"] == "infinite" else distance / (distance + depth)
    world = [
        place[i]
        + (distance if i == 2 else 0)
        + size * ((a - pin[0]) * stand[i][0] + (b - pin[1]) * stand[i][1])
        - rate * stands[i]
        for i in range(3)
    ]
    q = [sum(look[k][i] * world[k] for k in range(3)) for i in range(3)]
    focal = camera["zoom"] * distance
    return (view["width"] / 2 + focal * q[0] / q[2], view["height"] / 2 + focal * q[1] / q[2]), q[2]
