"""The matrix's rows: every channel, blend mode, opacity, softness, repeat, tilt, loop and hold, each in a small scene of its own.

A row says which hands can carry it; what glTF has no words for (`gltf.leaves_out`) it is not asked for.
"""

from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np

from clinamen.core.document import BLEND_MODES, CAMERA_CHANNELS, LAYER_CHANNELS, LENS_CHANNELS, Scene
from clinamen.core.made.kinds import Panel
from clinamen.core.made.sources import Sources
from clinamen.core.motion.states import State
from tests.conftest import layer, noise, scene, track

WIDTH, HEIGHT = 480, 270
VIEW = {"width": WIDTH, "height": HEIGHT, "background": "#3a6a74"}
FROM_TO = {
    "x": (0, 70), "y": (0, -40), "z": (0, 160), "pitch": (0, 6), "yaw": (0, -7), "roll": (0, 14), "zoom": (1, 1.5),
    "scale": (1, 1.6), "rotation": (0, 55), "lean": (0, 40), "turn": (0, -35), "opacity": (1, 0.3), "depth": (0, 380),
    "blur": (0, 5), "arc": (0, 9), "crane": (0, -7), "focus": (0, -0.5), "aperture": (1, 2),
}  # fmt: skip
OPEN = {"aperture": 2.0, "pixels_per_metre": 400}
PANE = {"kind": "panel", "radius": 30, "border": 4}
LOOK = [
    {"step": "drop", "distance": 16, "blur": 5}, {"step": "white", "temperature": 0.6}, {"step": "fade", "y": 20, "to_y": 160},
    {"step": "rim", "width": 9},
]  # fmt: skip
HALF, END = State(0.45), State(1.0)


def soft_piece(width: int = 260, height: int = 200) -> np.ndarray:
    """Art with a soft round edge, so that nobody's way of smoothing outlines counts."""
    art = noise(width, height, 8, 50)
    y, x = np.mgrid[0:height, 0:width]
    away = np.hypot((x - width / 2) / (width * 0.42), (y - height / 2) / (height * 0.42))
    art[..., 3] = np.rint(255 * np.clip((1 - away) / 0.25, 0, 1))
    return art


ART = {"back": cv2.GaussianBlur(noise(620, 430, 3, 45), (0, 0), 2), "piece": soft_piece()}


def strip(columns: int, rows: int, count: int) -> np.ndarray:
    """An actor's strip: the soft piece, another colour and place in every cell."""
    whole = np.zeros((rows * 200, columns * 260, 4), np.uint8)
    for number in range(count):
        cell = np.roll(soft_piece(), (7 * number - 9, 11 * number - 14), (0, 1))
        cell[..., number % 3] //= 3
        row, column = divmod(number, columns)
        whole[row * 200 : (row + 1) * 200, column * 260 : (column + 1) * 260] = cell
    return whole


ALL, NO_GLTF = ("page", "kit", "gltf"), ("page", "kit")


@dataclass(frozen=True)
class Case:
    """One row: a scene, the states at which it is looked at, and the hands that carry it."""

    name: str
    made: Scene
    states: tuple[State, ...] = (HALF, END)
    hands: tuple[str, ...] = ALL
    art: dict[str, np.ndarray] = field(default_factory=lambda: ART)


def small(
    tracks: list[Any] = [], drivers: dict[str, Any] | None = None, camera: Any = {}, back: Any = 900, **piece: Any,  # noqa: B006
) -> Scene:  # fmt: skip
    """The small scene with a piece of these fields."""
    whole = {name: piece.pop(name) for name in ("carriers", "groups", "lens", "air", "light", "frame") if name in piece}
    fields = {"depth": -150, "framing": {"x": 30, "y": 10}, **piece}
    return scene(
        layer("back", 620, 430, depth=back, framing={"scale": 1.8}), layer("piece", 260, 200, **fields), view=VIEW, camera=camera,
        drivers=drivers or {"scroll": {"length": 900}}, tracks=tracks, **whole,
    )  # fmt: skip


