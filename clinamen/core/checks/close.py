"""Close: a loop that does not come back to where it began: at its seam a layer leaps by so many px, or an actor by so many cells.

Exact: every layer at the loop's two ends, with the scroll at either end. Art that repeats has closed where it stands a whole
number of repeats farther; what is out of the view at both ends may leap unseen.
"""

from dataclasses import dataclass
from functools import partial

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.checks.base import Check, Finding, Fix, Subject, Where, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits.registry import EDITS
from clinamen.core.made.kinds import Shadow
from clinamen.core.motion.cells import period
from clinamen.core.motion.states import State
from clinamen.core.quantities import plain, shown
from clinamen.core.stage import Sheet, corners, project, stage_at

TOLERANCE = 0.5  # view px
SEEN = 1 / 255  # of opacity
A_CELL = 0.5  # cells: less is not a cell
CELLS = "cells"  # the side of a finding about an actor's cycle
MOST_FPS = 240
LOOKS = 48  # lines of sight along each side of the view


@dataclass(frozen=True)
class Leap:
    """By how far a layer leaps, in view px, and in opacity; where it stands before and after."""

    pixels: float
    opacity: float
    where: Where


@register
class CloseCheck(Check):
    id = "close"
    name = "loop that leaps"
    plural = "loops that leap"
    description = "A layer is not where it began when the scene's time begins again."
    sure = "exact, at both ends of the loop"

    def short(self, finding: Finding) -> str:
        if finding.side == CELLS:
            return f"leaps {shown(finding.amount, 1)} {finding.unit} where time begins again"
        if finding.unit == self.unit:
            return f"leaps {shown(finding.amount, 1)} px where time begins again"
        return f"changes its opacity by {shown(finding.amount, 0)} % where time begins again"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return f"where time begins again, at {shown(finding.state.time, 2)} s"

    def run(self, subject: Subject) -> list[Finding]:
        time = subject.scene.drivers.time
        if time is None or not time.loop or subject.scene.purpose == "film":
            return []
        found = []
        for layer in seen_layers(subject.scene):
            leaps_of = partial(self._leaps, subject, layer)
            # a shadow is seen where who casts it is, which its own numbers do not say
            leaps = leaps_of() if _caster(subject.scene, layer) is not layer else subject.kept(self.id, layer, leaps_of)
            leap, scroll = max(leaps, key=lambda each: (each[0].pixels, each[0].opacity))
            if leap.pixels > TOLERANCE or leap.opacity > SEEN:
                fixes = _fixes(subject, layer) if subject.with_fixes else ()
                found.append(self._finding(layer, leap, State(scroll, time=time.duration), fixes))
            found += self._cells(subject, layer, time.duration)
        return sorted(found, key=lambda finding: -finding.amount)

    def _leaps(self, subject: Subject, layer: Layer) -> list[tuple[Leap, float]]:
        scrolls = (0.0, 1.0) if subject.scene.drivers.scroll else (0.0,)
        return [(_leap(subject, layer, scroll), scroll) for scroll in scrolls]

    def _cells(self, subject: Subject, layer: Layer, duration: float) -> list[Finding]:
        """An actor whose cycles do not fill the loop, where it is seen at the seam; what plays once begins again by itself."""
        frames = layer.frames
        if frames is None or frames.count == 1 or frames.play == "once":
            return []
        cycle = period(frames)
        cycles = max(1, round(duration / cycle))
        leaps = abs(duration - round(duration / cycle) * cycle) * frames.fps
        boxes = [_seen(subject.scene, sheet) for sheet in _ends(subject, layer, 0.0)]
        box = next((each for each in boxes if each is not None), None)
        if leaps < A_CELL or box is None:
            return []
        unit = "cell" if shown(leaps, 1) == "1" else "cells"
        message = (
            f"{layer.label} leaps {shown(leaps, 1)} {unit} where time begins again, at {shown(duration, 2)} s: its cycle takes "
            f"{shown(cycle, 3)} s, which does not divide the loop"
        )
        fixes: tuple[Fix, ...] = ()
        fps = round(frames.fps * cycle * cycles / duration, 4)
        if subject.with_fixes and fps <= MOST_FPS:
            fixes = (
                Fix("fps", fps, "actor", {"layer": layer.id, "fps": plain(fps)}, f"Play {shown(fps)} cells a second"),
            )
        where = Where(box[0], box[1], box[2] - box[0], box[3] - box[1])
        state = State(time=duration)
        return [Finding(self.id, "warning", layer.id, state, leaps, unit, where, message, CELLS, fixes)]

    def _finding(self, layer: Layer, leap: Leap, state: State, fixes: tuple[Fix, ...]) -> Finding:
        ways = [f"leaps {shown(leap.pixels, 1)} px"] if leap.pixels > TOLERANCE else []
        ways += [f"changes its opacity by {shown(100 * leap.opacity, 0)} %"] if leap.opacity > SEEN else []
        message = f"{layer.label} {' and '.join(ways)} where time begins again, at {shown(state.time, 2)} s"
        moved = leap.pixels > TOLERANCE
        amount, unit = (leap.pixels, self.unit) if moved else (100 * leap.opacity, "% of opacity")
        return Finding(self.id, "warning", layer.id, state, amount, unit, leap.where, message, "", fixes)


