"""An answer carries only what changed: the workspace in regions, regions in fragments, each told by a hash of what it says.

A region is an element of the page with an id of its own; a fragment is such an element within one, marked in the templates by
`{% fragment %}`. What a page holds is remembered by its token and the number of the last answer it took, so that the next
answer, whichever process gives it, can leave out what is there already. A page that is not remembered gets everything.
"""

import hashlib
import json
import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import timedelta
from typing import Any

from django.template import Context
from django.template.loader import get_template

from clinamen.core.bounded import Bounded
from clinamen.scenes.models import Scene
from clinamen.scenes.rooms import Choice, Desk
from clinamen.shared.memory import Shared

REMEMBERED = 600  # answers whose hashes are kept by this process
# how long an answer is remembered after the next one to the same page: it may be on its way
RESTS = timedelta(seconds=30)
ON_DESKS = 64  # desks that wait for their verdict to be asked for
# regions that say nothing without the proof
PROVED = {"verdict": "scenes/verdict.html", "scroll-marks": "scenes/scroll_marks.html"}
MARK = re.compile("\x00([^\x00]+)\x00")
_IN_SCRIPT = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026"}  # what would end a script element

_held: Shared[dict[str, str]] = Shared("page", REMEMBERED)
_waiting: Bounded[Desk | None] = Bounded(ON_DESKS, lambda desk: 1)


@dataclass(frozen=True)
class Fragment:
    """One fragment: its markup with marks for fragments within it, whether it is a piece of a drawing, whether it waits for the
    proof, and whether it rests while a hand drags."""

    html: str
    svg: bool
    late: bool
    rests: bool


@dataclass
class Fragments:
    """Where `{% fragment %}` leaves the fragments of a render."""

    found: dict[str, Fragment] = field(default_factory=dict)

    def put(self, key: str, fragment: Fragment) -> str:
        self.found[key] = fragment
        return f"\x00{key}\x00"


def markup(file: str, told: dict[str, Any]) -> str:
    """What a template says. Numbers are written as Python does, which every language asked for would cost a look at."""
    template: Any = get_template(file)
    return str(template.template.render(Context(told, use_l10n=False)))


def _hash(text: str) -> str:
    return hashlib.blake2b(text.encode(), digest_size=8).hexdigest()


def regions_of(
    desk: Desk, context: dict[str, Any], held: dict[str, str] | None = None
) -> tuple[dict[str, str], Fragments]:
    """Every region's markup by its element's id, with marks for its fragments. A hasty desk leaves regions that need the proof
    out, and fragments that do as they were `held`."""
    fragments = Fragments()
    whole = {**context, "fragments": fragments}
    names = {
        "history": "scenes/history.html", "ladder": "scenes/ladder.html", "drawing": "scenes/drawing.html",
        "preparing": "scenes/preparing.html", "readout": "scenes/readout.html",
    }  # fmt: skip
    if not desk.hasty:
        names |= PROVED
    if desk.previewing:
        del names["preparing"], names["history"]
    regions: dict[str, str] = {name: markup(file, whole) for name, file in names.items()}
    if desk.hasty:
        for key, fragment in fragments.found.items():
            if fragment.late or (fragment.rests and desk.previewing):
                nothing = f'<span id="{key}" hidden></span>'  # a place for what comes with the proof
                fragments.found[key] = replace(fragment, html=(held or {}).get(f"late/{key}") or nothing)
    return regions, fragments


def late_of(desk: Desk, context: dict[str, Any], held: dict[str, str]) -> tuple[dict[str, str], Fragments]:
    """What the proof adds to a page that shows everything else of this desk: the regions that say nothing without it, and of
    the fragments `held` there those that wait for it."""
    regions: dict[str, str] = {name: markup(file, context) for name, file in PROVED.items()}
    told = {f"sign-{card['rung'].layer.id}": ("scenes/sign.html", {"card": card}) for card in desk.cards}
    told["layer-findings"] = ("scenes/rooms/layer_findings.html", context)
    fragments = Fragments()
    for key, (file, says) in told.items():
        if f"fragment/{key}" in held:
            fragments.put(key, Fragment(markup(file, says), svg=False, late=True, rests=False))
    return regions, fragments


