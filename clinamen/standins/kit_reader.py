"""Reads an engine kit: kit.json and its pages, nothing else. The example to port.

Written from docs/engine-kit.md alone: keys with their easings, holds and jumps, the loop of time, placing, sampling,
softness and opacity; sampling and blending are beside it. It is exact rather than quick.
"""

import json
import math
from pathlib import Path
from typing import Any

import numpy as np

from clinamen.standins.kit_blending import frosted, laid
from clinamen.standins.kit_matrices import pitch, roll, yaw
from clinamen.standins.kit_pages import art_of
from clinamen.standins.kit_sampling import soft_sample

SOLVED = 1e-12


def eased(handles: list[float], x: float) -> float:
    """cubic-bezier(x1, y1, x2, y2) at input progress x."""
    x1, y1, x2, y2 = handles
    low, high = 0.0, 1.0
    for _ in range(60):  # x rises with the parameter, so halving finds it
        t = (low + high) / 2
        at = 3 * x1 * t * (1 - t) ** 2 + 3 * x2 * t * t * (1 - t) + t**3
        low, high = (t, high) if at < x else (low, t)
        if high - low < SOLVED:
            break
    return 3 * y1 * t * (1 - t) ** 2 + 3 * y2 * t * t * (1 - t) + t**3


def track_value(track: dict[str, Any], at: float) -> float:
    """A track's value: held before its first key and after its last, eased between."""
    keys = track["keys"]
    if at < keys[0]["at"]:
        return float(keys[0]["value"])
    for key, after in zip(keys, keys[1:], strict=False):
        if at < after["at"]:
            if key["ease"] == "hold":
                return float(key["value"])
            if key["ease"] == "jump":
                return float(after["value"])
            progress = eased(key["ease"], (at - key["at"]) / (after["at"] - key["at"]))
            return float(key["value"] + (after["value"] - key["value"]) * progress)
    return float(keys[-1]["value"])