def _fixes(subject: Subject, layer: Layer) -> tuple[Fix, ...]:
    """Ends that meet: of what moves the layer, of the camera, of both; the first that closes it."""
    scene = subject.scene
    own = sorted(subject.motion.movers(_caster(scene, layer)))
    for targets, who in (
        (own, layer.label),
        (["camera"], "the camera"),
        ([*own, "camera"], f"{layer.label} and the camera"),
    ):
        values = {"targets": " ".join(targets)}
        changed, _ = EDITS["meet-ends"](scene, values)
        if changed.tracks == scene.tracks:
            continue
        tried = Subject(changed, subject.sets, False)
        scrolls = (0.0, 1.0) if scene.drivers.scroll else (0.0,)
        leaps = [_leap(tried, layer, scroll) for scroll in scrolls]
        if all(leap.pixels <= TOLERANCE and leap.opacity <= SEEN for leap in leaps):
            return (Fix("meet", 0.0, "meet-ends", values, f"Let {who} end where it begins"),)
    return ()


def _leap(subject: Subject, layer: Layer, scroll: float) -> Leap:
    end, begin = _ends(subject, layer, scroll)
    looked_for = _caster(subject.scene, layer)  # a shadow is seen where who casts it is
    sheets = (end, begin) if looked_for is layer else _ends(subject, looked_for, scroll)
    boxes = [box for sheet in sheets if (box := _seen(subject.scene, sheet)) is not None]
    if not boxes:
        return Leap(0.0, 0.0, Where(0, 0, 0, 0))
    opacity = abs(float(end.opacity[0] - begin.opacity[0]))
    left, top = (min(box[axis] for box in boxes) for axis in (0, 1))
    right, bottom = (max(box[axis] for box in boxes) for axis in (2, 3))
    return Leap(_away(layer, end.matrix[0], begin.matrix[0]), opacity, Where(left, top, right - left, bottom - top))


def _ends(subject: Subject, layer: Layer, scroll: float) -> tuple[Sheet, Sheet]:
    """A layer at the loop's end, and where it begins again."""
    time = subject.scene.drivers.time
    assert time is not None
    states = State(scroll, time=time.duration), State(scroll)
    end, begin = (stage_at(subject.scene, state, subject.motion, (layer,)).sheets[0] for state in states)
    return end, begin


def _caster(scene: Scene, layer: Layer) -> Layer:
    made = layer.art.made
    return scene.layer(made.of) if isinstance(made, Shadow) else layer


def _seen(scene: Scene, sheet: Sheet) -> tuple[float, float, float, float] | None:
    """The box of the view that a sheet stands in; None where it is out of sight."""
    view = scene.view
    if float(sheet.opacity[0]) <= SEEN:
        return None
    points, ahead = project(sheet.matrix[0], corners(sheet.layer))
    whole = 0.0, 0.0, float(view.width), float(view.height)
    if sheet.layer.repeats:
        return whole
    if np.any(ahead <= 0):
        return whole if _met(scene, sheet) else None
    low, high = np.maximum(points.min(axis=0), 0), np.minimum(points.max(axis=0), [view.width, view.height])
    return None if np.any(high <= low) else (*low.tolist(), *high.tolist())


def _met(scene: Scene, sheet: Sheet) -> bool:
    """True where one of many lines of sight over the view meets a sheet that goes on behind the camera."""
    x, y = np.meshgrid(*(np.linspace(0, side, LOOKS) for side in (scene.view.width, scene.view.height)))
    looks = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)]) @ np.linalg.inv(sheet.matrix[0]).T
    art = looks[:, :2] / looks[:, 2:]
    half = np.array([sheet.layer.art.width, sheet.layer.art.height]) / 2
    return bool(np.any((looks[:, 2] > 0) & np.all(np.abs(art) <= half, axis=1)))


def _away(layer: Layer, end: Floats, begin: Floats) -> float:
    """How far the art's corners stand apart at most, whole repeats taken off."""
    shift = np.eye(3)
    sizes = [side * {"none": 0, "tile": 1, "mirror": 2}[how] for side, how in
             ((layer.art.width, layer.repeat.x), (layer.art.height, layer.repeat.y))]  # fmt: skip
    if any(sizes):
        at = np.linalg.inv(end) @ begin @ np.array([0.0, 0.0, 1.0])  # where the end shows what stood in the middle
        for axis, size in enumerate(sizes):
            if size:
                shift[axis, 2] = round(float(at[axis] / at[2]) / size) * size
    points = [project(matrix, corners(layer))[0] for matrix in (end @ shift, begin)]
    return float(np.linalg.norm(points[0] - points[1], axis=1).max())
