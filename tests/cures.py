"""Random small scenes and the judges of cures: what a fix leaves in the proof, and in rendered pictures."""

import functools
import math
from typing import Any

import numpy as np
from scipy import ndimage

from clinamen.core.checks import Finding, prove
from clinamen.core.checks.base import CHECKS, Fix, Subject
from clinamen.core.document import Scene
from clinamen.core.edits import apply
from clinamen.core.motion.states import State
from clinamen.core.pictures.telling import Telling
from clinamen.core.raster import render
from tests.conftest import layer, scene, shelf_of, track

WIDE, HIGH, FINE = 320, 180, 1
TIMES = 3  # how much larger than first thought of everything is, so that a hundredth of a cure is seen
VIEW = {"width": WIDE, "height": HIGH, "background": "#000000"}
Art = dict[str, np.ndarray]
EASES = ("linear", "ease", "smooth", "hold", "ease-in-out")


def flat(width: int, height: int, inside: np.ndarray | None = None, seed: int = 0) -> np.ndarray:
    """Art of soft colours, clear where it is not `inside`."""
    rng = np.random.default_rng(seed)
    colours = ndimage.zoom(rng.integers(60, 256, (3, 4, 3)).astype(float), (height / 3, width / 4, 1), order=1)
    art = np.full((height, width, 4), 255, np.uint8)
    art[: colours.shape[0], : colours.shape[1], :3] = np.clip(colours, 0, 255)[:height, :width]
    if inside is not None:
        art[~inside, 3] = 0
    return art


def random_world(seed: int, most: int = 2) -> tuple[Scene, Art]:
    """Up to `most` sheets under drivers; what they need to cover is often a little too small."""
    rng = np.random.default_rng(seed)
    layers, art, tracks = [], {}, []
    drivers: dict[str, Any] = {}
    if rng.random() < 0.65:
        drivers["scroll"] = {"length": int(rng.choice([300, 900, 4000]))}
    if rng.random() < 0.3:
        drivers["pointer"] = {"reach_x": TIMES * int(rng.integers(0, 12)), "reach_y": TIMES * int(rng.integers(0, 7))}
    if rng.random() < 0.25 or not drivers:
        drivers["time"] = {"duration": int(rng.choice([1, 2, 6])), "loop": bool(rng.random() < 0.5)}
    over = [name for name in ("scroll", "time") if name in drivers]
    end = {"scroll": 1, "time": drivers.get("time", {}).get("duration", 1)}
    for name in "abcde"[: rng.integers(1, most + 1)]:
        width, height = (TIMES * int(at) for at in (rng.integers(96, 160), rng.integers(55, 95)))
        fields: dict[str, Any] = {
            "depth": float(TIMES * rng.choice([-30, 0, 60, 200])) if rng.random() < 0.8 else "infinite"
        }
        fields["framing"] = {
            "x": float(TIMES * rng.integers(-9, 10)),
            "y": float(TIMES * rng.integers(-5, 6)),
            "scale": float(rng.choice([0.7, 1, 1.3])),
        }
        if rng.random() < 0.06 * most - 0.1:
            fields["tilt"] = {"lean": float(rng.integers(-15, 15)), "turn": float(rng.integers(-15, 15))}
        if rng.random() < 0.15:
            fields["repeat"] = {"x": "tile", "y": "none"}
        inside = None
        if rng.random() < 0.35 and name != "a":
            y, x = np.mgrid[0:height, 0:width]
            inside = np.hypot((x - width / 2) / width, (y - height / 2) / height) < 0.3
        art[name] = flat(width, height, inside, seed)
        layers.append(layer(name, width, height, **fields))
        if over and rng.random() < 0.3:
            driver = str(rng.choice(over))
            channel, far = [("x", 25 * TIMES), ("y", 10 * TIMES), ("rotation", 9)][rng.integers(3)]
            tracks.append(
                track(
                    name,
                    channel,
                    driver,
                    (0, 0, str(rng.choice(EASES))),
                    (end[driver], float(rng.integers(-far, far + 1))),
                )
            )
    for driver in over:
        for channel, far in (("x", 20 * TIMES), ("y", 8 * TIMES), ("z", 30 * TIMES), ("roll", 5)):
            if rng.random() < {"x": 0.7, "y": 0.25}.get(channel, 0.05 * most - 0.05):
                ease, last = str(rng.choice(EASES)), end[driver]
                values = rng.integers(-far, far + 1, 2)
                tracks.append(
                    track(
                        "camera",
                        channel,
                        driver,
                        (0, 0, ease),
                        (0.6 * last, float(values[0]), ease),
                        (last, float(values[1])),
                    )
                )
    return scene(*layers, view=VIEW, drivers=drivers, tracks=tracks, title=f"World {seed}"), art


