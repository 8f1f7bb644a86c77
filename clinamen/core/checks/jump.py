"""Jump: a layer stands at one place and, with nothing between, at another; turns another way from one frame to the next; or goes
on to the very end of time and stops dead.

All lie at keys, or at an end, so they are looked for there: just before and just after each key's place on its driver, with the
other drivers at rest. A jump of the camera moves every layer; the layer it moves most is named.
"""

import contextlib
from dataclasses import dataclass

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.checks.base import Check, Finding, Fix, Subject, describe_state, register
from clinamen.core.document import Layer, seen_layers
from clinamen.core.edits.registry import EDITS
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State, States
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import stage

LEAST = 0.5  # view px
DEAD = 60.0  # view px a second: what is quicker is seen to stop (common practice, no source)
TURN = 30.0  # degrees: another way (common practice, no source), where it is gone at half of DEAD on both sides of the turn
BESIDE = 1e-6  # of a driver's length: how far before and after a place is looked
MOST_PLACES = 400


@dataclass(frozen=True)
class Place:
    """How far a layer jumps at a place of a driver, in view px."""

    layer: Layer
    at: float
    pixels: float


@register
class JumpCheck(Check):
    id = "jump"
    name = "jump"
    plural = "jumps"
    description = "A layer leaps from one place to another, turns within one frame, or stops dead at the end of time."
    sure = "exact at every knot, the other drivers at rest"

    def short(self, finding: Finding) -> str:
        if finding.unit == "px":
            return f"jumps {shown(finding.amount, 0)} px"
        return "turns within one frame" if finding.side.startswith("turn") else "stops dead at the end"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for driver in ("scroll", "time"):
            if subject.scene.drivers.is_on(driver) and any(track.driver == driver for track in subject.scene.tracks):
                found += self._jumps(subject, driver)
        return found + self._turns(subject, {finding.state.time for finding in found}) + self._stops(subject)

    def _jumps(self, subject: Subject, driver: str) -> list[Finding]:
        end = subject.scene.drivers.end(driver)
        places = sorted(
            {key.at for t in subject.scene.tracks if t.driver == driver for key in t.keys if 0 < key.at < end}
        )
        if len(places) > MOST_PLACES:
            places = [places[i] for i in np.linspace(0, len(places) - 1, MOST_PLACES).astype(int)]
        if not places:
            return []
        layers = seen_layers(subject.scene)
        told = ("jumps", driver, end, *places)
        leaps = subject.kept_of_each(told, layers, lambda new: _leaps(subject, new, driver, np.array(places), end))
        ways = dict(zip((x.id for x in layers), leaps, strict=True))
        found = []
        for index, at in enumerate(places):
            jumps = [
                Place(x, at, float(ways[x.id][index])) for x in seen_layers(subject.scene) if ways[x.id][index] > LEAST
            ]
            if jumps:
                found.append(self._finding(subject, driver, max(jumps, key=lambda each: each.pixels), len(jumps) - 1))
        return found

    def _finding(self, subject: Subject, driver: str, worst: Place, others: int) -> Finding:
        state = State(scroll=worst.at) if driver == "scroll" else State(time=worst.at)
        more = f", and {others} more with it" if others else ""
        message = (
            f"{worst.layer.label} jumps {shown(worst.pixels, 1)} px{more} ({describe_state(subject.scene, state)})"
        )
        fixes = self._fixes(subject, worst.layer, driver, worst.at) if subject.with_fixes else ()
        side = f"{driver} {worst.at:.6g}"
        return Finding(
            self.id, "note", worst.layer.id, state, worst.pixels, "px", subject.whole_view, message, side, fixes
        )

    def _fixes(self, subject: Subject, layer: Layer, driver: str, at: float) -> tuple[Fix, ...]:
        """The way to the place eased, of what moves the layer or of the camera, where that takes the jump away."""
        for targets, who in ((sorted(subject.motion.movers(layer)), layer.label), (["camera"], "the camera")):
            values = {"targets": " ".join(targets), "driver": driver, "at": plain(at), "ease": "ease-in-out"}
            try:
                changed, _ = EDITS["ease-at"](subject.scene, values)
            except BadEdit:
                continue
            tried = Subject(changed, subject.sets, False)
            if _leaps(tried, (layer,), driver, np.array([at]), subject.scene.drivers.end(driver))[0][0] <= LEAST:
                return (Fix("ease", at, "ease-at", values, f"Let {who} go there smoothly"),)
        return ()

    def _turns(self, subject: Subject, jumps: set[float]) -> list[Finding]:
        """Moments at which a layer goes another way from one frame to the next; where it jumps it turns anyway."""
        time = subject.scene.drivers.time
        if time is None:
            return []
        ends = {time.duration} if time.loop and subject.scene.purpose != "film" else set()
        keys = {
            key.at for t in subject.scene.tracks if t.driver == "time" for key in t.keys if 0 < key.at < time.duration
        }
        places = sorted((keys | ends) - jumps)[:MOST_PLACES]
        layers = seen_layers(subject.scene)
        if not places or not layers:
            return []
        told = ("turns", time.duration, time.loop, *places)
        ways = subject.kept_of_each(told, layers, lambda new: _turns(subject, new, np.array(places), time.duration))
        found = []
        for index, at in enumerate(places):
            turned = [Place(x, at, float(way[index])) for x, way in zip(layers, ways, strict=True) if way[index] > 0]
            if turned:
                found.append(self._turn(subject, max(turned, key=lambda each: each.pixels), len(turned) - 1))
        return found

    def _turn(self, subject: Subject, worst: Place, others: int) -> Finding:
        state = State(time=worst.at)
        more = f", and {others} more with it" if others else ""
        message = (
            f"{worst.layer.label} turns within one frame, by {shown(worst.pixels, 0)} px a second{more} "
            f"({describe_state(subject.scene, state)})"
        )
        fixes = self._turn_fixes(subject, worst) if subject.with_fixes else ()
        return Finding(
            self.id, "note", worst.layer.id, state, worst.pixels, "px/s", subject.whole_view, message,
            f"turn {worst.at:.6g}", fixes,
        )  # fmt: skip

    def _turn_fixes(self, subject: Subject, worst: Place) -> tuple[Fix, ...]:
        """The ways to the place and on from it eased, of what moves the layer or of the camera, where that ends the turn."""
        for targets, who in (
            (sorted(subject.motion.movers(worst.layer)), worst.layer.label),
            (["camera"], "the camera"),
        ):
            values = {
                "targets": " ".join(targets),
                "driver": "time",
                "at": plain(worst.at),
                "ease": "ease-in-out",
                "around": "1",
            }
            try:
                changed, _ = EDITS["ease-at"](subject.scene, values)
            except BadEdit:
                continue
            tried = Subject(changed, subject.sets, False)
            if _turns(tried, (worst.layer,), np.array([worst.at]), subject.scene.drivers.end("time"))[0][0] == 0:
                return (Fix("ease", worst.at, "ease-at", values, f"Let {who} slow down there and go on"),)
        return ()

    def _stops(self, subject: Subject) -> list[Finding]:
        """Time that does not begin again ends while something still goes."""
        time = subject.scene.drivers.time
        if time is None or time.loop or subject.scene.purpose == "film":  # a film is cut there
            return []
        step = time.duration * BESIDE
        states = States.still(2, time=np.array([time.duration - 2 * step, time.duration - step]))
        layers = seen_layers(subject.scene)
        gone = subject.kept_of_each(("stops", time.duration), layers, lambda new: _at(subject, new, states))
        speeds = {x.id: float(np.linalg.norm(at[1] - at[0]) / step) for x, at in zip(layers, gone, strict=True)}
        if not speeds or max(speeds.values()) <= DEAD:
            return []
        quickest = max(layers, key=lambda x: speeds[x.id])
        speed, state = speeds[quickest.id], State(time=time.duration)
        goes = f"{quickest.label} goes {shown(speed, 0)} px a second when time ends"
        message = f"{goes} at {shown(time.duration, 2)} s, and stops dead"
        fixes: tuple[Fix, ...] = ()
        targets = sorted({t.target for t in subject.scene.tracks if t.driver == "time" and t.keys})
        if subject.with_fixes and targets:
            values = {"targets": " ".join(targets), "driver": "time", "at": plain(time.duration), "ease": "ease-out"}
            with contextlib.suppress(BadEdit):
                changed, _ = EDITS["ease-at"](subject.scene, values)
                if not JumpCheck()._stops(Subject(changed, subject.sets, False)):
                    fixes = (Fix("ease", time.duration, "ease-at", values, "Let what ends there slow down first"),)
        return [Finding(self.id, "note", quickest.id, state, speed, "px/s", subject.whole_view, message, "end", fixes)]


