"""Level: a layer that goes along one axis also strays a little along the other, over the same driver; so does the
camera."""

from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.document import Layer, Scene, Track, seen_layers
from clinamen.core.motion.states import State
from clinamen.core.quantities import shown
from clinamen.core.stage import stage_at

STRAYS = 0.15  # of the main way: what goes farther across is meant
LEAST = 0.5  # view px
WORDS = {"x": "across", "y": "up and down"}


@register
class LevelCheck(Check):
    id = "level"
    name = "way that is not level"
    plural = "ways that are not level"
    description = "A layer that goes along one axis strays along the other."
    sure = "exact, from the knots"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        return f"strays {shown(finding.amount, 1)} px {WORDS.get(finding.side.split()[-1], 'aside')}"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "over the whole way"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for driver in ("scroll", "time"):
            found += _strays(subject, None, driver)
            for layer in seen_layers(subject.scene):
                if layer.art.group != "Weather":  # what falls may fall aslant
                    found += _strays(subject, layer, driver)
        return sorted(found, key=lambda finding: -finding.amount)


def _strays(subject: Subject, layer: Layer | None, driver: str) -> list[Finding]:
    """How far a layer, or the camera (None), strays across its main way over a driver."""
    scene = subject.scene
    target = layer.id if layer else "camera"
    ways = {axis: _way(scene, target, axis, driver) for axis in ("x", "y")}
    if None in ways.values():
        return []
    (main, far), (axis, little) = sorted(((a, _range(t)) for a, t in ways.items() if t), key=lambda each: -each[1])
    rate = float(stage_at(scene, State(), subject.motion, (layer,)).sheets[0].rate[0]) if layer else 1.0
    strays = little * rate
    if strays <= LEAST or little > STRAYS * far:
        return []
    track = ways[axis]
    assert track is not None
    worst = max(track.keys, key=lambda key: abs(key.value - track.keys[0].value))
    state = State(scroll=worst.at) if driver == "scroll" else State(time=worst.at)
    who = layer.label if layer else "The camera"
    goes = f"{who} goes {shown(far * rate, 0)} px {WORDS[main]} over the {driver}"
    message = f"{goes} and strays {shown(strays, 1)} px {WORDS[axis]}"
    values = {"layer": target, "driver": driver, "axis": axis}
    name = layer.label if layer else "the camera"
    fix = Fix("level", 0.0, "level", values, f"Take out what {name} goes {WORDS[axis]}")
    return [
        Finding(
            "level",
            "note",
            target if layer else "",
            state,
            strays,
            "px",
            subject.whole_view,
            message,
            f"{driver} {axis}",
            (fix,),
        )
    ]


def _way(scene: Scene, target: str, channel: str, driver: str) -> Track | None:
    return next((t for t in scene.tracks if t.keys and t.name[:3] == (target, channel, driver)), None)


def _range(track: Track) -> float:
    values = [key.value for key in track.keys]
    return max(values) - min(values)
