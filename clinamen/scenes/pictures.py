"""Small pictures of a scene, kept by content: at rest for the list, and at a finding's worst moment."""

import hashlib
import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
from django.conf import settings

from clinamen.art.files import write_file
from clinamen.core.arrays import Pixels
from clinamen.core.checks.base import Finding
from clinamen.core.drawing.marked import marked
from clinamen.core.motion.states import State
from clinamen.core.pictures.encoding import encode_webp
from clinamen.core.raster import render
from clinamen.scenes.models import Scene
from clinamen.scenes.rooms import Choice, Desk, desk_of

LIST_WIDTH, MOMENT_WIDTH = 480, 420
# of a document, so that copies and renamed scenes share their pictures
UNDRAWN = ("title", "description", "accepted", "purpose")


def scene_picture(scene: Scene) -> bytes:
    """The scene at rest as WebP."""
    desk = desk_of(scene, Choice())
    return _kept(desk, {"rest": LIST_WIDTH}, lambda: drawn_at(desk, State(), LIST_WIDTH))


def moment_picture(desk: Desk, finding: Finding) -> bytes:
    """The view at a finding's worst state, what it found outlined and hatched."""
    what = {"moment": finding.to_json()["state"], "where": finding.where.to_json(), "width": MOMENT_WIDTH}
    return _kept(desk, what, lambda: _marked(desk, finding))


def drawn_at(desk: Desk, state: State, width: int) -> Pixels:
    """The view at a state as [h, w, 3], `width` pixels wide at the most."""
    scale = min(1.0, width / desk.document.view.width)
    return np.ascontiguousarray(render(desk.document, state, desk.shelf.loader(desk.document, scale), scale)[..., :3])


def _marked(desk: Desk, finding: Finding) -> Pixels:
    picture = drawn_at(desk, finding.state, MOMENT_WIDTH)
    return marked(picture, finding, picture.shape[1] / desk.document.view.width)


def _kept(desk: Desk, what: object, make: Callable[[], Pixels]) -> bytes:
    ready = [desk.shelf.is_ready(layer) for layer in desk.document.layers]
    drawn = {name: value for name, value in desk.document.to_json().items() if name not in UNDRAWN}
    content = [drawn, desk.art, ready, what]
    name = hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
    path = Path(settings.VAR) / "pictures" / name[:2] / f"{name}.webp"
    if not path.exists():
        write_file(path, encode_webp(make(), 85))
    return path.read_bytes()
