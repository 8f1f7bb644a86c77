"""What the views of a scene share: which scene and choice is meant, and how an edit is answered."""

import secrets
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django_htmx.http import reswap

from clinamen.core.errors import BadEdit, ClinamenError
from clinamen.core.exchange.actors import ACCEPTED as ACTOR_FILES
from clinamen.core.exchange.bringing import ACCEPTED
from clinamen.core.quantities import number as number_of
from clinamen.core.quantities import whole
from clinamen.scenes import answering, presence
from clinamen.scenes.access import scene_of
from clinamen.scenes.actions import prepare_art, revise
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.rooms import ROOMS, Choice, Desk, desk_of
from clinamen.scenes.rooms.desk import FINENESS, USUAL_DRAWING
from clinamen.scenes.workers import anybody_works


def choice_of(values: Any, room: str = "", remembered: str = "", folded: str = "") -> Choice:
    room = room or values.get("room", "depth")
    if room not in ROOMS:
        raise Http404
    hold = "size" if values.get("hold") == "size" else "framing"
    axis = "y" if values.get("axis") == "y" else "x"
    driver = values.get("fan_driver", "")
    driver = driver if driver in ("scroll", "pointer", "time", *(("u", "v") if room == "proof" else ())) else ""
    chosen = values.get("chosen", values.get("layer", ""))
    step = whole(values.get("step_chosen", ""))
    chosen_step = -1 if step is None else step
    drawing = _drawing_of(values.get("drawing", "") or remembered)
    drawn = values.get("drawn", "")
    return Choice(
        room, chosen, axis, values.get("fan_speed") == "1", driver, hold, chosen_step, drawing,
        drawn if drawn in ("curve", "fan", "way", "plan", "tones", "turntable", "map") else "threads",
        values.get("open_thread", "")[:300], values.get("knots", "")[:100_000],
        values.get("loose", "")[:20_000], "layer" if values.get("hand") == "layer" else "camera",
        _one_of(values.get("lock", ""), ("", "x", "y")), _one_of(values.get("fineness", ""), ("full", *FINENESS)),
        values.get("beside", "")[:90], tuple(values.get("many", "").split()[:200]), values.get("stops", "1") == "1",
        _one_of(values.get("lens_keeps", ""), ("rates", "depths")), _names(values.get("folded", folded)),
        _now_of(values.get("now", "")),
    )  # fmt: skip


def _now_of(text: str) -> tuple[float, float]:
    """Scroll and time as a page wrote them ("0.25,1.5"); rest where they are no numbers."""
    try:
        scroll, time = (number_of(part, "now", 0, 36_000) for part in text.split(","))
    except (BadEdit, ValueError):
        return 0.0, 0.0
    return min(scroll, 1.0), time


def _names(text: str) -> tuple[str, ...]:
    """Names of groups that a page wrote as one text, a tab between two."""
    return tuple(name for name in text[:20_000].split("\t") if name)


def _one_of(word: str, words: tuple[str, ...]) -> str:
    return word if word in words else words[0]


def _drawing_of(text: str) -> tuple[float, float]:
    """The size in px of the room's drawing as the page measured it ("688x224"), within what is sensible."""
    width, height = (whole(part) for part in text.partition("x")[::2])
    if width is None or height is None:
        return USUAL_DRAWING
    return float(min(max(width, 300), 6000)), float(min(max(height, 100), 3000))


def context_of(desk: Desk) -> dict[str, Any]:
    context = {"desk": desk, "scene": desk.scene, "document": desk.document, "choice": desk.choice}
    context |= {"live": settings.LIVE, "accepted": ACCEPTED, "actor_files": ACTOR_FILES}
    if not desk.previewing:
        rows = prepare_art.standing(desk.scene, desk.document, desk.shelf)
        poll = any(row.running for row in rows)
        context |= {"preparing": rows, "poll": poll, "nobody_works": poll and not anybody_works()}
        context["lost"] = desk.lost
    return context


