"""Handing on: what a carrier does over time and scroll, given to what rides on it, so that it may go and nobody sees it.

A carrier takes a point p of the framing to at + T·(p − at) + m, with a complex turn T = scale·e^(i·rotation) and a shift m. A
rider whose own point is p + q, q what its tracks add, is then seen where tracks (T − T₀)·(p − at) + T·q + m would take it alone,
T₀ the turn at rest. Scales and opacities multiply, rotations and depths add up. Where one easing cannot say what comes of two,
the easing is sampled.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.document import Bearer, Carrier, Key, Layer, Scene, Track, bearers_of, channels_of
from clinamen.core.document.motion import Ease, Linear
from clinamen.core.errors import BadEdit
from clinamen.core.motion.curves import Curve
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.stage import corners, project, stage_at
from clinamen.core.stage.formula import resting_anchor

NEAR = {
    "x": 0.02,
    "y": 0.02,
    "rotation": 0.01,
    "scale": 1e-4,
    "opacity": 1e-3,
    "depth": 0.05,
}  # how closely tracks are met
BESIDE = 1e-9  # of a driver's length: just before a jump
LOOKS, SPLITS = 24, 6  # places along a stretch that are looked at; how often it is halved where no easing says it
MOST_KEYS = 400
LOOKED_AT = 9  # places along a driver where what is seen is compared
SEEN = 0.5  # view px

Way = Callable[[Floats], Floats]


@dataclass(frozen=True)
class _Tracks:
    """The tracks of one target, by channel and driver."""

    keyed: dict[tuple[str, str], Track]
    drifts: dict[str, Track]

    @classmethod
    def of(cls, scene: Scene, target: str) -> "_Tracks":
        own = [track for track in scene.tracks if track.target == target]
        return cls(
            {(t.channel, t.driver): t for t in own if t.keys}, {t.channel: t for t in own if t.drift is not None}
        )

    def drivers(self, *channels: str) -> set[str]:
        return {driver for channel, driver in self.keyed if channel in channels}

    def way(self, channel: str, driver: str, rest: float) -> Way:
        """Values of a channel's track over a driver, `rest` everywhere where there is none."""
        track = self.keyed.get((channel, driver))
        return Curve(track).value if track else lambda at: np.full(len(at), rest)

    def chosen(self, channels: Iterable[str], driver: str) -> list[Track]:
        return [self.keyed[channel, driver] for channel in channels if (channel, driver) in self.keyed]


def handed_on(scene: Scene, gone: Bearer, after: Scene) -> Scene:
    """`after`, the scene without a carrier or a layer that carries, with what that did over the drivers given to its riders;
    BadEdit where no tracks of theirs could say it."""
    lost = _Tracks.of(scene, gone.id)
    riders = _riders(scene, gone)
    if not riders or not (lost.keyed or lost.drifts):
        return after
    tracks = {track.name: track for track in after.tracks}
    for rider in riders:
        for name in [name for name in tracks if name[0] == rider.id]:
            del tracks[name]
        tracks |= {track.name: track for track in _of_rider(scene, gone, lost, rider)}
    handed = after.model_copy(update={"tracks": tuple(tracks.values())})
    if _seen_apart(scene, handed, gone):
        raise BadEdit(_no(gone, "moves and turns in a way that what it carries cannot do by itself"))
    return handed


def _no(gone: Bearer, why: str) -> str:
    return f"{gone.label}: {why}; take its keys out first, or let it stay"


def _riders(scene: Scene, gone: Bearer) -> list[Bearer]:
    """Riders that it carries first of all: by itself, or with its group."""
    bearers: tuple[Bearer, ...] = (*scene.layers, *scene.carriers)
    return [
        each for each in bearers if each.id != gone.id and [by.id for by in bearers_of(scene, each)[:1]] == [gone.id]
    ]


