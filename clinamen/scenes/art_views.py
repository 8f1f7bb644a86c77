"""Views of the room Art: more pictures, art brought in again, files as they came, art for the screen."""

import hashlib
import json
from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.utils.cache import patch_cache_control
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRefresh

from clinamen.art import files
from clinamen.art.models import Picture
from clinamen.art.store import (
    SIZES,
    STRIP_SIZES,
    fitted,
    is_lost,
    original_name,
    read,
    reduced,
    reduced_prepared,
    stand_in,
)
from clinamen.core import document
from clinamen.core.arrays import Pixels
from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit, ClinamenError
from clinamen.core.look.brought import dressed, looks_of
from clinamen.core.made.kinds import Words
from clinamen.core.made.shadows import foot_row
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import exact_webp
from clinamen.core.pictures.limits import MEDIA_TYPES, VECTOR
from clinamen.core.pictures.reading import decode
from clinamen.core.prep.match import statistics
from clinamen.core.quantities import counted, number, whole
from clinamen.core.readable import with_room
from clinamen.scenes import quota
from clinamen.scenes.access import scene_of, scenes_seen, visitor
from clinamen.scenes.actions import bring_actor, bring_font, bring_in, revise
from clinamen.scenes.answers import base_id, base_of, choice_of, parts, refused_edit, saved
from clinamen.scenes.documents import document_of
from clinamen.scenes.making import Asked, Made, making
from clinamen.scenes.pictures import drawn_at
from clinamen.scenes.prepared import layer_of_address, layer_with_key, picture_of_layer
from clinamen.scenes.rooms import Choice, desk_of
from clinamen.scenes.shelf import pictures_of, shelf_of

FOR_GOOD = 31536000  # s: a year
PICKED = 960  # px: width of the picture that colours are picked from


@visitor
@require_POST
def add_layers(request: HttpRequest, pk: Any) -> HttpResponse:
    """Bring more pictures into a scene."""
    scene, choice = scene_of(request, pk), choice_of(request.POST)
    base = base_of(scene, request.POST.dict())
    current = document_of(base)
    wishes = bring_in.Wishes.of(request.POST)
    quota.room_for(scene.owner, sum(file.size or 0 for file in request.FILES.getlist("files")))
    edited, result = bring_in.more_layers(scene, current, request.FILES.getlist("files"), wishes)
    said = [*result.refused, *result.notes]
    added = len(edited.layers) - len(current.layers)
    if not added:
        said = said or ["files: none were chosen; drop pictures"]
        return parts(request, desk_of(scene_of(request, pk), choice), " · ".join(said), wrong=True)

    def save() -> tuple[str, Choice]:
        says = f"{counted(added, 'layer')} brought in"
        revise.revise(scene, base_id(scene, request.POST.dict()), edited, says, request.user)
        return " · ".join(said), choice

    return saved(request, pk, save, wrong=bool(said))


@making
def add_actor(asked: Asked) -> Made:
    """Bring an actor into a scene."""
    edited, says, notes = bring_actor.add_actor(asked.scene, asked.current, asked.files, asked.values)
    edited = document.parse(edited.to_json())
    return Made(edited, says, notes, edited.layers[-1].id)


@making
def add_font(asked: Asked) -> Made:
    """Set the chosen words in a font of one's own: one that is brought in now, or one that the scene has."""
    words, notes = asked.chosen, list[str]()
    if words is None or not isinstance(words.art.made, Words):
        raise BadEdit("Font: no words are chosen; choose a layer of words")
    if asked.files:
        font, notes = bring_font.bring_font(asked.scene, asked.files[0], asked.values.get("licence", ""))
    else:
        kept = asked.scene.fonts.filter(pk=whole(asked.values.get("font", "")) or 0).first()
        if kept is None:
            raise BadEdit("Font: none was chosen; choose a TTF, OTF or WOFF2 file")
        font = bring_font.as_named(kept)
    told = json.dumps({"font": font.model_dump()})
    edited, _ = apply(asked.current, "made-set", {"layer": words.id, "data": told})
    return Made(edited, f"{words.label} set in {font.name}", notes)


@visitor
@require_POST
def look_again(request: HttpRequest, pk: Any) -> HttpResponse:
    """What bringing these files in again would replace; nothing changes yet."""
    scene = scene_of(request, pk)
    current = document_of(base_of(scene, request.POST.dict()))
    files = request.FILES.getlist("files")
    try:
        if not files:
            raise BadEdit("files: none were chosen; drop the pictures that were changed")
        quota.room_for(scene.owner, sum(file.size or 0 for file in files))
        again = bring_in.look_again(scene, current, files)
    except ClinamenError as error:
        return refused_edit(request, error)
    if again.healed:  # nothing is left to decide, and the view shows the art again
        messages.info(request, "; ".join(again.healed))
        return HttpResponseClientRefresh()
    return render(request, "scenes/again.html", {"scene": scene, "again": again})


