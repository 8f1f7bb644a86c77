"""Fringe: along the edge of what was cut out, colours of the old background are left.

Three kinds: a cut of a recipe whose edge lies on the way to what it was cut from; art that came cut out, with a rim that
has neither its own colour nor that of what stands behind it; a rectangle cut loose, whose edge runs through the old background.
"""

import numpy as np

from clinamen.core.arrays import Floats
from clinamen.core.checks.base import Check, Finding, Fix, Subject, register
from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.edits.registry import EDITS
from clinamen.core.errors import ClinamenError
from clinamen.core.motion.states import State
from clinamen.core.pictures.rims import Rim, ready_cut_fringe, rim_of
from clinamen.core.pictures.shelf import ROUGH
from clinamen.core.pictures.telling import cut_steps
from clinamen.core.prep.colour import delta_e, lab
from clinamen.core.prep.steps import Fringe, RectangleCut
from clinamen.core.quantities import shown
from clinamen.core.raster import background, render
from clinamen.core.recipes import recipe_of
from clinamen.core.stage import framed, from_corner, project

SEEN = 5.0  # ΔE (CIE76) beyond what the piece itself varies: twice what is just noticed side by side (2.3, Mahy et al. 1994)
LOOSE = 10.0  # ΔE between a loose rectangle's edge and what stands behind it
OUTWARD = 0.2  # of the way to the old background
REACHES = (1, 2, 3, 4, 6, 8)  # px of fringe that a step may take off
BEHIND_SIDE = 640  # px along the view's longer side, to see what stands behind an edge
INSIDE = 0.3  # of the edge has to lie in the view to be told from what stands behind it


@register
class FringeCheck(Check):
    id = "fringe"
    name = "fringe"
    plural = "fringes"
    unit = "ΔE"
    description = "The edge of a cut-out shows its old background."
    sure = "measured on the art, in eight squares along the edge at most"
    spread = "whole"

    def short(self, finding: Finding) -> str:
        if finding.side == "loose":
            return f"its box is {shown(finding.amount, 1)} ΔE from what stands behind it"
        return f"its edge is {shown(finding.amount, 1)} ΔE off"

    def moment(self, scene: Scene, finding: Finding) -> str:
        return "whatever moves"

    def run(self, subject: Subject) -> list[Finding]:
        if subject.art is None:
            return []
        found = []
        for layer in seen_layers(subject.scene):
            if layer.art.file and layer.frames is None and not _taken_off(layer):
                found += self._of(subject, layer)
        return sorted(found, key=lambda finding: -finding.amount)

    def _of(self, subject: Subject, layer: Layer) -> list[Finding]:
        assert subject.art is not None
        if subject.sets[layer.id].full or layer.blend != "normal":
            return []
        rim = subject.art.rim(layer)
        if rim is None:
            return []
        if cut_steps(layer):
            if shows(rim):
                return [self._fringe(subject, layer, rim)]
            loose = _loose(subject, layer, rim)
            return [self._loose(subject, layer, loose)] if loose > LOOSE else []
        return [self._fringe(subject, layer, rim)] if _ready_cut(subject, layer, rim) else []

    def _fringe(self, subject: Subject, layer: Layer, rim: Rim) -> Finding:
        amount = rim.away - rim.own
        from_what = (
            f"{shown(100 * rim.outward, 0)} % of the way to what it was cut from"
            if cut_steps(layer)
            else "and is not of what stands behind it either"
        )
        message = (
            f"the edge of {layer.label} is {shown(amount, 1)} ΔE from its own colours over {shown(rim.length, 0)} px, "
            f"{from_what}"
        )
        fixes = _fixes(subject, layer) if subject.with_fixes else ()
        return self._finding(subject, layer, amount, message, "", fixes)

    def _loose(self, subject: Subject, layer: Layer, amount: float) -> Finding:
        message = (
            f"{layer.label} is cut out as a box: its edge runs through its old background, "
            f"{shown(amount, 1)} ΔE from what stands behind it"
        )
        fixes = _subject_fix(subject, layer) if subject.with_fixes else ()
        return self._finding(subject, layer, amount, message, "loose", fixes)

    def _finding(
        self, subject: Subject, layer: Layer, amount: float, message: str, side: str, fixes: tuple[Fix, ...]
    ) -> Finding:
        box = subject.box_at(layer, State())
        return Finding(self.id, "warning", layer.id, State(), amount, self.unit, box, message, side, fixes)


