"""Ghost: the move shows more of the place behind a cut-out than was filled, and the hole comes into sight; or the sheet behind
was not filled at all and still shows what was cut out of it, which is then seen twice.
"""

import json
import math
from functools import partial

import numpy as np

from clinamen.core.arrays import Bools, Floats
from clinamen.core.bounds.fill_reach import reach_between
from clinamen.core.bounds.region import hiding, lying
from clinamen.core.checks.base import Check, Finding, Fix, Subject, Where, describe_state, register
from clinamen.core.document import Layer, seen_layers
from clinamen.core.edits.recipes import SPARE_REACH
from clinamen.core.motion.states import State
from clinamen.core.prep.steps import Fill
from clinamen.core.quantities import shown
from clinamen.core.recipes import recipe_of
from clinamen.core.stage import corners, framed, from_corner, project, stage_at

TOLERANCE = 0.5  # px of the sheet behind
MARK = 60.0  # view px: half the side of the place that is marked
WHOLE = 0.98  # of its canvas: what is opaque over more is no cut-out
SIDE = 160  # cells along the view's longer side, to see what is uncovered


@register
class GhostCheck(Check):
    id = "ghost"
    name = "short fill"
    plural = "short fills"
    description = "The move uncovers more behind a cut-out than was filled, or the cut-out once more."
    sure = "bounded over all states to half a pixel of the sheet behind, at keys and ends where a sheet is tilted"
    spread = "local"

    def short(self, finding: Finding) -> str:
        if finding.side.startswith("fill "):
            return f"{shown(finding.amount, 0)} px too little filled behind"
        return f"still shows over {shown(finding.amount, 0)} px what was cut out"

    def run(self, subject: Subject) -> list[Finding]:
        found = []
        for layer in seen_layers(subject.scene):
            if layer.recipe is not None:
                for index, step in enumerate(layer.recipe.steps):
                    if isinstance(step, Fill) and step.on and step.behind:
                        found += _short(subject, layer, index, step)
        return found + _doubles(subject)


def _short(subject: Subject, layer: Layer, index: int, fill: Fill) -> list[Finding]:
    scene = subject.scene
    pieces = {other.id: other for other in seen_layers(scene)}
    if fill.behind not in pieces:
        return []
    need = reach_between(scene, fill.behind, layer.id, subject.sets.get(fill.behind), subject.needs)
    if need.pixels <= fill.reach + TOLERANCE:
        return []
    x = min(max(need.point[0], 0.0), float(scene.view.width))
    y = min(max(need.point[1], 0.0), float(scene.view.height))
    where = Where(max(0.0, x - MARK), max(0.0, y - MARK), 2 * MARK, 2 * MARK)
    front = pieces[fill.behind].label
    message = (
        f"{layer.label} is filled {fill.reach:.0f} px behind {front}, the move uncovers {need.pixels:.1f} px "
        f"({describe_state(scene, need.state)})"
    )
    reach = float(math.ceil(need.pixels - TOLERANCE))
    values = {"layer": layer.id, "index": str(index), "reach": f"{reach:.0f}"}
    fix = Fix("fill", reach, "step-set", values, f"Fill {reach:.0f} px behind {front}")
    amount = need.pixels - fill.reach
    return [Finding("ghost", "error", layer.id, need.state, amount, "px", where, message, f"fill {index}", (fix,))]


def _doubles(subject: Subject) -> list[Finding]:
    """Sheets that still show what was cut out of them, where the move uncovers it."""
    if subject.art is None:
        return []
    drawn = [x for x in seen_layers(subject.scene) if x.art.file and x.frames is None and not x.repeats]
    found = []
    resting = {
        sheet.layer.id: from_corner(sheet.layer, sheet.matrix[0])
        for sheet in framed(subject.scene, tuple(drawn)).sheets
    }
    for at, piece in enumerate(drawn):
        if not subject.sets[piece.id].empty and subject.sets[piece.id].area < WHOLE:
            for behind in reversed(drawn[:at]):
                if not _filled(behind, piece):
                    found += _double(subject, piece, behind, _over_each_other(resting, piece, behind))
    return found