@visitor
@require_POST
def bring_again(request: HttpRequest, pk: Any) -> HttpResponse:
    """Replace what was shown."""
    scene, choice = scene_of(request, pk), choice_of(request.POST)

    def save() -> tuple[str, Choice]:
        current = document_of(base_of(scene, request.POST.dict()))
        by_hand = bring_in.ByHand.of(request.POST.dict())
        edited, says = bring_in.bring_again(scene, current, request.POST.get("ticket", ""), by_hand)
        revise.revise(scene, base_id(scene, request.POST.dict()), document.parse(edited.to_json()), says, request.user)
        return says, choice

    return saved(request, pk, save, closing='<dialog id="again" class="again" hx-swap-oob="true"></dialog>')


@making
def together(asked: Asked) -> Made:
    """Bring layers together in colour: their statistics are taken of their art here, and written into the look."""
    values, shelf, told = asked.values, asked.shelf, {}
    names = {*values.get("layers", "").split(), *values.get("other", "").split()}
    for layer in asked.current.layers:
        if layer.id in names:
            mean, spread = statistics(shelf.preview(layer)[0] if layer.frames is None else shelf.pixels(layer))
            told[layer.id] = {"mean": mean.tolist(), "spread": spread.tolist()}
    return Made(*apply(asked.current, "bring-together", {**values, "data": json.dumps(told)}))


@making
def room_for(asked: Asked) -> Made:
    """Move the chosen words' letters apart around a subject in front of them; what is seen of each then is said."""
    words, shelf = asked.chosen, asked.shelf
    subject = next((x for x in asked.current.layers if x.id == asked.values.get("subject", "")), None)
    if words is None or not isinstance(words.art.made, Words):
        raise BadEdit("Make room: no words are chosen; choose a layer of words")
    if subject is None or subject.id == words.id:
        raise BadEdit("Make room: choose the layer that stands in front of the words")
    cells = shelf.cells(subject)[..., 3].max(axis=0) if subject.frames else shelf.preview(subject)[0][..., 3]
    changed, seen = with_room(asked.current, words, subject, cells)
    apart = json.dumps({"apart": changed.art.made.apart}) if isinstance(changed.art.made, Words) else ""
    edited, _ = apply(asked.current, "made-set", {"layer": words.id, "data": apart})
    least = sorted((share, letter) for letter, share in seen if share < 0.995)[:6]
    told = ", ".join(f"{letter} {100 * share:.0f} %" for share, letter in least)
    found = f"seen at worst: {told}" if told else "every letter is seen whole"
    return Made(edited, f"Room made for {subject.label}: {found}")


@visitor
@require_GET
def colour(request: HttpRequest, pk: Any) -> JsonResponse:
    """The colour of a place of the view at a state of the drivers."""
    scene, values = scene_of(request, pk), request.GET.dict()
    desk = desk_of(scene, choice_of(request.GET, "look"))
    view = desk.document.view
    try:
        at = {name: number(values.get(name, "0"), name, -1e6, 1e6) for name in ("x", "y", "scroll", "u", "v", "time")}
    except BadEdit as error:
        return JsonResponse({"says": str(error), "colour": "transparent"}, status=400)
    if not (0 <= at["x"] < view.width and 0 <= at["y"] < view.height):
        return JsonResponse({"says": "outside the view", "colour": "transparent"})
    drawn = drawn_at(desk, State(at["scroll"], (at["u"], at["v"]), at["time"]), PICKED)
    scale = drawn.shape[1] / view.width
    row, column = (min(int(at[axis] * scale), size - 1) for axis, size in zip("yx", drawn.shape[:2], strict=True))
    code = "#" + "".join(f"{int(value):02x}" for value in drawn[row, column, :3])
    return JsonResponse({"colour": code, "says": f"{code}  {' '.join(str(int(v)) for v in drawn[row, column, :3])}"})


@making
def shadow(asked: Asked) -> Made:
    """Let the chosen layer throw a shadow: its foot line is found in its alpha here."""
    layer, shelf = asked.chosen, asked.shelf
    if layer is None:
        raise BadEdit("Shadow: no layer is chosen; choose the one that throws it")
    cells = shelf.cells(layer) if layer.frames else shelf.pixels(layer)[None]
    foot = max(foot_row(cell[..., 3]) for cell in cells)
    return Made(*apply(asked.current, "cast-shadow", {**asked.values, "layer": layer.id, "foot": str(foot)}))


@visitor
@require_GET
def source(request: HttpRequest, pk: Any, source_pk: int) -> FileResponse:
    """A file that layers were taken out of, as it came; for who may edit."""
    scene = scene_of(request, pk, changes=True)
    found = get_object_or_404(scene.sources, pk=source_pk)
    return FileResponse(files.opened(original_name(found.sha256)), as_attachment=True, filename=found.name)