def shows(rim: Rim) -> bool:
    """True of an edge that is seen to be another's."""
    return rim.away - rim.own > SEEN and rim.outward > OUTWARD


def _ready_cut(subject: Subject, layer: Layer, rim: Rim) -> bool:
    """True of art that came cut out with a rim of neither side."""
    if rim.away - rim.own <= SEEN:
        return False
    beside = _behind(subject, layer, rim)
    return beside is not None and ready_cut_fringe(rim, beside, SEEN)


def _loose(subject: Subject, layer: Layer, rim: Rim) -> float:
    """Mean ΔE between the edge of a rectangle cut loose and what stands behind it; 0 where the edge outlines something."""
    steps = [step for step in recipe_of(layer).steps if step.on]
    boxes = [step for step in steps if isinstance(step, RectangleCut) and not step.invert]
    if len(boxes) != len([step for step in steps if hasattr(step, "invert")]) or rim.onward > SEEN + rim.own:
        return 0.0
    beside = _behind(subject, layer, rim)
    if beside is None:
        return 0.0
    return float(delta_e(rim.colours.astype(np.float32), beside.astype(np.float32)).mean())


def _behind(subject: Subject, layer: Layer, rim: Rim) -> Floats | None:
    """L*a*b* [N, 3] of what stands behind a rim's places as framed; None where too little of it lies in the view."""
    assert subject.art is not None
    scene, shelf = subject.scene, subject.art.shelf
    order = [each.id for each in scene.layers]
    before = scene.layers[: order.index(layer.id)]
    plain = scene.model_copy(update={"layers": before, "tracks": (), "drivers": type(scene.drivers)()})
    scale = min(1.0, BEHIND_SIDE / max(scene.view.width, scene.view.height))
    matrix = from_corner(layer, framed(scene, (layer,)).sheets[0].matrix[0])
    at, ahead = project(matrix, rim.places)
    within = (ahead > 0) & np.all((at >= 0) & (at < [scene.view.width, scene.view.height]), axis=1)
    if within.mean() < INSIDE:
        return None
    if before:
        picture = render(plain, State(), shelf.loader(plain, scale), scale)
    else:
        picture = np.full((1, 1, 4), (*background(scene), 255), np.uint8)
    height, width = picture.shape[:2]
    x = np.clip((at[:, 0] * width / scene.view.width).astype(int), 0, width - 1)
    y = np.clip((at[:, 1] * height / scene.view.height).astype(int), 0, height - 1)
    colours = lab(np.ascontiguousarray(picture[..., :3]))[y, x].astype(float)
    return np.where(within[:, None], colours, colours[within].mean(axis=0))


def _taken_off(layer: Layer) -> bool:
    return any(step.on and isinstance(step, Fringe) for step in recipe_of(layer).steps)


def _fixes(subject: Subject, layer: Layer) -> tuple[Fix, ...]:
    """The least reach, of whole pixels, with which a step of the recipe takes it off."""
    assert subject.art is not None
    for reach in REACHES:
        rim = subject.art.rim(layer, float(reach))
        if rim is None or not (shows(rim) if cut_steps(layer) else _ready_cut(subject, layer, rim)):
            values = {"layer": layer.id, "step": "fringe", "reach": str(reach)}
            return (
                Fix("fringe", float(reach), "step-add", values, f"Take the fringe of {layer.label} off, {reach} px"),
            )
    return ()


def _subject_fix(subject: Subject, layer: Layer) -> tuple[Fix, ...]:
    """The subject cut out of the box, where that leaves no edge in the old background; looked at on a preview."""
    assert subject.art is not None
    steps = recipe_of(layer).steps
    index = max(i for i, step in enumerate(steps) if isinstance(step, RectangleCut))
    box = steps[index].model_dump_json(include={"box"})
    values = {"layer": layer.id, "step": "assisted", "before": str(index + 1), "data": box}
    try:
        changed, _ = EDITS["step-add"](subject.scene, values)
        cut, _ = subject.art.shelf.preview(changed.layer(layer.id), ROUGH)
        whole, _ = subject.art.shelf.preview(changed.layer(layer.id), ROUGH, steps=0)
    except ClinamenError:
        return ()
    rim = rim_of(cut, whole) if cut.shape == whole.shape else None
    if rim is None or rim.onward <= SEEN + rim.own:
        return ()
    return (Fix("cut", 0.0, "step-add", values, f"Cut the subject of {layer.label} out of its box"),)