def odd_world(seed: int) -> tuple[Scene, Art]:
    """Sheets that cover the view, with what is wrong elsewhere: order, loops that do not close, holds, turns, feet, focus, joints,
    fringes, subjects left behind."""
    rng = np.random.default_rng(seed)
    width, height = 460, 260
    y, x = np.mgrid[0:height, 0:width]
    place = flat(width, height, seed=seed)
    disc = np.hypot(x - rng.integers(150, 310), y - rng.integers(100, 160)) < rng.integers(30, 60)
    left = place.copy()
    left[disc] = (230, 40, 30, 255)
    piece = left.copy()
    piece[~disc, 3] = 0
    rim = ndimage.binary_dilation(disc, iterations=2) & ~ndimage.binary_erosion(disc, iterations=1)
    haloed = np.where(rim[..., None], np.uint8(255), piece)
    art = {"wall": left if rng.random() < 0.5 else place, "piece": haloed if rng.random() < 0.3 else piece,
           "walker": np.concatenate([flat(60, 90, np.hypot(x[:90, :60] - 30, y[:90, :60] - 45) < 25, seed + n) for n in range(4)], axis=1),
           "band": flat(120, 40, seed=seed + 9)}  # fmt: skip
    depth = {name: float(rng.choice([0, 60, 150, 300])) for name in art}
    duration = float(rng.choice([1.5, 2, 3]))
    drivers: dict[str, Any] = {"time": {"duration": duration, "loop": bool(rng.random() < 0.6)}}
    if rng.random() < 0.6:
        drivers["scroll"] = {"length": 600}
    tracks = []
    for name in art:
        if rng.random() < 0.6:
            ways = [
                (0, 0, str(rng.choice(EASES))),
                (duration / 2, float(rng.integers(-60, 60)), str(rng.choice(EASES))),
            ]
            back = 0.0 if rng.random() < 0.5 else float(rng.integers(-60, 60))
            tracks.append(track(name, str(rng.choice(["x", "y"])), "time", *ways, (duration, back)))
        if rng.random() < 0.2:
            tracks.append(track(name, "depth", "time", (0, 0), (duration, float(rng.integers(-100, 100)))))
    if "scroll" in drivers:
        tracks.append(track("camera", "x", "scroll", (0, 0), (1, float(rng.integers(10, 60)))))
        if rng.random() < 0.4:
            tracks.append(track("camera", "y", "scroll", (0, 0), (0.5, float(rng.choice([3, -4]))), (1, 0)))
    frames = {"columns": 4, "rows": 1, "count": 4, "fps": float(rng.choice([4, 5, 7]))}
    lens = {"aperture": 0.4, "pixels_per_metre": 400} if rng.random() < 0.4 else {}
    order = [layer("wall", width, height, depth=depth["wall"])]
    rest = [layer("band", 120, 40, depth=depth["band"], repeat={"x": "tile", "y": "none"}, framing={"y": 60}),
            layer("piece", width, height, depth=depth["piece"]),
            layer("walker", 60, 90, depth=depth["walker"], frames=frames, framing={"y": 10})]  # fmt: skip
    order += [rest[at] for at in rng.permutation(3)]
    camera = {"focus": float(rng.choice([0.7, 0.9, 1.4]))} if lens else {}
    made = scene(*order, view=VIEW, drivers=drivers, tracks=tracks, lens=lens, camera=camera, title=f"Odd world {seed}")
    return made, art


def findings_of(made: Scene, art: Art, fixes: bool = False) -> list[Finding]:
    shelf = shelf_of(art, made)
    return prove(made, shelf.opaque_sets(made), fixes, Telling(shelf))


def still_found(made: Scene, art: Art, finding: Finding) -> list[str]:
    """What a finding's own check says of the same in another scene."""
    shelf = shelf_of(art, made)
    subject = Subject(made, shelf.opaque_sets(made), False, art=Telling(shelf))
    return [each.message for each in CHECKS[finding.check].run(subject) if each.key == finding.key]


def cured(made: Scene, fix: Fix, values: dict[str, str] | None = None) -> Scene:
    return apply(made, fix.edit, values or fix.values)[0]


JUDGED = 5.0  # view px: a weaker cure falls short by a hundredth, and by no less than what a picture tells for sure
TRAVEL = 60.0 * TIMES  # view px: no camera of a random world goes farther