@visitor
@require_GET
@cache_control(private=True, max_age=FOR_GOOD, immutable=True)
def prepared_art(request: HttpRequest, pk: Any, layer: str, key: str, state: str, longest: int) -> FileResponse:
    """A layer's art after its recipe, reduced; its preview while it is not ready at full size."""
    scene = scene_of(request, pk)
    mirrored, look = request.GET.get("mirrored", ""), request.GET.get("look", "")
    if longest not in (*SIZES, *STRIP_SIZES) or mirrored not in ("", "x", "y", "xy") or state not in ("done", "draft"):
        raise Http404
    found, shelf = layer_with_key(scene, layer, key)
    named = f"{key}-{state}-{hashlib.sha256(look.encode()).hexdigest()[:16]}" if look else f"{key}-{state}"
    try:
        steps = looks_of(look)
    except BadEdit as error:
        raise Http404 from error

    def made() -> Pixels:
        pixels = picture_of_layer(found, shelf, longest, state == "done")
        return dressed(fitted(pixels, longest), steps) if steps else pixels

    path = reduced_prepared(named, longest, mirrored, made)
    return FileResponse(path.open("rb"), content_type="image/webp")


@visitor
@require_GET
@cache_control(private=True, max_age=FOR_GOOD, immutable=True)
def made_art(request: HttpRequest, pk: Any, key: str, longest: int) -> FileResponse:
    """Made art as the address says it, reduced; `key` tells apart what the same words may make of other art."""
    scene, mirrored, look = scene_of(request, pk), request.GET.get("mirrored", ""), request.GET.get("look", "")
    if longest not in (*SIZES, *STRIP_SIZES) or mirrored not in ("", "x", "y", "xy"):
        raise Http404
    try:
        layer, steps = layer_of_address(request.GET), looks_of(look)
    except ClinamenError as error:
        raise Http404 from error
    assert scene.head is not None
    shelf = shelf_of(pictures_of(scene), document_of(scene.head), draft=True)

    def made() -> Pixels:
        try:
            pixels = fitted(shelf.preview(layer, longest)[0], longest)
        except ClinamenError as error:
            raise Http404 from error
        return dressed(pixels, steps) if steps else pixels

    told = json.dumps([str(pk), key, request.GET.get("art"), request.GET.get("grid"), look])
    path = reduced_prepared(hashlib.sha256(told.encode()).hexdigest(), longest, mirrored, made)
    return FileResponse(path.open("rb"), content_type="image/webp")


@visitor
def reduced_picture(request: HttpRequest, sha256: str, longest: int, mirrored: str = "") -> HttpResponseBase:
    """A reduced picture; 404 for one that no scene of the visitor's uses."""
    if longest not in (*SIZES, *STRIP_SIZES) or mirrored not in ("", "x", "y", "xy"):
        raise Http404
    picture = _used_picture(request, sha256)
    if is_lost(picture):
        return _stood_in(request, picture, longest)
    return _for_good(FileResponse(reduced(picture, longest, mirrored).open("rb"), content_type="image/webp"))


def _for_good(answer: HttpResponseBase) -> HttpResponseBase:
    """An answer that never becomes another."""
    patch_cache_control(answer, private=True, max_age=FOR_GOOD, immutable=True)
    return answer


def _stood_in(request: HttpRequest, picture: Picture, longest: int = 0) -> HttpResponse:
    """What stands in for a lost picture, by the name that one of the visitor's scenes has for it; kept by nobody."""
    use = picture.uses.filter(scene__in=scenes_seen(request)).first()
    data = stand_in(picture, use.file if use else "")
    if picture.format != VECTOR or longest:
        pixels = decode(data, "stand-in")
        data = exact_webp(fitted(pixels, longest) if longest else pixels)
    kind = MEDIA_TYPES[VECTOR] if picture.format == VECTOR and not longest else "image/webp"
    return HttpResponse(data, content_type=kind, headers={"Cache-Control": "no-store"})


@visitor
def vector_picture(request: HttpRequest, sha256: str) -> HttpResponseBase:
    """A vector picture as it is, for an image element: sharp at every size. It was checked when it came in, and may
    still run and load nothing."""
    picture = _used_picture(request, sha256)
    if picture.format != VECTOR:
        raise Http404
    answer: HttpResponseBase
    if is_lost(picture):
        answer = _stood_in(request, picture)
    else:
        answer = _for_good(HttpResponse(read(picture), content_type=MEDIA_TYPES[VECTOR]))
    answer["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox"
    return answer


def _used_picture(request: HttpRequest, sha256: str) -> Picture:
    used = Picture.objects.filter(sha256=sha256, uses__scene__in=scenes_seen(request)).distinct()
    return get_object_or_404(used)