def expanded(html: str, fragments: Fragments) -> str:
    """Markup with its fragments in place."""
    while MARK.search(html):
        html = MARK.sub(lambda mark: fragments.found[mark[1]].html, html)
    return html


def data_of(desk: Desk) -> dict[str, Any]:
    """What scripts are told, piece by piece: the stage, and in Prepare the light table."""
    stage = desk.stage
    data: dict[str, Any] = {f"css/{name}": text for name, text in stage["css"].items()}
    data |= {f"filter/{name}": svg for name, svg in stage["filters"].items()}
    data |= {name: value for name, value in stage.items() if name not in ("css", "filters")}
    data["css_order"], data["filter_order"] = list(stage["css"]), list(stage["filters"])
    return data


def script(name: str, data: object) -> str:
    """Data as a script element that the page reads."""
    return f'<script id="{name}" type="application/json">{json.dumps(data).translate(_IN_SCRIPT)}</script>'


def remember(page: str, number: int, hashes: dict[str, str]) -> None:
    """What a page holds after an answer."""
    _held.put(f"{page}/{number}", hashes, f"page/{page}", RESTS)


def held_by(page: str, number: int) -> dict[str, str]:
    """What a page holds, as `hashes_of` says it; nothing where it is not remembered."""
    return (_held.found(f"{page}/{number}") or {}) if page else {}


def put_by(page: str, number: int, desk: Desk) -> None:
    """Keep a desk whose verdict this page will ask for: all but the proof is worked out on it."""
    _waiting.get((page, number), lambda: desk)


def taken_up(page: str, number: int | None, scene: Scene, choice: Choice) -> Desk | None:
    """The desk that was put by for this page, if it is what the page shows still: the same choice. Where others went on since, a
    page hears of that by itself; the verdict is that of what it shows."""
    key = (page, number)
    desk = _waiting.get(key, lambda: None) if key in _waiting else None
    if desk is None or desk.choice != choice or desk.scene.pk != scene.pk:
        return None
    desk.hasty = False
    return desk


def hashes_of(regions: dict[str, str], fragments: Fragments, data: dict[str, Any]) -> dict[str, str]:
    """Hashes of all regions, fragments and data by their names, and the markup of what waits for the proof."""
    found = {f"region/{name}": _hash(html) for name, html in regions.items()}
    found |= {f"fragment/{key}": _hash(fragment.html) for key, fragment in fragments.found.items()}
    found |= {
        f"late/{key}": fragment.html for key, fragment in fragments.found.items() if fragment.late or fragment.rests
    }
    return found | {f"data/{name}": _hash(json.dumps(value)) for name, value in data.items()}


def changed(regions: dict[str, str], fragments: Fragments, hashes: dict[str, str], held: dict[str, str]) -> str:
    """The markup of what is not there already, each piece to take the place of the element with its id."""
    out: list[str] = []
    for name, html in regions.items():
        if hashes[f"region/{name}"] != held.get(f"region/{name}"):
            out.append(swapped(expanded(html, fragments)))
        else:
            out += _changed_within(html, fragments, hashes, held)
    return "\n".join(out)


def changed_alone(fragments: Fragments, hashes: dict[str, str], held: dict[str, str]) -> str:
    """The same of fragments whose regions stay."""
    fresh = [f.html for key, f in fragments.found.items() if hashes[f"fragment/{key}"] != held.get(f"fragment/{key}")]
    return "\n".join(swapped(html) for html in fresh)


def _changed_within(html: str, fragments: Fragments, hashes: dict[str, str], held: dict[str, str]) -> Iterator[str]:
    for mark in MARK.finditer(html):
        fragment = fragments.found[mark[1]]
        if hashes[f"fragment/{mark[1]}"] != held.get(f"fragment/{mark[1]}"):
            piece = swapped(expanded(fragment.html, fragments))
            yield f"<svg>{piece}</svg>" if fragment.svg else piece
        else:
            yield from _changed_within(fragment.html, fragments, hashes, held)


def swapped(html: str) -> str:
    """Markup that takes the place of the element with its id."""
    return re.sub(r"^\s*<([a-zA-Z]+)", r'<\1 hx-swap-oob="true"', html, count=1)
