"""The demo: its user, and its scenes from the files in demo/, as any user would bring them in."""

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import transaction

from clinamen.accounts.views import DEMO_USER
from clinamen.art import store
from clinamen.core import document
from clinamen.scenes.actions import prepare_art
from clinamen.scenes.models import Revision, Scene, SceneArt

FOLDER = Path(settings.BASE) / "demo"
DRAFTED, DRAFT = "kelp-descent", "Kelp descent, first draft"


def load_demo() -> None:
    """Make the demo user and the demo scenes, if they are not there."""
    user, made = get_user_model().objects.get_or_create(username=DEMO_USER)
    if made:
        user.set_unusable_password()
        user.save()
        for path in sorted(FOLDER.glob("*/scene.json")):
            data = json.loads(path.read_text())
            if path.parent.name == DRAFTED:
                load(user, _first_draft(data), path.parent, "First draft brought in")
            load(user, data, path.parent, "Demo scene brought in")


def _first_draft(data: dict[str, Any]) -> dict[str, Any]:
    """The same scene before it was put right: the water left behind by the descent, the pointer reaching too far."""
    draft = json.loads(json.dumps(data))
    draft["title"] = DRAFT
    draft["drivers"]["pointer"]["reach_x"] = 72
    for layer in draft["layers"]:
        if layer["id"] in ("lit-water", "deep-water"):
            layer["depth"] = 50000
            layer["framing"] = {"scale": 1.04}
    return draft


def load(user: Any, data: dict[str, Any], folder: Path, says: str) -> Scene:
    """A scene of an account from a document and the folder of its art."""
    made = document.parse(data)
    with transaction.atomic():
        scene = Scene.objects.create(owner=user, title=made.title)
        for file in dict.fromkeys(layer.art.file for layer in made.layers if layer.art.file):
            SceneArt.objects.create(scene=scene, file=file, picture=store.keep((folder / file).read_bytes(), file))
        scene.head = Revision.objects.create(scene=scene, document=made.to_json(), author=user, says=says)
        scene.save()
        prepare_art.ask_for(scene, made)
    return scene
