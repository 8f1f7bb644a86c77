"""Between HTTP and the actions: nothing is decided here."""

import json
from dataclasses import replace
from typing import Any
from urllib.parse import unquote

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.paginator import Paginator
from django.db.models import F, Func, IntegerField, Q
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.text import slugify
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import reswap, retarget

from clinamen.core import document
from clinamen.core.checks.base import Subject
from clinamen.core.checks.largest import largest_move
from clinamen.core.document import Scene as Document
from clinamen.core.drawing.threads import driver_of
from clinamen.core.edits import BY_WHAT_SHOWS, apply, knots, loop, pose
from clinamen.core.edits.lens import asked_lens, rate_changes, shortest_lens
from clinamen.core.errors import BadEdit, ClinamenError
from clinamen.core.exchange.bringing import ACCEPTED
from clinamen.core.motion.loops import MOST_FRAMES
from clinamen.core.motion.moves import MOVES
from clinamen.core.quantities import number, plain, whole
from clinamen.core.reports import REPORTS, Proved
from clinamen.core.stride import measured, slide_of
from clinamen.scenes import answering, quota
from clinamen.scenes.access import own_scene, owner_of, scene_of, seen_again, visitor
from clinamen.scenes.actions import bring_in, revise
from clinamen.scenes.answers import base_id, base_of, choice_of, context_of, page, parts, refused_edit, saved, verdict
from clinamen.scenes.documents import document_of, learn, written
from clinamen.scenes.glance import glance, whole_view
from clinamen.scenes.models import Scene
from clinamen.scenes.pictures import moment_picture, scene_picture
from clinamen.scenes.rooms import Choice, Desk, desk_of
from clinamen.scenes.rooms.lighttable import step_after
from clinamen.scenes.rooms.proof import ProofRoom


@login_required
@require_GET
def scenes(request: HttpRequest) -> HttpResponse:
    """The list of the visitor's scenes."""
    return render(request, "scenes/scenes.html", _listed(request))


SORTS = {"changed": "-updated", "title": "title", "made": "-created"}
A_PAGE = 24  # scenes


def _listed(request: HttpRequest) -> dict[str, Any]:
    """The visitor's scenes as he looks for them, those shared with him, those to start from, and those in the bin."""
    user, asked = owner_of(request), request.GET
    words, folder, sort = asked.get("q", "").strip()[:100], asked.get("folder", ""), asked.get("sort", "changed")
    seen = Scene.objects.filter(Q(owner=user) | Q(shares__account=user)).values("pk")
    found = Scene.objects.filter(pk__in=seen)
    for word in words.split():
        found = found.filter(Q(title__icontains=word) | Q(folder__icontains=word))
    if folder:
        found = found.filter(owner=user, folder=folder)
    found = found.select_related("owner").annotate(
        layers=Func(F("head__document__layers"), function="jsonb_array_length", output_field=IntegerField()),
        width=F("head__document__view__width"), height=F("head__document__view__height"),
    ).order_by(SORTS.get(sort, SORTS["changed"]), "pk")  # fmt: skip
    folders = Scene.objects.filter(owner=user).exclude(folder="").order_by("folder").values_list("folder", flat=True)
    return {
        "scenes": Paginator(found, A_PAGE).get_page(asked.get("page")), "words": words, "folder": folder,
        "folders": folders.distinct(), "starts": Scene.objects.filter(pk__in=seen, starts=True).order_by("title"),
        "binned": Scene.every.filter(owner=user).exclude(binned=None).order_by("-binned"), "accepted": ACCEPTED,
        "sort": sort if sort in SORTS else "changed",
        "sorts": (("changed", "changed last"), ("title", "by title"), ("made", "newest")),
    }  # fmt: skip