def page(request: HttpRequest, desk: Desk) -> HttpResponse:
    """The whole workspace; what it holds is remembered under a token of its own."""
    token = secrets.token_urlsafe(9)
    # where others prove, nobody who opens a scene waits for it
    unproved = bool(settings.PROVERS) and not (desk.shows_proof or desk.proved)
    desk.hasty = desk.hasty or unproved
    context = {**context_of(desk), "request": request, "page": token, "number": 0, "unproved": unproved}
    regions, fragments = answering.regions_of(desk, context)
    data = answering.data_of(desk)
    answering.remember(token, 0, answering.hashes_of(regions, fragments, data))
    if unproved:
        answering.put_by(token, 0, desk)
        later = {name: file.replace(".html", "_later.html") for name, file in answering.PROVED.items()}
        regions |= {name: answering.markup(file, context) for name, file in later.items()}
    shown = {name.replace("-", "_"): answering.expanded(html, fragments) for name, html in regions.items()}
    scripts = [answering.script("stage-data", data), *_table(desk)]
    return render(request, "scenes/workspace.html", {**context, "regions": shown, "scripts": "\n".join(scripts)})


def _table(desk: Desk) -> list[str]:
    table = getattr(desk, "table", None)
    return [answering.script("table-data", table)] if table is not None else []


def parts(request: HttpRequest, desk: Desk, toast: str = "", wrong: bool = False, status: int = 200) -> HttpResponse:
    """An answer: what changed against what the page that asks holds already. Where the proof would have to be worked out first,
    the answer goes without it and says so; the page then asks for the `verdict`."""
    values = request.POST if request.method == "POST" else request.GET
    token, before = values.get("page", ""), whole(values.get("number", ""))
    held = {} if before is None else answering.held_by(token, before)
    unproved = False
    if desk.hasty and not held:  # a page that holds nothing gets everything, the verdict too
        desk.hasty = False
    elif held and not (desk.hasty or desk.previewing or desk.shows_proof or values.get("verdict")):
        # what was made just now nobody else can have proved
        desk.hasty = unproved = not (desk.proved_here if request.method == "POST" else desk.proved)
    number = secrets.randbelow(2**40) + 1
    context = {**context_of(desk), "request": request, "page": token, "number": number}
    regions, found = answering.regions_of(desk, context, held)
    data = answering.data_of(desk)
    hashes = answering.hashes_of(regions, found, data)
    if token:
        answering.remember(token, number, {**held, **hashes})
        if settings.LIVE:
            presence.holds(desk.scene, token, desk.choice)
        if unproved:
            answering.put_by(token, number, desk)
            if request.method == "POST":  # not while the scene is locked, nor what is not saved in the end
                transaction.on_commit(desk.prove_ahead, robust=True)
    fresh = {name: value for name, value in data.items() if hashes[f"data/{name}"] != held.get(f"data/{name}")}
    pieces = [
        answering.markup("scenes/choice.html", {**context, "parts": True}),
        answering.changed(regions, found, hashes, held),
        *([answering.swapped(answering.script("stage-data", fresh))] if fresh else []),
    ]
    if not values.get(
        "verdict"
    ):  # what comes after an edit leaves the table, and what was said of the edit, as they stand
        pieces += [answering.swapped(table) for table in _table(desk)]
        pieces.append(answering.markup("scenes/toast.html", {"toast": toast, "wrong": wrong}))
    return HttpResponse("\n".join(pieces), status=status, headers={"HX-Trigger": "unproved"} if unproved else {})


def verdict(request: HttpRequest, desk: Desk) -> HttpResponse:
    """What the proof adds to the page that got everything else of this desk, and nothing drawn twice."""
    token, before = request.GET.get("page", ""), whole(request.GET.get("number", "")) or 0
    held, number = answering.held_by(token, before), secrets.randbelow(2**40) + 1
    if not held:  # not remembered any more
        return parts(request, desk)
    context = {"desk": desk, "scene": desk.scene, "document": desk.document, "choice": desk.choice}
    context |= {"request": request, "page": token, "number": number}
    regions, found = answering.late_of(desk, context, held)
    data = {"findings": desk.marks}
    hashes = answering.hashes_of(regions, found, data)
    answering.remember(token, number, {**held, **hashes})
    fresh = hashes["data/findings"] != held.get("data/findings")
    pieces = [
        answering.markup("scenes/choice.html", {**context, "parts": True}),
        answering.changed(regions, found, hashes, held),
        answering.changed_alone(found, hashes, held),
        *([answering.swapped(answering.script("stage-data", data))] if fresh else []),
    ]
    return HttpResponse("\n".join(pieces))