def _of_rider(scene: Scene, gone: Bearer, lost: _Tracks, rider: Bearer) -> list[Track]:
    """All tracks of a rider with what the carrier did worked in."""
    own = _Tracks.of(scene, rider.id)
    turning = lost.drivers("scale", "rotation")
    at, turn = _rest_of(gone)
    moved = own.drivers("x", "y")
    away = _point_of(rider) - at
    if ({"scale", "rotation"} & set(lost.drifts)) or set(own.drifts) & set(lost.drifts):
        raise BadEdit(_no(gone, f"drifts in a way that {rider.label} cannot take over"))
    if (turning or abs(turn - 1) > 1e-12) and {"x", "y"} & set(own.drifts):
        raise BadEdit(_no(gone, f"turns {rider.label}, which drifts by itself"))
    if len(turning) > 1 or (turning and moved - turning):
        raise BadEdit(_no(gone, f"turns over one driver and {rider.label} moves over another"))
    made = [track.model_copy(update={"target": rider.id}) for track in lost.drifts.values()]
    made += own.drifts.values()
    for driver in ("scroll", "time"):
        made += _places(rider, driver, own, lost, at, turn, away, driver in turning)
        for channel in ("scale", "rotation", "opacity", "depth"):
            if not (channel == "depth" and isinstance(rider, Layer) and rider.depth == "infinite"):
                made += _together(
                    rider, channel, driver, [*own.chosen([channel], driver), *lost.chosen([channel], driver)]
                )
    kept = ("x", "y", "scale", "rotation", "opacity", "depth")
    return made + [track for (channel, _), track in own.keyed.items() if channel not in kept]


def _rest_of(gone: Bearer) -> tuple[complex, complex]:
    """The point it turns what it carries about, and its turn at rest: of a layer none."""
    if isinstance(gone, Carrier):
        return complex(gone.at.x, gone.at.y), gone.scale * np.exp(1j * np.radians(gone.rotation))
    return complex(gone.framing.x, gone.framing.y), 1 + 0j


def _point_of(rider: Bearer) -> complex:
    """The rider's own point of the framing at rest."""
    if isinstance(rider, Carrier):
        return complex(rider.at.x + rider.x, rider.at.y + rider.y)
    x, y, _ = resting_anchor(rider)
    return complex(rider.framing.x + x, rider.framing.y + y)


def _places(
    rider: Bearer, driver: str, own: _Tracks, lost: _Tracks, at: complex, turn: complex, away: complex, turns: bool
) -> list[Track]:
    """The tracks of x and y over a driver."""
    made = []
    for channel, part in (("x", np.real), ("y", np.imag)):
        if not turns and abs(turn - 1) < 1e-12:
            made += _together(rider, channel, driver, [*own.chosen([channel], driver), *lost.chosen([channel], driver)])
            continue
        said = ("scale", "rotation") if turns else ()
        sources = [*own.chosen(("x", "y"), driver), *lost.chosen((channel, *said), driver)]
        ways = {name: own.way(name, driver, 0.0) for name in ("x", "y")}
        lost_ways = {
            name: lost.way(name, driver, 1.0 if name == "scale" else 0.0) for name in ("x", "y", "scale", "rotation")
        }

        def value(
            places: Floats,
            part: Callable[..., Floats] = part,
            ways: dict[str, Way] = ways,
            gone: dict[str, Way] = lost_ways,
        ) -> Floats:
            now = turn * gone["scale"](places) * np.exp(1j * np.radians(gone["rotation"](places))) if turns else turn
            moved = ways["x"](places) + 1j * ways["y"](places)
            shift = gone["x"](places) + 1j * gone["y"](places)
            return np.asarray(part((now - turn) * away + now * moved + shift), float)

        made += _keyed(rider, channel, driver, sources, value)
    return made


def _together(rider: Bearer, channel: str, driver: str, sources: list[Track]) -> list[Track]:
    """One track that says what tracks of a channel say together."""
    if len(sources) == 1:
        return [sources[0].model_copy(update={"target": rider.id})]
    multiplies = channels_of(rider.id)[channel].combine == "multiply"
    curves = [Curve(track) for track in sources]

    def value(places: Floats) -> Floats:
        values = np.array([curve.value(places) for curve in curves])
        return np.asarray(values.prod(axis=0) if multiplies else values.sum(axis=0), float)

    return _keyed(rider, channel, driver, sources, value)


