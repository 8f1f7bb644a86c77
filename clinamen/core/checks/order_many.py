"""Many layers out of order are one finding: a stack drawn the other way round is told of once, and cured by one press, which
draws its layers by depth.

So is a stack of which more pairs may be wrong than one proof looks at: how many were looked at is said.
"""

from collections import Counter

from clinamen.core.checks.base import MANY, Check, Finding, Fix, Subject, describe_state
from clinamen.core.checks.contradictions import Contradictions, Pair, contradictions, orderable
from clinamen.core.document import Layer
from clinamen.core.edits.registry import EDITS
from clinamen.core.errors import BadEdit
from clinamen.core.motion.states import State
from clinamen.core.quantities import counted, shown


def together(check: Check, subject: Subject, found: Contradictions, layers: list[Layer]) -> Finding | None:
    """One finding for all contradictions; None where they are few and all of them are known."""
    blamed = _fewest(found.pairs)
    left_open = found.suspects - found.looked
    if len(blamed) < MANY and not left_open:
        return None
    looked_at = (
        f"of {found.suspects} pairs of layers that may be out of order the {found.looked} nearest in drawing order were looked at"
        if left_open
        else ""
    )
    if not found.pairs:
        message = f"{looked_at[0].upper()}{looked_at[1:]}; none of them is wrong"
        whole, fixes = subject.whole_view, _by_depth(subject, layers, "", 1)
        return Finding(check.id, "note", layers[-1].id, State(), 0.0, check.unit, whole, message, fixes=fixes)
    pair = max(found.pairs, key=lambda each: each.worst.share)
    worst, one = pair.worst, next(layer for layer in (pair.front, pair.back) if layer.id in blamed)
    are = "is" if len(blamed) == 1 else "are"
    message = f"{counted(len(blamed), 'layer')} {are} out of order: {sentence_on(subject, pair, one)}"
    fixes = _by_depth(subject, layers, one.id, len(blamed))
    closers = (one.id, *(name for name in blamed if name != one.id))
    return Finding(
        check.id, "warning", one.id, worst.state, 100 * worst.share, check.unit, worst.where,
        f"{message}; {looked_at}" if looked_at else message, pair.other(one).id, fixes, closers,
    )  # fmt: skip


def sentence_on(subject: Subject, pair: Pair, blamed: Layer) -> str:
    """Sentence on one contradiction, from the side of the layer that is blamed."""
    drawn, stands = ("in front of", "behind") if blamed is pair.front else ("behind", "in front of")
    over = f"over {shown(100 * pair.worst.share, 1)} % of the view ({describe_state(subject.scene, pair.worst.state)})"
    return f"{blamed.label} is drawn {drawn} {pair.other(blamed).label} but stands {stands} it, {over}"


def _fewest(pairs: list[Pair]) -> list[str]:
    """Layers that have to be moved so that all contradictions end, nearly the fewest: always the one that is in most."""
    left, found = pairs, list[str]()
    while left:
        count = Counter(layer.id for pair in left for layer in (pair.front, pair.back))
        found.append(count.most_common(1)[0][0])
        left = [pair for pair in left if found[-1] not in (pair.front.id, pair.back.id)]
    return found


def _by_depth(subject: Subject, layers: list[Layer], named: str, count: int) -> tuple[Fix, ...]:
    """The press that draws these layers by their depth at rest; none where it leaves as many as `count` out of order, or the one
    `named` among them."""
    if not subject.with_fixes:
        return ()
    text = f"Draw {counted(len(layers), 'layer')} by depth, the farthest first"
    fix = Fix("order", 0.0, "order-by-depth", {"layers": " ".join(layer.id for layer in layers)}, text)
    try:
        changed, _ = EDITS[fix.edit](subject.scene, fix.values)
    except BadEdit:
        return ()
    tried = Subject(changed, subject.sets, False, art=subject.art)
    left = contradictions(tried, orderable(tried))
    blamed = _fewest(left.pairs)
    if left.looked < left.suspects or len(blamed) >= count or named in blamed:
        return ()
    return (fix,)