@login_required
@require_POST
def new(request: HttpRequest) -> HttpResponse:
    """A new scene of dropped files; refused files are named and what was typed is kept."""
    typed = {key: request.POST.get(key, "").strip() for key in ("title", "width", "height", "fitting", "trim")}
    files = request.FILES.getlist("files")
    refused: list[str] = []
    try:
        size = [int(number(typed[s], s, 1, document.MAX_VIEW, "px")) if typed[s] else None for s in ("width", "height")]
        if not files:
            raise BadEdit("files: none were chosen; drop pictures, a ZIP of them, or one .ora file")
        quota.room_for(request.user, sum(file.size or 0 for file in files), scenes_more=1)
        wishes = bring_in.Wishes.of(typed)
        done = bring_in.new_scene(request.user, typed["title"][:200], size[0], size[1], files, wishes)
        refused = done.refused
        if done.scene is not None:
            for sentence in [*refused, *done.notes]:
                messages.warning(request, sentence)
            address = reverse("scene-room", args=[done.scene.pk, "art"])
            return HttpResponse(headers={"HX-Redirect": address}) if request.htmx else redirect(address)  # type: ignore[attr-defined]
    except ClinamenError as error:
        refused = [*refused, str(error)]
    if request.htmx:  # type: ignore[attr-defined]  # the form stands as it is, with the files that were chosen
        answer = render(request, "scenes/refused.html", {"refused": refused}, status=422)
        return retarget(reswap(answer, "outerHTML"), "#refused")
    return render(request, "scenes/scenes.html", {**_listed(request), "typed": typed, "refused": refused}, status=422)


@visitor
def open_scene(request: HttpRequest, pk: Any) -> HttpResponse:
    """A scene opens in the room Depth."""
    return redirect("scene-room", pk=scene_of(request, pk).pk, room="depth")


@visitor
@require_GET
def room(request: HttpRequest, pk: Any, room: str) -> HttpResponse:
    """A room of the workspace."""
    scene = scene_of(request, pk)
    return page(request, desk_of(scene, _remembered(request, room)))


def _remembered(request: HttpRequest, room: str) -> Choice:
    """What is open on a page that is asked for whole: the drawing's size and the folded groups are remembered."""
    folded = unquote(request.COOKIES.get("folded", ""))
    return choice_of(request.GET, room, request.COOKIES.get("drawing", ""), folded)


@visitor
@require_GET
def desk(request: HttpRequest, pk: Any) -> HttpResponse:
    """The workspace's parts for another choice of layer or drawing, or after a gesture of the hand that poses."""
    scene, choice = scene_of(request, pk), choice_of(request.GET)
    if "gesture" in request.GET:
        try:
            choice = replace(choice, loose=_posed(scene, choice, request.GET.dict()))
        except ClinamenError as error:
            return refused_edit(request, error)
    if request.GET.get("verdict"):
        put_by = answering.taken_up(request.GET.get("page", ""), whole(request.GET.get("number", "")), scene, choice)
        if put_by is not None:
            return verdict(request, put_by)
    return parts(request, desk_of(scene, choice))


@visitor
@require_GET
def seen(request: HttpRequest, pk: Any) -> HttpResponse:
    """The view as it is kept, drawn here as wide as the page shows it."""
    desk = desk_of(scene_of(request, pk), choice_of(request.GET))
    try:
        return HttpResponse(whole_view(desk.document, (desk.shelf, desk.pictures), request.GET.dict()))
    except ClinamenError as error:
        return refused_edit(request, error)


def _posed(scene: Scene, choice: Choice, values: dict[str, str]) -> str:
    made = document_of(base_of(scene, values))
    driver, loose = driver_of(made, choice.driver), pose.loose_of(made, choice.loose)
    middle = _middle(scene, choice) if values["gesture"] in ("size", "turn") else None
    return json.dumps(pose.gestured(made, loose, {**values, "layer": choice.layer}, driver, middle))