def _filled(behind: Layer, piece: Layer) -> bool:
    """True of a sheet that is filled behind a piece: how far is another question."""
    return any(step.on and isinstance(step, Fill) and step.behind == piece.id for step in recipe_of(behind).steps)


def _double(subject: Subject, piece: Layer, behind: Layer, to_behind: Floats | None) -> list[Finding]:
    scene, art = subject.scene, subject.art
    assert art is not None
    if to_behind is None:
        return []
    told = tuple(to_behind.round(4).ravel().tolist())
    if not subject.kept_of_two(("double", told), piece, behind, partial(art.double, piece, behind, to_behind)):
        return []
    need = reach_between(scene, piece.id, behind.id, subject.sets[piece.id], subject.needs)
    if need.pixels <= 2 * TOLERANCE or not art.double(piece, behind, to_behind, need.pixels):
        return []
    seen = _uncovered(subject, piece, behind, need.state)
    if not seen.any():
        return []
    message = (
        f"{behind.label} still shows {piece.label}, which was cut out of it, and the move uncovers {need.pixels:.1f} px of that "
        f"({describe_state(scene, need.state)})"
    )
    fixes = (_opened(subject, piece, behind, to_behind, need.pixels),) if subject.with_fixes else ()
    return [
        Finding(
            "ghost",
            "error",
            behind.id,
            need.state,
            need.pixels,
            "px",
            Where.around(seen, SIDE / max(*subject.whole_view.size)),
            message,
            piece.id,
            fixes,
        )
    ]


def _over_each_other(resting: dict[str, Floats], piece: Layer, behind: Layer) -> Floats | None:
    """The matrix [3, 3] from the piece's pixels to those of the sheet behind at rest; None where they lie apart."""
    between = np.linalg.inv(resting[behind.id]) @ resting[piece.id]
    at, ahead = project(between, corners(piece) + np.array([piece.art.width, piece.art.height]) / 2)
    if np.any(ahead <= 0):
        return None
    low, high = at.min(axis=0), at.max(axis=0)
    apart = np.any(high <= 0) or low[0] >= behind.art.width or low[1] >= behind.art.height
    return None if apart else np.asarray(between / between[2, 2], float)


def _uncovered(subject: Subject, piece: Layer, behind: Layer, state: State) -> Bools:
    """Places of the view [height, width], on a grid, where the sheet behind shows at a state what lay under the piece at rest."""
    scene, sets = subject.scene, subject.sets
    scale = SIDE / max(scene.view.width, scene.view.height)
    rest = framed(scene, (piece, behind)).sheets
    staged = stage_at(scene, state, subject.motion).sheets
    now = {sheet.layer.id: sheet for sheet in staged}
    moved = now[behind.id].matrix[0] @ np.linalg.inv(rest[1].matrix[0]) @ rest[0].matrix[0]
    seen = lying(scene, piece, sets[piece.id], moved, scale) & hiding(now[behind.id], sets[behind.id], scene, scale)[0]
    order = [layer.id for layer in scene.layers]
    for layer in scene.layers[order.index(behind.id) + 1 :]:
        if layer.id in now and seen.any():
            seen &= ~hiding(now[layer.id], sets[layer.id], scene, scale)[0]
    return seen


def _opened(subject: Subject, piece: Layer, behind: Layer, to_behind: Floats, pixels: float) -> Fix:
    """The piece's silhouette taken out of the sheet behind, and the hole filled as far as the move uncovers it."""
    assert subject.art is not None
    outline = project(to_behind, subject.art.outline(piece))[0]
    nodes = [{"x": round(float(x), 1), "y": round(float(y), 1)} for x, y in outline]
    reach = float(math.ceil(pixels + SPARE_REACH))
    values = {"layer": behind.id, "behind": piece.id, "reach": f"{reach:.0f}", "nodes": json.dumps(nodes)}
    text = f"Take {piece.label} out of {behind.label} and fill {reach:.0f} px behind it"
    return Fix("open", reach, "open-behind", values, text)