def weaker(made: Scene, fix: Fix) -> dict[str, str] | None:
    """The values of a cure of a scene that is a hundredth less, or falls short by JUDGED px; None where it is no number."""
    if fix.edit == "framing":
        own = made.layer(fix.values["layer"])
        more = max(0.01 * fix.value, 2 * JUDGED / min(own.art.width, own.art.height, WIDE, HIGH))
        field, value = "scale", fix.value + (more if fix.value < own.framing.scale else -more)
    elif fix.edit == "extend":
        scale = made.layer(fix.values["layer"]).framing.scale
        field, value = "pixels", math.floor(min(fix.value * 0.99, fix.value - JUDGED / scale))
    elif fix.edit == "pointer-reach":
        field, value = "reach", max(fix.value * 1.01, fix.value + 2 * JUDGED)
    elif fix.edit == "shorten":
        field, value = "share", max(fix.value * 1.01, fix.value + 4 * JUDGED / TRAVEL)
    elif fix.edit == "driver":
        field, value = next(name for name in ("length", "duration") if name in fix.values), fix.value * 0.99
    else:
        return None
    if value <= 0 or (field == "share" and value >= 1):
        return None
    return {**fix.values, field: f"{value:.9f}".rstrip("0").rstrip(".")}


def states_of(made: Scene, seed: int, count: int) -> list[State]:
    """Some of the ends and keys of all drivers, and of the states between."""
    rng = np.random.default_rng(seed)
    time = made.drivers.time.duration if made.drivers.time else 0.0
    scrolls = [0, 0.5999, 0.6, 1] if made.drivers.scroll else [0]
    times = [0, 0.5999 * time, 0.6 * time, time] if time else [0]
    ends = (-1, 1) if made.drivers.pointer else (0,)
    states = [State(s, (u, v), t) for s in scrolls for u in ends for v in ends for t in times]
    most = [bool(made.drivers.scroll), *[bool(made.drivers.pointer)] * 2, time]
    free = rng.uniform([0, -most[1], -most[2], 0], most, (max(2, count // 4), 4))
    between = [State(float(s), (float(u), float(v)), float(t)) for s, u, v, t in free]
    chosen = rng.permutation(len(states))[: count - len(between)]
    return [*(states[index] for index in chosen), *between]


@functools.cache
def _border(width: int, height: int, side: str) -> np.ndarray:
    """Art that is opaque only along one side, so that a picture shows nothing else."""
    art = np.zeros((height, width, 4), np.uint8)
    line = {"left": np.s_[:, 0], "right": np.s_[:, -1], "top": np.s_[0], "bottom": np.s_[-1]}[side]
    art[line] = 255
    return art


class Pictures:
    """Pictures of a scene, FINE pixels a view pixel."""

    def __init__(self, made: Scene, art: Art) -> None:
        loader = shelf_of(art, made).loader(made, FINE)
        # the same state is looked at for what belongs to a side and for what touches it
        self.alpha = functools.cache(lambda state: render(made, state, loader, FINE, transparent=True)[..., 3])

    def bare(self, state: State, side: str, touching: bool = False) -> float:
        """How deep, in view px, the view is bare at a state in openings that belong to a side of it: of those along which they are
        deepest the one they take most of; "": that touch none. `touching`: in all that touch the side."""
        bare = self.alpha(state) < 128
        if not bare.any():
            return 0.0
        away = ndimage.distance_transform_edt(np.pad(bare, 400) if bare.all() else bare) / FINE
        labels, count = ndimage.label(bare, np.ones((3, 3)))
        deepest = 0.0
        for part in range(1, count + 1):
            mine = np.where(labels == part, away, 0.0)
            lines = {"left": mine[:, 0], "right": mine[:, -1], "top": mine[0], "bottom": mine[-1]}
            deep = max(float(line.max()) for line in lines.values())
            along: dict[str, float] = {
                name: int((line > 0).sum()) for name, line in lines.items() if line.max() >= max(deep - 1, 1e-9)
            }
            if not touching and _in_a_corner(lines):
                continue
            if all(line.max() > 0 for line in lines.values()) and len(along) > 1:  # bare from side to side
                along = {name: float(lines[name][lines[name] > 0].mean()) for name in along}
            if (touching and side and lines[side].max() > 0) or side == (
                max(along, key=lambda name: along[name]) if along else ""
            ):
                deepest = max(deepest, float(mine.max()))
        return deepest


def _in_a_corner(lines: dict[str, np.ndarray]) -> bool:
    """True of an opening that takes as much of one side as of the next: which it belongs to is anybody's choice."""
    long = sorted((int((line > 0).sum()) for line in lines.values()), reverse=True)
    return bool(long[1] and long[0] <= 3 * long[1])


def shows_border(made: Scene, layer_id: str, side: str, state: State) -> bool:
    """True where a picture of the layer's border alone shows it inside the view at a state."""
    own = made.layer(layer_id)
    alone = made.model_copy(
        update={"layers": (own.model_copy(update={"recipe": None, "blend": "normal", "opacity": 1.0}),)}
    )
    alpha = Pictures(alone, {layer_id: _border(own.art.width, own.art.height, side)}).alpha(state)
    # the last row of the art lies in the view where its outer edge lies on the view's
    edge = math.ceil(FINE * (1.5 * own.framing.scale * made.camera.zoom + 1))
    inner = alpha[edge:-edge, edge:-edge]
    return bool((inner > 128).any())