def _at(subject: Subject, layers: tuple[Layer, ...], states: States) -> list[Floats]:
    """Where each layer's middle is seen [N, 2]; where it is not before the camera, nowhere in particular."""
    sheets = stage(subject.scene, states, subject.motion, layers).sheets
    return [np.nan_to_num(sheet.centre()[0], nan=0.0, posinf=0.0, neginf=0.0) for sheet in sheets]


def _leaps(subject: Subject, layers: tuple[Layer, ...], driver: str, places: Floats, end: float) -> list[Floats]:
    """View px of each layer between just before and just after each place, what it goes in between taken off."""
    step = end * BESIDE
    around = (places[:, None] + step * np.array([-2, -1, 1, 2])).ravel()
    found = []
    for seen in _at(subject, layers, States.still(len(around), **{driver: around})):
        at = seen.reshape(len(places), 4, 2)
        before, after = at[:, 1] - at[:, 0], at[:, 3] - at[:, 2]
        found.append(np.linalg.norm(at[:, 2] - at[:, 1] - before - after, axis=1))
    return found


def _turns(subject: Subject, layers: tuple[Layer, ...], places: Floats, end: float) -> list[Floats]:
    """By how much each layer's velocity changes at each moment, view px a second; 0 where it goes on the same way or hardly goes.
    At the end of a loop the way on is that from its beginning."""
    step = end * BESIDE
    before, after = (places[:, None] + step * np.array(beside) for beside in ([-2, -1], [1, 2]))
    after = np.where(places[:, None] >= end, step * np.array([1, 2]), after)
    found = []
    for seen in _at(
        subject, layers, States.still(4 * len(places), time=np.concatenate([before, after], axis=1).ravel())
    ):
        at = seen.reshape(len(places), 4, 2)
        one, two = (at[:, 1] - at[:, 0]) / step, (at[:, 3] - at[:, 2]) / step
        speeds = np.linalg.norm(one, axis=1), np.linalg.norm(two, axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            turn = np.degrees(np.arccos(np.clip((one * two).sum(axis=1) / (speeds[0] * speeds[1]), -1, 1)))
        goes = np.minimum(*speeds) > DEAD / 2
        found.append(np.where(goes & (turn > TURN), np.linalg.norm(two - one, axis=1), 0.0))
    return found