def _middle(scene: Scene, choice: Choice) -> tuple[float, float] | None:
    """The middle of what the chosen layer's art shows, art px from its centre; None where that is not known yet."""
    desk = desk_of(scene, choice)
    shows = desk.showing(desk.layer) if desk.layer else None
    if shows is None:
        return None
    left, top, right, bottom = shows.box
    return (left + right) / 2, (top + bottom) / 2


@visitor
@require_GET
def fixes(request: HttpRequest, pk: Any) -> HttpResponse:
    """The computed fixes of the findings on show; asked for after the findings stand there."""
    return render(request, "scenes/fix_lists.html", context_of(desk_of(scene_of(request, pk), choice_of(request.GET))))


@visitor
@require_GET
def loops(request: HttpRequest, pk: Any) -> HttpResponse:
    """The loops that the scene can make at a speed, best first."""
    scene = scene_of(request, pk)
    made = desk_of(scene, choice_of(request.GET)).document
    try:
        speed = number(request.GET.get("speed", ""), "speed", -1e6, 1e6, "px")
        most = int(number(request.GET.get("most", ""), "frames", 1, MOST_FRAMES))
        given = {layer.id: request.GET.get(f"locked-{layer.id}", "").strip() for layer in loop.looping_layers(made)}
        locked = {layer: int(number(text, "repeats", 1, loop.MOST_REPEATS)) for layer, text in given.items() if text}
        found = loop.loop_plans(made, speed, most, locked)
    except ClinamenError as error:
        return render(request, "scenes/loops.html", {"trouble": str(error)})
    layers, time = loop.looping_layers(made), made.drivers.time
    assert time is not None
    told = [
        (
            each,
            each.frames / time.fps,
            ", ".join(f"{layer.label} {count}\u00a0×" for layer, count in zip(layers, each.repeats, strict=True)),
            json.dumps({layer.id: count for layer, count in zip(layers, each.repeats, strict=True)}),
        )
        for each in found
    ]
    return render(request, "scenes/loops.html", {"scene": scene, "loops": told, "speed": plain(speed)})


@visitor
@require_GET
def largest(request: HttpRequest, pk: Any) -> HttpResponse:
    """How large a camera move may be and open no gap."""
    scene = scene_of(request, pk)
    desk, values = desk_of(scene, choice_of(request.GET)), request.GET.dict()
    try:
        if values.get("move") not in MOVES:
            raise BadEdit("move: is not known; choose another")
        size, more = largest_move(Subject(desk.document, desk.sets, False, desk.needs), values)
    except ClinamenError as error:
        return render(request, "scenes/largest.html", {"trouble": str(error)})
    told = {"size": size, "more": more, "move": MOVES[values["move"]], "kind": values["move"]}
    return render(
        request,
        "scenes/largest.html",
        {
            **told,
            "scene": scene,
            **{name: values.get(name, "") for name in ("driver", "land", "to")},
            "from_": values.get("from", ""),
        },
    )


@visitor
@require_GET
def proof_map(request: HttpRequest, pk: Any) -> HttpResponse:
    """Where each check fails over the range of a driver."""
    desk = desk_of(scene_of(request, pk), choice_of(request.GET, "proof"))
    assert isinstance(desk, ProofRoom)
    return render(request, "scenes/rooms/proof_map.html", {"map": None if desk.waiting else desk.map, "desk": desk})


