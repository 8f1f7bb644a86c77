"""Views of the room Prepare: the light table's pictures, what needs pixels to be decided, and the worker's progress."""

import json
import math
from dataclasses import replace
from typing import Any

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from clinamen.art.store import fitted
from clinamen.core import document
from clinamen.core.arrays import Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.document import Layer
from clinamen.core.edits import apply
from clinamen.core.errors import BadEdit
from clinamen.core.pictures.encoding import encode_png, exact_webp
from clinamen.core.pixels import trim_box
from clinamen.core.prep.extend import SIDES, best_overlap, seam_at
from clinamen.core.prep.fill import fill_region
from clinamen.core.prep.steps import Cut, Extend, Fill, Tidy
from clinamen.core.prep.steps.tidy import SOLID_BEYOND
from clinamen.core.prep.tidy import spots
from clinamen.core.quantities import number, whole
from clinamen.core.recipes import recipe_of
from clinamen.scenes.access import scene_of, visitor
from clinamen.scenes.actions import prepare_art, revise
from clinamen.scenes.answers import base_id, base_of, choice_of, context_of, parts, saved
from clinamen.scenes.answers import preparing as preparing_parts
from clinamen.scenes.documents import document_of
from clinamen.scenes.models import Preparation
from clinamen.scenes.prepared import layer_with_key
from clinamen.scenes.rooms import Choice, desk_of
from clinamen.scenes.rooms.lighttable import default_fields, step_after
from clinamen.scenes.shelf import pictures_of, shelf_of

TABLE_SIZES = (900, 4096)
BAND = (200, 68, 27, 150)  # vermilion over the picture
SHOWN_BYTES = 60_000_000  # of pictures kept: what stands before a step is asked for again after every change of it
_shown: Bounded[bytes] = Bounded(SHOWN_BYTES, len)
PICKED = 2  # px around the place that a colour is picked from


@visitor
@require_GET
@cache_control(private=True, max_age=3600)
def table_picture(request: HttpRequest, pk: Any, layer: str, key: str, steps: int) -> HttpResponse:
    """A layer's art after so many of its steps."""
    found, shelf = layer_with_key(scene_of(request, pk), layer, key)
    wanted = whole(request.GET.get("longest", ""))
    longest = wanted if wanted in TABLE_SIZES else TABLE_SIZES[0]
    ready = bool(request.GET.get("ready")) and steps == len(recipe_of(found).steps) and shelf.is_ready(found)

    def draw() -> bytes:
        return exact_webp(fitted(shelf.pixels(found), longest) if ready else shelf.preview(found, longest, steps)[0])

    recipe = recipe_of(found)
    so_far = found.model_copy(update={"recipe": recipe.model_copy(update={"steps": recipe.steps[:steps]})})
    data = _shown.get((shelf.key_of(so_far), longest, ready), draw)
    return HttpResponse(data, content_type="image/webp")


@visitor
@require_GET
@cache_control(private=True, max_age=3600)
def band_picture(request: HttpRequest, pk: Any, layer: str, key: str, index: int) -> HttpResponse:
    """The band that the fill at `index` fills, as a tint to lie over the picture."""
    found, shelf = layer_with_key(scene_of(request, pk), layer, key)
    steps = recipe_of(found).steps
    if index >= len(steps) or not isinstance(step := steps[index], Fill):
        raise Http404
    pixels, scale = shelf.preview(found, TABLE_SIZES[0], index)
    _, band = fill_region(pixels[..., 3], step.grow * scale, step.reach * scale)
    tint = np.zeros_like(pixels)
    tint[band] = BAND
    return HttpResponse(encode_png(tint, level=1), content_type="image/png")