def _keyed(rider: Bearer, channel: str, driver: str, sources: list[Track], value: Way) -> list[Track]:
    """A track that meets a way, with keys where its sources have them, and between them where no easing says it."""
    if not sources:
        return []
    places = sorted({key.at for track in sources for key in track.keys})
    near, keys = NEAR[channel], list[Key]()
    for start, end in zip(places, places[1:], strict=False):
        eases = [key.ease for track in sources for key in track.keys if key.at == start]
        keys += _stretch(start, end, value, near, eases, SPLITS)
    keys.append(Key(at=places[-1], value=_plain(value(np.array([places[-1]]))[0])))
    if len(keys) > MOST_KEYS:
        raise BadEdit(f"{rider.label}: would need {len(keys)} keys of its own; take keys out first")
    if max(abs(key.value - keys[0].value) for key in keys) < near / 10 and abs(keys[0].value) < near / 10:
        return []
    return [Track(target=rider.id, channel=channel, driver=driver, keys=tuple(keys))]


def _stretch(start: float, end: float, value: Way, near: float, eases: Sequence[Ease], splits: int) -> list[Key]:
    """The keys from a place up to the next: one with an easing that its sources have, or one that is sampled, or more."""
    length = end - start
    shares = np.linspace(0, 1, LOOKS + 1)
    inside = start + length * shares
    inside[-1] = end - BESIDE * length
    values = value(inside)
    here, last, there = float(values[0]), float(values[-1]), float(value(np.array([end]))[0])
    if abs(there - last) > near:  # it jumps at the end: what comes before ends just before it
        before = end - 1e-6 * length
        return [*_stretch(start, before, value, near, eases, splits), Key(at=before, value=_plain(last), ease="hold")]
    candidates: list[Ease] = ["linear", *eases]
    for ease in candidates:
        key = Key(at=start, value=_plain(here), ease=ease)
        curve = Curve(Track(target="camera", channel="x", driver="time", keys=(key, Key(at=end, value=_plain(there)))))
        if np.abs(curve.value(inside) - values).max() <= near:
            return [key]
    rise = last - here
    if abs(rise) > 10 * near:
        looked = np.linspace(0, 1, 8 * LOOKS + 1)
        fine = value(start + length * np.minimum(looked, 1 - BESIDE))
        if np.abs(np.interp(looked, shares, values) - fine).max() <= near:
            points = [(float(share), float((each - here) / rise)) for share, each in zip(shares, values, strict=True)]
            points[0], points[-1] = (0.0, 0.0), (1.0, 1.0)
            return [Key(at=start, value=_plain(here), ease=Linear(linear=tuple(points)))]
    if not splits:
        return [Key(at=start, value=_plain(here))]
    middle = (start + end) / 2
    return [*_stretch(start, middle, value, near, [], splits - 1), *_stretch(middle, end, value, near, [], splits - 1)]


def _plain(value: float) -> float:
    return round(float(value), 6) + 0.0


def _seen_apart(scene: Scene, handed: Scene, gone: Bearer) -> bool:
    """True where any layer is seen elsewhere than before, or as opaque as it was not, at many states."""
    motions = Motion(scene), Motion(handed)
    layers = [layer for layer in scene.layers if gone.id in {by.id for by in bearers_of(scene, layer)}]
    for state in _states(scene):
        sheets = [
            stage_at(one, state, motion, tuple(one.layer(layer.id) for layer in layers)).sheets
            for one, motion in zip((scene, handed), motions, strict=True)
        ]
        for before, now in zip(*sheets, strict=True):
            places = [project(sheet.matrix[0], corners(sheet.layer)) for sheet in (before, now)]
            if not all(np.all(ahead > 0) for _, ahead in places):
                continue
            if np.abs(places[0][0] - places[1][0]).max() > SEEN or abs(before.opacity[0] - now.opacity[0]) > 0.01:
                return True
    return False


def _states(scene: Scene) -> list[State]:
    """States along each driver, at its keys and between, the other at either end."""
    along: dict[str, list[float]] = {}
    for driver in ("scroll", "time"):
        end = scene.drivers.end(driver) if scene.drivers.is_on(driver) else 0.0
        keys = sorted(
            {key.at for track in scene.tracks if track.driver == driver for key in track.keys if key.at <= end}
        )
        between = [(a + b) / 2 for a, b in zip(keys, keys[1:], strict=False)]
        along[driver] = sorted({*np.linspace(0, end, LOOKED_AT).tolist(), *keys, *between})
    ends = {driver: {places[0], places[-1]} for driver, places in along.items()}
    found = [State(scroll, time=time) for scroll in along["scroll"] for time in ends["time"]]
    return found + [State(scroll, time=time) for time in along["time"] for scroll in ends["scroll"]]