Saved = tuple[str, Choice] | tuple[str, Choice, Scene]
# how an edit is made ready at each try, what it says (merged or not), what is chosen then
Ahead = tuple[Callable[[int], "revise.Ready | None"], Callable[[bool], str], Choice]
TRIES = 6  # of drawing before locking; an edit that others overtook so often is drawn under the lock


def saved(
    request: HttpRequest,
    pk: Any,
    save: Callable[[], Saved],
    wrong: bool = False,
    closing: str = "",
    ahead: Ahead | None = None,
) -> HttpResponse:
    """Save an edit and answer with what it makes, `closing` markup after it. `save` says what was done, what is chosen
    then and, where it knows, how the scene is now. What cannot be drawn is not saved: the answer is made before the edit is
    committed. Where the edit can be made ready `ahead`, it is drawn before the scene is locked, so that nobody waits for that."""
    try:
        answer = _drawn_ahead(request, *ahead) if ahead else None
        if answer is None:
            with transaction.atomic():
                now: Scene | None = None
                try:
                    says, choice, *more = save()
                    now = more[0] if more else None
                except revise.Conflict as error:  # the refused version is kept aside, and that is to be committed
                    says, choice, wrong, closing = str(error), choice_of(request.POST), True, ""
                answer = parts(request, desk_of(now or scene_of(request, pk), choice), says, wrong)
    except ClinamenError as error:
        return refused_edit(request, error)
    answer.content += closing.encode()
    return answer


class _ChangedSince(Exception):
    """What an answer was drawn for does not hold any more."""


def _drawn_ahead(
    request: HttpRequest,
    make_ready: Callable[[int], "revise.Ready | None"],
    says: Callable[[bool], str],
    choice: Choice,
) -> HttpResponse | None:
    """The answer to an edit that is saved: merged and drawn first, then the scene is locked and compared, again where somebody
    changed it meanwhile. None where it could not be made ready, or somebody came before it every time."""
    for number in range(TRIES):
        try:
            with transaction.atomic():
                ready = make_ready(number)
                if ready is None:
                    return None
                answer = parts(request, desk_of(ready.scene, choice), says(ready.merged))
                if revise.settle(ready):
                    return answer
                raise _ChangedSince
        except _ChangedSince:
            continue
    return None


def preparing(request: HttpRequest, desk: Desk) -> HttpResponse:
    """How the worker's art stands, and nothing else."""
    html = answering.markup("scenes/preparing.html", {**context_of(desk), "request": request})
    return HttpResponse(answering.swapped(html))


def refused_edit(request: HttpRequest, error: Exception) -> HttpResponse:
    """Why an edit was not made; nothing else is redrawn, wherever the answer was to go, so that what was typed stays."""
    answer = render(request, "scenes/toast.html", {"toast": str(error), "wrong": True})
    answer["X-Refused"] = "1"  # the page is answered well, and what it sent is not saved
    return reswap(answer, "none")


def base_of(scene: Scene, values: dict[str, str]) -> Revision:
    """The revision an edit was made on; the head when it is not named, and when the one named is gone: then the edit is
    made anew on the head, but `revise` is told the old one and keeps it aside."""
    assert scene.head is not None
    base = base_id(scene, values)
    if base == scene.head.pk:
        return scene.head
    return Revision.objects.filter(scene=scene, pk=base).first() or scene.head


def base_id(scene: Scene, values: dict[str, str]) -> int:
    """The primary key that an edit names as its base."""
    assert scene.head is not None
    base = whole(values.get("base", ""))
    return scene.head.pk if base is None else base