def _edited(request: HttpRequest, pk: Any, change: Any) -> HttpResponse:
    """An edit that is worked out from pixels: `change(document, layer, shelf, values)` names an edit and its values."""
    scene, choice, values = scene_of(request, pk), choice_of(request.POST), request.POST.dict()

    def save() -> tuple[str, Choice]:
        current = document_of(base_of(scene, values))
        layer = _layer(current, values)
        name, fields = change(layer, shelf_of(pictures_of(scene), current, draft=True), values)
        edited, says = apply(current, name, {"layer": layer.id, **fields})
        revise.revise(scene, base_id(scene, values), edited, says, request.user)
        return says, choice

    return saved(request, pk, save)


def _layer(current: document.Scene, values: dict[str, str]) -> Layer:
    found = next((layer for layer in current.layers if layer.id == values.get("layer")), None)
    if found is None:
        raise BadEdit("There is no such layer to prepare; choose another, or bring pictures in first")
    return found


def _before(layer: Layer, shelf: Any, index: int) -> tuple[Pixels, float]:
    return shelf.preview(layer, TABLE_SIZES[0], index)


@visitor
@require_POST
def new_step(request: HttpRequest, pk: Any) -> HttpResponse:
    """Add a step with what it starts with on this layer."""
    scene, choice, values = scene_of(request, pk), choice_of(request.POST), request.POST.dict()

    def save() -> tuple[str, Choice]:
        current = document_of(base_of(scene, values))
        layer, kind = _layer(current, values), values.get("step", "")
        given = {"layer": layer.id, "step": kind, "data": json.dumps(default_fields(kind, layer, current))}
        edited, says = apply(current, "step-add", given)
        revise.revise(scene, base_id(scene, values), edited, says, request.user)
        return says, replace(choice, step=step_after("step-add", given, edited, 0))

    return saved(request, pk, save)


@visitor
@require_POST
def pick(request: HttpRequest, pk: Any) -> HttpResponse:
    """Pick the key colour where the visitor pointed on the picture."""

    def change(layer: Layer, shelf: Any, values: dict[str, str]) -> tuple[str, dict[str, str]]:
        index = int(number(values.get("index", ""), "index", 0, 200))
        pixels, scale = _before(layer, shelf, index)
        x = int(number(values.get("x", ""), "x", -1e6, 1e6) * scale)
        y = int(number(values.get("y", ""), "y", -1e6, 1e6) * scale)
        part = pixels[max(0, y - PICKED) : max(0, y + PICKED + 1), max(0, x - PICKED) : max(0, x + PICKED + 1), :3]
        if not part.size:
            raise BadEdit("colour: that place is not on the picture; point at the picture")
        red, green, blue = (int(v) for v in np.rint(part.reshape(-1, 3).mean(axis=0)))
        return "step-set", {"index": str(index), "colour": f"#{red:02x}{green:02x}{blue:02x}"}

    return _edited(request, pk, change)


@visitor
@require_POST
def trim(request: HttpRequest, pk: Any) -> HttpResponse:
    """Cut a layer's empty border away; a preview's pixel is left around what a preview shows."""

    def change(layer: Layer, shelf: Any, values: dict[str, str]) -> tuple[str, dict[str, str]]:
        if shelf.is_ready(layer):
            left, top, right, bottom = trim_box(shelf.pixels(layer))
        else:
            pixels, scale = shelf.preview(layer)
            left, top, right, bottom = trim_box(pixels)
            left, top = max(0, math.floor((left - 1) / scale)), max(0, math.floor((top - 1) / scale))
            right = min(layer.art.width, math.ceil((right + 1) / scale))
            bottom = min(layer.art.height, math.ceil((bottom + 1) / scale))
        if (left, top, right, bottom) == (0, 0, layer.art.width, layer.art.height):
            raise BadEdit(f"{layer.label}: has no empty border to trim")
        crop = {"step": "crop", "x": left, "y": top, "width": right - left, "height": bottom - top}
        return "step-add", {key: str(value) for key, value in crop.items()}

    return _edited(request, pk, change)