class Kit:
    """A kit on disk: its numbers, and each layer's art (by id and cell) as `kit_pages` gives it."""

    def __init__(self, folder: Path) -> None:
        self.data = json.loads((folder / "kit.json").read_text())
        self.art = art_of(folder, self.data)

    def at(self, driver: str, state: dict[str, float]) -> float:
        """Where a driver's tracks stand: scroll within 0…1; time begun again past its end where it loops, else held."""
        if driver == "scroll":
            return min(1.0, max(0.0, state["scroll"]))
        clock = self.data["drivers"]["time"]
        if state["time"] > clock["duration"] and clock["loop"]:
            return state["time"] % clock["duration"]
        return min(max(0.0, state["time"]), clock["duration"])

    def channels(self, target: str, values: dict[str, float], state: dict[str, float]) -> dict[str, float]:
        """Resting values with every track of `target` that these have a channel for worked in, from its keys."""
        values = dict(values)
        for track in self.data["tracks"]:
            if track["target"] == target and track["channel"] in values:
                value, old = track_value(track, self.at(track["driver"], state)), values[track["channel"]]
                values[track["channel"]] = old * value if track["combine"] == "multiply" else old + value
        return values

    def camera(self, state: dict[str, float]) -> dict[str, float]:
        """The camera's channels at a state."""
        opened = self.data["lens"].get("open", {"aperture": 1.0})
        resting = {"arc": 0.0, "crane": 0.0, "focus": 1.0, "aperture": opened["aperture"], **self.data["camera"]}
        channels = self.channels("camera", resting, state)
        pointer = self.data["drivers"].get("pointer")
        if pointer:
            channels["x"] += state["u"] * pointer["reach_x"]
            channels["y"] += state["v"] * pointer["reach_y"]
        return channels

    def cell(self, layer: dict[str, Any], state: dict[str, float]) -> int | None:
        """Which of an actor's cells is shown."""
        frames = layer.get("frames")
        if frames is None:
            return None
        at = self.at("time", state) if "time" in self.data["drivers"] else 0.0
        step, count = math.floor(frames["fps"] * (at + frames["offset"]) + 1e-9), frames["count"]
        if frames["play"] == "once":
            return min(max(step, 0), count - 1)
        if frames["play"] == "cycle" or count == 1:
            return step % count
        return min(step % (2 * count - 2), 2 * count - 2 - step % (2 * count - 2))

    def carrier(self, name: str, state: dict[str, float]) -> dict[str, Any]:
        """A carrier's channels at a state, and the point [3] that it turns and grows things about."""
        entry = next(each for each in self.data["carriers"] if each["id"] == name)
        rest = {key: entry[key] for key in ("x", "y", "scale", "rotation", "opacity", "depth")}
        return {**self.channels(name, rest, state), "at": np.array([entry["at"]["x"], entry["at"]["y"], 0])}

    def matrix(self, layer: dict[str, Any], state: dict[str, float]) -> tuple[np.ndarray, float, float]:
        """From art pixels, counted from the art's centre, to view pixels, [3, 3]; the opacity; the softness (view pixels)."""
        framing, tilt, lens, view = layer["framing"], layer["tilt"], self.data["lens"], self.data["view"]
        far = layer["depth"] == "infinite"
        resting = {**framing, **tilt, "opacity": layer["opacity"], "depth": 0 if far else layer["depth"], "blur": 0}
        sheet, camera, distance = self.channels(layer["id"], resting, state), self.camera(state), lens["distance"]
        turn, own = (yaw(at["turn"]) @ pitch(-at["lean"]) @ roll(at["rotation"]) for at in (sheet, resting))
        # the art's own shape first: an art pixel down is `stretch` high and leans by `skew`
        shape = np.array([[1, math.tan(math.radians(framing.get("skew", 0)))], [0, framing.get("stretch", 1)], [0, 0]])
        anchor = shape @ [layer.get("anchor", {"x": 0, "y": 0})[axis] for axis in "xy"]
        place = np.array([sheet["x"], sheet["y"], 0]) + resting["scale"] * own @ anchor  # where the anchor rests
        for by in (self.carrier(name, state) for name in layer.get("carriers", ())):
            round_it, at = by["scale"] * roll(by["rotation"]), by["at"]
            place = at + [by["x"], by["y"], 0] + round_it @ (place - at)
            turn, sheet["scale"] = roll(by["rotation"]) @ turn, sheet["scale"] * by["scale"]
            sheet["opacity"], sheet["depth"] = sheet["opacity"] * by["opacity"], sheet["depth"] + by["depth"]
        rate = 0.0 if far else distance / (distance + sheet["depth"])
        around = yaw(camera["arc"]) @ pitch(camera["crane"])
        look = around @ yaw(camera["yaw"]) @ pitch(camera["pitch"]) @ roll(camera["roll"])
        aim = self.data["camera"].get("target", {"x": 0, "y": 0, "depth": 0})  # what arcs go round
        target = np.array([aim["x"], aim["y"], distance]) * (1 + aim["depth"] / distance)
        eye = target + around @ ([camera[axis] for axis in "xyz"] - target)
        origin = place + np.array([0, 0, distance]) - sheet["scale"] * turn @ anchor - rate * eye
        columns = np.column_stack([sheet["scale"] * turn @ shape, origin])
        focal = camera["zoom"] * distance
        project = np.array([[focal, 0, view["width"] / 2], [0, focal, view["height"] / 2], [0, 0, 1]])
        soft = math.hypot(max(0.0, sheet["blur"]), self.disc(layer, rate, camera, eye[2] / distance) / 4)
        return project @ look.T @ columns, min(1.0, max(0.0, sheet["opacity"])), soft

    def disc(self, layer: dict[str, Any], rate: float, camera: dict[str, float], along: float) -> float:
        """Diameter (view pixels) of the disc that the lens makes of a point of a sheet."""
        lens = self.data["lens"].get("open")
        if lens is None or not layer.get("takes_focus", True):
            return 0.0
        focus = max(0.0, camera["focus"])
        sharp = (1 - focus * (along + lens["near"])) * (1 - rate * along)
        return camera["zoom"] * lens["slope"] / camera["aperture"] * abs(focus - rate) / sharp

    def draw(self, state: dict[str, float], scale: float = 1.0) -> np.ndarray:
        """The view [h, w, 3] uint8 at a state: layers in the kit's order, each over what is behind it."""
        view = self.data["view"]
        width, height = round(view["width"] * scale), round(view["height"] * scale)
        background = [int(view["background"][i : i + 2], 16) / 255 for i in (1, 3, 5)]
        canvas = np.broadcast_to(np.array(background, np.float32), (height, width, 3)).copy()
        for layer in self.data["layers"]:
            matrix, opacity, blur = self.matrix(layer, state)
            art = self.art.get((layer["id"], self.cell(layer, state)))
            if opacity > 0 and art is not None:
                shown = np.diag([scale, scale, 1]) @ matrix
                sampled = soft_sample(layer, art, shown, width, height, blur * scale)
                if "backdrop" in layer:
                    larger = np.linalg.norm(shown[:2, 0]) / shown[2, 2] / layer["framing"]["scale"]
                    canvas = frosted(canvas, sampled[..., 3:], layer["backdrop"], larger, opacity)
                canvas = laid(canvas, sampled * opacity, layer["blend"])
        return np.round(np.clip(canvas, 0, 1) * 255).astype(np.uint8)