def cases() -> list[Case]:
    rows = [Case("at rest", small(), (State(),))]
    for target, names in (("camera", CAMERA_CHANNELS), ("piece", LAYER_CHANNELS)):
        for name in names:
            start, end = FROM_TO[name]
            lens = {"lens": OPEN} if name in LENS_CHANNELS else {}
            moved = small([track(target, name, "scroll", (0, start, "ease-in-out"), (1, end))], **lens)
            unsaid = name in ("zoom", "opacity", "blur", *LENS_CHANNELS)
            rows.append(Case(f"{target} {name}", moved, hands=NO_GLTF if unsaid else ALL))
    rows += [
        Case(f"blend {mode}", small(blend=mode, opacity=0.85), (State(),), ALL if mode == "normal" else NO_GLTF)
        for mode in BLEND_MODES
    ]
    both = [track("camera", "zoom", "scroll", (0, 1), (1, 2)), track("piece", "blur", "scroll", (0, 6), (1, 6))]
    sliding = [track("camera", "x", "scroll", (0, 0), (1, 60)), track("piece", "blur", "scroll", (0, 4), (1, 4))]
    soft_small = small(both[1:], framing={"scale": 0.4})
    rows += [
        Case("softness under zoom 2", small(both), (State(), END), NO_GLTF),
        Case("softness of a small sheet", soft_small, (State(),), NO_GLTF),
        Case("softness of a sheet that slides, blended", small(sliding, blend="multiply"), hands=NO_GLTF),
        Case("softness at the view's edge", small(both[1:], framing={"x": 220, "y": 90}), (State(),), NO_GLTF),
        Case("drifts, begun again where time loops", small(
            [{"target": "piece", "channel": "x", "driver": "time", "drift": {"reach": 40, "pace": 0.6, "seed": 3}},
             {"target": "piece", "channel": "scale", "driver": "time", "drift": {"reach": 0.2, "pace": 0.5, "seed": 4}},
             {"target": "camera", "channel": "roll", "driver": "time", "drift": {"reach": 6, "pace": 0.4, "seed": 5}},
             track("piece", "x", "time", (0, 0), (5, 60))],
            drivers={"time": {"duration": 5, "loop": True}},
        ), (State(time=0.0), State(time=1.7), State(time=4.2))),
        Case("about an anchor", small(
            [track("piece", "rotation", "scroll", (0, -10, "ease-in"), (1, 60)), track("piece", "scale", "scroll", (0, 1), (1, 1.5)),
             track("piece", "lean", "scroll", (0, 0), (1, 25))],
            anchor={"x": -110, "y": 70}, tilt={"turn": 12}, framing={"x": 30, "y": 10, "rotation": 8, "scale": 0.9},
        ), (State(), HALF, END)),
        Case("an anchor of a sheet that stays upright", small(
            [track("piece", "scale", "scroll", (0, 1), (1, 0.5)), track("camera", "x", "scroll", (0, 0), (1, 60))],
            anchor={"x": 130, "y": 100}, framing={"x": -20, "y": 0}), (State(), HALF, END)),
        Case("round a place off the middle", small(
            [track("camera", "arc", "scroll", (0, -6, "ease-in"), (1, 14)), track("camera", "crane", "scroll", (0, 0), (1, 8)),
             track("camera", "x", "scroll", (0, 0), (1, 40)), track("camera", "yaw", "scroll", (0, 0), (1, 4))],
            camera={"target": {"x": 60, "y": -20, "depth": 250}, "arc": 3, "z": 30}, tilt={"turn": 15},
        ), (State(), HALF, END)),
        Case("on a carrier that turns, grows and goes back, on another", small(
            [track("raft", "x", "scroll", (0, 0), (1, 60)), track("raft", "rotation", "scroll", (0, 0, "ease-in"), (1, 50)),
             track("raft", "scale", "scroll", (0, 1), (1, 1.4)), track("float", "y", "scroll", (0, 0), (1, -30)),
             track("raft", "depth", "scroll", (0, 0), (1, 200)), track("piece", "y", "scroll", (0, 0), (1, 20)),
             track("piece", "rotation", "scroll", (0, 0), (1, -20))],
            carrier="raft", anchor={"x": 40, "y": 30}, tilt={"turn": 20}, carriers=[
                {"id": "raft", "at": {"x": -60, "y": 30}, "carrier": "float", "rotation": 10}, {"id": "float", "x": 8}],
        ), (State(), HALF, END)),
        Case("carried by a layer that moves, upright", small(
            [track("back", "x", "scroll", (0, 0), (1, 70)), track("back", "rotation", "scroll", (0, 0), (1, 12)),
             track("piece", "x", "scroll", (0, 0), (1, -50)), track("camera", "x", "scroll", (0, 0), (1, 40))],
            carrier="back"), (State(), HALF, END)),
        Case("carried along without a turn, in a group", small(
            [track("raft", "x", "scroll", (0, 0), (1, 70)), track("piece", "y", "scroll", (0, 0), (1, 30)),
             track("raft", "opacity", "scroll", (0, 1), (1, 1))],
            group="House", carriers=[{"id": "raft", "depth": 60}], groups=[{"name": "House", "carrier": "raft"}]),
            (State(), HALF, END), NO_GLTF),
        *(
            Case(f"an actor that plays {play}", small(
                [track("piece", "x", "scroll", (0, 0), (1, 30))],
                frames={"columns": 3, "rows": 2, "count": 5, "fps": 4, "offset": 0.3, "play": play}, carrier="raft",
                carriers=[{"id": "raft", "rotation": 8}],
                drivers={"scroll": {}, "time": {"duration": duration, "loop": loop}},
            ), tuple(State(time=at) for at in (0.0, 0.52, 1.1, 1.9, 3.3, 6.7)), ALL, {**ART, "piece": strip(3, 2, 5)})
            for play, duration, loop in (("cycle", 2.5, True), ("cycle", 3.1, True), ("once", 4, False), ("to-and-fro", 4, True))
        ),
        Case("stretched and skewed", small(
            [track("piece", "rotation", "scroll", (0, 0), (1, 40))], anchor={"x": 30, "y": -60},
            framing={"x": 30, "y": 10, "stretch": 0.6, "skew": 28, "rotation": 10}, tilt={"lean": 25}), (State(), HALF, END)),
        Case("straight stretches between keys", small([
            track("piece", "x", "scroll", (0, 0, {"linear": [[0, 0], [0.2, 1.2], [0.5, 0.7], [1, 1]]}), (0.9, 90)),
            track("camera", "roll", "scroll", (0.1, 0, {"linear": [[0, 0], [0.4, 0.9], [1, 1]]}), (1, 20)),
        ]), (State(0.3), HALF, END)),
        Case("a focus pull on a dolly, one sheet left out of it", small(
            [track("camera", "focus", "scroll", (0, -0.9, "ease-in"), (1, 0.1)), track("camera", "z", "scroll", (0, 0), (1, 160)),
             track("camera", "aperture", "scroll", (0, 1), (1, 0.7)), track("camera", "zoom", "scroll", (0, 1), (1, 1.2))],
            lens=OPEN, takes={"focus": False}), (State(), HALF, END), NO_GLTF),
        Case("out of focus and soft by itself, its depth changing", small(
            [track("piece", "depth", "scroll", (0, 0), (1, 600)), track("piece", "blur", "scroll", (0, 3), (1, 1))],
            lens=OPEN, camera={"focus": 0.9}), (State(), HALF, END), NO_GLTF),
        Case("out of focus on an arc round a place", small(
            [track("camera", "arc", "scroll", (0, -20), (1, 30)), track("camera", "crane", "scroll", (0, 0), (1, -12)),
             track("camera", "y", "scroll", (0, 0), (1, 30))],
            lens=OPEN, camera={"focus": 0.8, "target": {"x": 60, "y": -20, "depth": 250}}), (State(), HALF, END), NO_GLTF),
        Case("wears a look, lit, in air", small(
            [track("piece", "rotation", "scroll", (0, 0), (1, 30)), track("camera", "x", "scroll", (0, 0), (1, 40))],
            look=LOOK, air={"colour": "#d0b090", "visibility": 9000},
            light={"ambient": 0.7, "colour": "#c0d0ff", "key": {"x": 40, "depth": -60, "reach": 200, "level": 0.9, "colour": "#ffc080"}},
        ), (State(), END)),
        Case("an actor wears its group's look", small(
            [track("piece", "x", "scroll", (0, 0), (1, 30))], group="Cast", groups=[{"name": "Cast", "look": LOOK}],
            frames={"columns": 3, "rows": 2, "count": 5, "fps": 4}, drivers={"scroll": {}, "time": {"duration": 5, "loop": True}},
        ), (State(time=0.0), State(time=1.1)), ALL, {**ART, "piece": strip(3, 2, 5)}),
        Case("repeats under a look", small(
            [track("camera", "x", "scroll", (0, 0), (1, 500))], repeat={"x": "mirror", "y": "tile"}, framing={"x": 13, "y": 5, "scale": 0.6},
            look=[{"step": "glow", "of": "whole", "radius": 8}, {"step": "hue", "angle": 50}]), art={**ART, "piece": noise(260, 200, 12, 50)}),
        Case("frosts what is behind it", small(
            [track("camera", "x", "scroll", (0, 0), (1, 50)), track("piece", "scale", "scroll", (0, 1), (1, 1.4))],
            opacity=0.8, art={"made": PANE, "width": 260, "height": 160}, backdrop={"blur": 7, "saturation": 1.5},
        ), (State(), END), NO_GLTF, {**ART, "piece": Panel(**PANE).paint(260, 160, 1.0, Sources(lambda name: ([], 1, 1)))}),
        Case("framed between bars, corners rounded", small([track("camera", "x", "scroll", (0, 0), (1, 40))],
             frame={"aspect": 2.2, "corners": 30, "colour": "#203040"}), (State(), END), ("page",)),
        Case("framed as an ellipse", small([], frame={"shape": "ellipse", "colour": "#ffffff"}), (State(),), ("page",)),
        Case("soft by its look and by a track", small(
            [track("piece", "blur", "scroll", (0, 0), (1, 4))], look=[{"step": "soft", "radius": 3}]), (State(), END), NO_GLTF),
        Case("opacity at rest", small(opacity=0.4), (State(),)),
        Case("tilt", small(tilt={"lean": 35, "turn": -30}, framing={"x": 20, "rotation": 25, "scale": 1.2}), (State(),)),
        Case("infinitely far", small([track("camera", "x", "scroll", (0, 0), (1, 90))], back="infinite")),
        Case("drawn before what stands behind it", small(depth=2000), (State(),), NO_GLTF),
    ]  # fmt: skip
    for kind in ("tile", "mirror"):
        tile = {"piece": noise(260, 200, 12, 50)}
        across = [track("camera", "x", "scroll", (0, 0), (1, 700))]
        fields = {"repeat": {"x": kind, "y": kind}, "framing": {"x": 13, "y": 5, "scale": 0.6}}
        rows.append(Case(f"repeat {kind}", small(across, **fields), art={**ART, **tile}))
    clock = {"time": {"duration": 4, "loop": True}}
    turning = [track("piece", "rotation", "time", (0, 0), (4, 60))]
    stays = {"time": {"duration": 4, "loop": False}}
    steps = [track("piece", "x", "scroll", (0, 0, "hold"), (0.5, 60, "step-start"), (0.8, -40, "ease"), (1, 20))]
    early = [track("piece", "y", "scroll", (0.3, 30, "smooth"), (0.5, 50, "smooth"), (0.7, -20))]
    pointed = {"scroll": {"length": 900}, "pointer": {"reach_x": 50, "reach_y": -30}}
    odd = [track("piece", "x", "scroll", (0, 0, [0.3, -0.6, 0.4, 1.7]), (1, 90))]
    past = (State(time=1.5), State(time=9.0))
    rows += [
        Case("time begins again", small(turning, clock), past, NO_GLTF),
        Case("time stays at its end", small(turning, stays), past, NO_GLTF),
        Case("hold and jump", small(steps), tuple(State(at) for at in (0.3, 0.49, 0.6, 0.9)), NO_GLTF),
        Case("keys within the driver", small(early), tuple(State(at) for at in (0.1, 0.42, 0.61, 0.95))),
        Case("overshoot", small(odd), tuple(State(at) for at in (0.08, 0.5, 0.93))),
        Case("pointer", small([], pointed), (State(0, (0.8, -0.5)),), NO_GLTF),
        Case("a resting camera elsewhere", small(camera={"x": 25, "y": -15, "z": 90, "yaw": 4, "roll": -8}), (State(),)),
        Case("a resting zoom", small(camera={"zoom": 1.3}, opacity=0.7), (State(),)),
    ]  # fmt: skip
    return rows


CASES = cases()
