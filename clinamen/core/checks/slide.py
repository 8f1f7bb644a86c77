"""Slide: an actor's feet slip over the ground, because a cycle covers more or less of it than passes beneath.

The ground is the nearest layer that is drawn before the actor at the actor's own rate; the stride is measured on its cells.
"""

from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits.depth import resting_rate
from clinamen.core.motion.states import State
from clinamen.core.quantities import plain, shown
from clinamen.core.stride import Slide, slide_of

BESIDE = 0.05  # of the rate: what stands no farther away is the ground beneath the feet
LEAST, SHARE = 2.0, 0.03  # view px a cycle, and of a stride: how closely cells tell it
WALKS = 0.02  # of its width: an actor whose cells cover less stands


@register
class SlideCheck(Check):
    id = "slide"
    name = "sliding feet"
    plural = "actors that slide"
    description = "An actor's feet slip over the ground."
    sure = "measured on the cells to about 3 %, on average over the time"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        return f"slides {shown(finding.amount, 1)} px each cycle"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "over every cycle"

    def run(self, subject: Subject) -> list[Finding]:
        if subject.art is None or subject.scene.drivers.time is None:
            return []
        found = []
        for actor in seen_layers(subject.scene):
            ground = ground_of(subject.scene, actor)
            if actor.frames is None or ground is None:
                continue
            stride = subject.art.stride(actor)
            if stride < WALKS * actor.art.width:
                continue
            slide = slide_of(subject.scene, actor, ground, stride)
            if slide.ground > LEAST and slide.slides > max(LEAST, SHARE * slide.stride):
                found.append(self._finding(subject, actor, ground, slide))
        return sorted(found, key=lambda finding: -finding.amount)

    def _finding(self, subject: Subject, actor: Layer, ground: Layer, slide: Slide) -> Finding:
        message = (
            f"{actor.label} slides {shown(slide.slides, 1)} px each cycle: its feet cover {shown(slide.stride, 1)} px, "
            f"{ground.label} passes by {shown(slide.ground, 1)}"
        )
        fixes: tuple[Fix, ...] = ()
        if slide.fps is not None:
            fps = round(slide.fps, 4)
            values = {"layer": actor.id, "fps": plain(fps)}
            fixes = (Fix("fps", fps, "actor", values, f"Play {shown(fps)} cells a second"),)
        return Finding(
            self.id,
            "warning",
            actor.id,
            State(),
            slide.slides,
            self.unit,
            subject.whole_view,
            message,
            ground.id,
            fixes,
        )

    def key(self, finding: Finding) -> tuple[str, str, str]:
        return finding.check, finding.layer, ""


def ground_of(scene: Scene, actor: Layer) -> Layer | None:
    """The layer under an actor's feet; None where none stands at its rate."""
    rate, before = resting_rate(scene, actor), []
    for layer in seen_layers(scene):
        if layer.id == actor.id:
            break
        if layer.frames is None and layer.art.group not in ("Weather", "Film", "Shadow"):
            before.append(layer)
    near = [each for each in before if rate and abs(resting_rate(scene, each) - rate) <= BESIDE * rate]
    return min(reversed(near), key=lambda each: abs(resting_rate(scene, each) - rate), default=None)