@visitor
@require_GET
def report(request: HttpRequest, pk: Any) -> HttpResponse:
    """The proof as a page that prints, or with `download` as a file."""
    scene = scene_of(request, pk)
    desk = desk_of(scene, Choice("proof"))
    if desk.waiting:
        messages.warning(
            request, "The report waits for art that is still being prepared; ask for it when that is ready"
        )
        return redirect("scene-room", pk=pk, room="proof")
    source = f"revision {desk.revision.number}"
    findings = [desk.fixed_findings.get(finding.key, finding) for finding in desk.findings]
    answer = HttpResponse(REPORTS["html"].write(Proved(desk.document, findings, source, desk.subject)))
    answer["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; img-src data:"
    if request.GET.get("download"):
        named = slugify(scene.title) or "scene"
        answer["Content-Disposition"] = f'attachment; filename="{named}-proof.html"'
    return answer


@visitor
@require_GET
def lens(request: HttpRequest, pk: Any) -> HttpResponse:
    """What another lens would do to every rate."""
    made = desk_of(scene_of(request, pk), choice_of(request.GET)).document
    try:
        other = asked_lens(made, {"focal_length": request.GET.get("focal_length", "")})
        changes = rate_changes(made, other)
        behind = sum(change.after is None for change in changes)
        told = {"lens": other, "changes": changes, "behind": behind, "shortest": shortest_lens(made)}
    except ClinamenError as error:
        told = {"trouble": str(error)}
    return render(request, "scenes/lens_rates.html", told)


@visitor
@require_GET
def stride(request: HttpRequest, pk: Any) -> HttpResponse:
    """How an actor's feet meet the ground, for a stride that is given or measured on its cells."""
    scene = scene_of(request, pk)
    desk = desk_of(scene, choice_of(request.GET))
    layers = {layer.id: layer for layer in desk.document.layers}
    actor, ground = desk.layer, layers.get(request.GET.get("ground", ""))
    try:
        if actor is None or actor.frames is None or ground is None or desk.document.drivers.time is None:
            raise BadEdit("Choose an actor and the ground it walks on, and switch time on")
        text = request.GET.get("stride", "").strip()
        covered = number(text, "stride", 0, 1e5, "px") if text else measured(desk.shelf.cells(actor))
        if covered == 0:
            raise BadEdit(
                "stride: could not be measured, no foot goes back along the ground; type how many px a cycle covers"
            )
        slide = slide_of(desk.document, actor, ground, covered)
    except ClinamenError as error:
        return render(request, "scenes/stride.html", {"trouble": str(error)})
    told = {"scene": scene, "slide": slide, "actor": actor, "ground": ground, "fps": plain(round(slide.fps or 0, 4))}
    return render(request, "scenes/stride.html", told)


def _what_shows(desk: Desk, made: Document, layer_id: str) -> dict[str, str]:
    """Where the art of a layer shows, as its edits read it; nothing where that is not known yet."""
    layer = next((layer for layer in made.layers if layer.id == layer_id), None)
    found = desk.showing(layer) if layer is not None else None
    return found.as_values() if found is not None else {}


@visitor
@require_POST
def edit(request: HttpRequest, pk: Any, name: str) -> HttpResponse:
    """Make an edit, or with `preview` only show what it would do."""
    scene, choice = scene_of(request, pk), choice_of(request.POST)
    values = request.POST.dict()
    try:
        before = document_of(base_of(scene, values))
        if name in BY_WHAT_SHOWS:
            values |= _what_shows(desk_of(scene, choice), before, values.get("layer", ""))
        edited, says = apply(before, name, values)
        choice = replace(choice, step=step_after(name, values, edited, choice.step))
        if name == "made-add":
            choice = replace(choice, layer=edited.layers[-1].id)
        if name == "keep-pose":
            choice = replace(choice, loose="")
        if name in knots.KNOT_EDITS:
            choice = replace(choice, knots=knots.chosen_after(before, edited, values))
        if values.get("preview") == "glance":
            desk = desk_of(scene, choice, edited, hasty=True)
            return HttpResponse(glance(before, edited, (desk.shelf, desk.pictures), values))
        if values.get("preview"):
            return parts(request, desk_of(scene, choice, edited, hasty=values["preview"] == "hasty"))
    except ClinamenError as error:
        return refused_edit(request, error)

    control = "/".join([name, *(values.get(field, "") for field in ("layer", "channel", "driver", "target"))])
    told = (scene, base_id(scene, values), edited, says, request.user, control if values.get("nudge") else "")

    def make_ready(number: int) -> revise.Ready | None:
        now = scene_of(request, pk) if number else scene
        ready = revise.made_ready(now, *told[1:])
        if ready is not None and not ready.merged:
            learn(ready.revision, edited)
        return ready

    def said_of(merged: bool) -> str:
        return f"{says}, merged with what changed meanwhile" if merged else says

    def save() -> tuple[str, Choice, Scene]:
        done = revise.revise(*told)
        if not done.merged:
            learn(done.revision, edited)
        return said_of(done.merged), choice, seen_again(scene, done.scene)

    return saved(request, pk, save, ahead=(make_ready, said_of, choice))


@visitor
@require_POST
def history(request: HttpRequest, pk: Any, way: str) -> HttpResponse:
    """Undo or redo; `whole` asks for the page anew, from where there was none."""
    scene, choice = scene_of(request, pk), choice_of(request.POST)
    try:
        (revise.undo if way == "undo" else revise.redo)(scene, request.user)
    except BadEdit as error:
        return refused_edit(request, error)
    if request.POST.get("whole"):
        return redirect("scene-room", pk=pk, room=choice.room)
    return parts(request, desk_of(scene_of(request, pk), choice))


@visitor
@require_POST
def kept_aside(request: HttpRequest, pk: Any, kept: int, way: str) -> HttpResponse:
    """Take a version up that was kept aside after a conflict, or throw it away."""
    scene, choice = scene_of(request, pk), choice_of(request.POST)
    if not scene.revisions.filter(pk=kept, refused=True).exists():  # the list that was pressed is old: draw it anew
        return parts(request, desk_of(scene, choice), revise.NOT_KEPT, wrong=True)

    def save() -> tuple[str, Choice]:
        if way == "take":
            return revise.take_up(scene, kept, request.user).says, choice
        return f"{revise.throw_away(scene, kept).says}: the version kept aside was thrown away", choice

    return saved(request, pk, save)


@visitor
@require_GET
def document_file(request: HttpRequest, pk: Any) -> HttpResponse:
    """The scene's document as it stands in the database, readable or not."""
    scene = scene_of(request, pk)
    assert scene.head is not None
    text = json.dumps(written(scene.head), indent=1, ensure_ascii=False)
    return HttpResponse(
        text, content_type="application/json", headers={"Content-Disposition": 'attachment; filename="scene.json"'}
    )


@visitor
@require_POST
def delete(request: HttpRequest, pk: Any) -> HttpResponse:
    """Put a scene into the bin."""
    scene = own_scene(request, pk)
    Scene.objects.filter(pk=scene.pk).update(binned=timezone.now())
    messages.info(request, f"{scene.title} was deleted; for 30 days it can be taken back out of the bin, below")
    return redirect("scenes")


@visitor
@require_POST
def take_back(request: HttpRequest, pk: Any) -> HttpResponse:
    """Take a scene out of the bin."""
    scene = get_object_or_404(Scene.every.exclude(binned=None), pk=pk, owner=owner_of(request))
    Scene.every.filter(pk=scene.pk).update(binned=None)
    messages.info(request, f"{scene.title} is back")
    return redirect("scenes")


@visitor
@require_GET
@cache_control(private=True, max_age=3600)
def picture(request: HttpRequest, pk: Any) -> HttpResponse:
    """The scene at rest, small, for the list."""
    scene = scene_of(request, pk)
    return HttpResponse(scene_picture(scene), content_type="image/webp")


@visitor
@require_GET
@cache_control(private=True, max_age=3600)
def moment(request: HttpRequest, pk: Any, number: int) -> HttpResponse:
    """The view at a finding's worst moment, with the finding marked."""
    desk = desk_of(scene_of(request, pk), Choice("proof"))
    if number >= len(desk.findings):
        raise Http404
    return HttpResponse(moment_picture(desk, desk.findings[number]), content_type="image/webp")
