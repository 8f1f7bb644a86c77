"""The largest camera move of a kind that opens no gap, by the proof's own search."""

from clinamen.core.bounds.gaps import Gap
from clinamen.core.bounds.search import TOLERANCE, Coverage, find_worst
from clinamen.core.checks.base import Subject
from clinamen.core.checks.closing import Trial, least
from clinamen.core.edits import apply
from clinamen.core.edits.registry import Values
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.moves import MOVES

TIMES = 4.0  # the usual size: larger moves are not tried


def largest_move(subject: Subject, values: Values) -> tuple[float, bool]:
    """The largest size (of the sign that the usual one has) at which the edit "move" with these values opens no gap, and whether
    a larger one would; 0 where even the smallest does."""
    move = MOVES[values["move"]]
    step = 1.0 if move.unit == "px" else 0.1
    start = min(move.usual(subject.scene) * TIMES, 85.0 if move.unit == "°" else subject.scene.lens_distance * 0.85)

    def make(size: float) -> Trial:
        scene, _ = apply(subject.scene, "move", {**values, "size": f"{max(size, step / 100):.9f}"})
        return scene, subject.sets, Motion(scene)

    view = subject.scene.view
    patch = (0.0, 0.0, float(view.width), float(view.height))
    worst = find_worst(Coverage(*make(start)), patch)
    if worst.lack <= TOLERANCE and worst.proved:
        return start, False
    return least(make, Gap(patch, "", worst), start, 0.0, step) or 0.0, True