@visitor
@require_POST
def joint(request: HttpRequest, pk: Any) -> HttpResponse:
    """Set the overlap at which the joint of an extension fits best."""

    def change(layer: Layer, shelf: Any, values: dict[str, str]) -> tuple[str, dict[str, str]]:
        index = int(number(values.get("index", ""), "index", 0, 200))
        step = recipe_of(layer).steps[index] if index < len(recipe_of(layer).steps) else None
        if not isinstance(step, Extend) or step.method not in ("repeat", "flip"):
            raise BadEdit(f"{layer.label}: only art that is repeated or mirrored has a joint to move")
        pixels, scale = _before(layer, shelf, index)
        sides = [side for side in SIDES if getattr(step, side)] or ["right"]
        return "step-set", {
            "index": str(index),
            "overlap": str(round(best_overlap(pixels, sides[0], step.method) / scale)),
        }

    return _edited(request, pk, change)


@visitor
@require_GET
def seam(request: HttpRequest, pk: Any, layer: str, key: str, index: int) -> HttpResponse:
    """How well the joints of an extension fit, in a sentence."""
    found, shelf = layer_with_key(scene_of(request, pk), layer, key)
    steps = recipe_of(found).steps
    if index >= len(steps) or not isinstance(step := steps[index], Extend):
        raise Http404
    pixels, scale = shelf.preview(found, TABLE_SIZES[0], index + 1)
    hard = None
    if step.overlap:  # how the joints would be without it
        whole = recipe_of(found)
        plain = (*whole.steps[:index], step.model_copy(update={"overlap": 0}))
        changed = found.model_copy(update={"recipe": whole.model_copy(update={"steps": plain})})
        hard, _ = shelf.preview(changed, TABLE_SIZES[0], index + 1)
    joints = []
    for side in SIDES:
        if count := round(getattr(step, side) * scale):
            before = seam_at(hard, side, count) if hard is not None else None
            joints.append((side, seam_at(pixels, side, count), before))
    return render(request, "scenes/seam.html", {"joints": joints})


@visitor
@require_GET
def preparing(request: HttpRequest, pk: Any) -> HttpResponse:
    """The worker's progress; when all is done the whole desk is drawn anew."""
    scene, choice = scene_of(request, pk), choice_of(request.GET)
    desk = desk_of(scene, choice)
    context = context_of(desk)
    if not any(row.running for row in context["preparing"]):
        return parts(request, desk)
    return preparing_parts(request, desk)


@visitor
@require_GET
def spots_left(request: HttpRequest, pk: Any, layer: str, key: str, index: int) -> HttpResponse:
    """How many islands and holes the cut at `index` leaves, and what can be done with them."""
    scene = scene_of(request, pk)
    found, shelf = layer_with_key(scene, layer, key)
    steps = recipe_of(found).steps
    if index >= len(steps) or not isinstance(steps[index], Cut):
        raise Http404
    after = index + 2 if index + 1 < len(steps) and isinstance(steps[index + 1], Tidy) else index + 1
    pixels, scale = shelf.preview(found, TABLE_SIZES[0], after)
    left = spots(pixels[..., 3])
    size = math.ceil(max(left.largest_island, left.largest_hole, 1.0) / scale) + 1
    context = {"scene": scene, "layer": found, "index": index, "spots": left, "size": size, "solid": SOLID_BEYOND}
    return render(request, "scenes/spots.html", context)


@visitor
@require_POST
def preparation(request: HttpRequest, pk: Any, key: str, way: str) -> HttpResponse:
    """Call a preparation off, or ask for it again."""
    scene, choice = scene_of(request, pk), choice_of(request.POST)
    desk = desk_of(scene, choice)
    if way == "cancel":
        prepare_art.cancel(get_object_or_404(Preparation, scene=scene, key=key))
    else:
        prepare_art.ask_again(scene, desk.document, key)
    return preparing_parts(request, desk)
