"""A photograph in Prepare, marked and cut apart: how soon the preview is there, how soon full size. python -m bench.marks

Server time of the answer and of the light table's picture, at three sizes; then the worker's work. Needs the database
(bin/database start). Works in a scene of its own and throws it away.
"""

import json
import os
import re
import time
from typing import Any

import cv2
import numpy as np

from bench.edit import fields_of

SIZES = (("0.3 megapixels", 680), ("12 megapixels", 4200), ("24 megapixels", 6000))
MARKS = 6


class Prepare:
    """Somebody at work on one photograph in the room Prepare; `taken` holds the seconds of each answer and its picture."""

    def __init__(self, user: Any, pixels: Any) -> None:
        from django.test import Client

        from clinamen.art import store
        from clinamen.core.document import parse
        from clinamen.core.pictures.encoding import encode_png
        from clinamen.scenes.models import Revision, Scene, SceneArt

        height, width = pixels.shape[:2]
        picture = store.keep(
            encode_png(np.dstack([pixels, np.full((height, width), 255, np.uint8)]), level=1), "photo.png"
        )
        document = parse({"layers": [{"id": "photo", "art": {"file": "photo.png", "width": width, "height": height}}]})
        self.scene = Scene.objects.create(owner=user, title="Bench")
        SceneArt.objects.create(scene=self.scene, file="photo.png", picture=picture)
        self.scene.head = Revision.objects.create(scene=self.scene, document=document.to_json(), says="bench")
        self.scene.save()
        self.client = Client()
        self.client.force_login(user)
        self.fields = fields_of(self.client.get(f"/scenes/{self.scene.pk}/prepare/?layer=photo").content.decode())
        self.taken: list[tuple[float, float]] = []

    def edit(self, name: str, **values: Any) -> None:
        """Make an edit and look at the light table."""
        begun = time.perf_counter()
        answer = self.client.post(f"/scenes/{self.scene.pk}/edit/{name}/", {**self.fields, "layer": "photo", **values})
        answered = time.perf_counter()
        text = answer.content.decode()
        self.fields = fields_of(text)
        table = re.search(r'id="table-data"[^>]*>(.*?)</script>', text, re.S)
        assert table
        assert self.client.get(json.loads(table[1])["after"]).status_code == 200
        self.taken.append((answered - begun, time.perf_counter() - answered))


def measure(name: str, user: Any, pixels: Any, share: float, cut: dict[str, Any]) -> None:
    from clinamen.scenes.actions import prepare_art
    from clinamen.scenes.models import Preparation

    work = Prepare(user, pixels)
    box = {key: round(value * share) for key, value in cut["box"].items()}
    work.edit("step-add", step="assisted", data=json.dumps({"box": box}))
    work.taken.clear()
    for mark in cut["marks"][:MARKS]:
        points = [{axis: round(value * share, 1) for axis, value in point.items()} for point in mark["points"]]
        data = {"belongs": mark["belongs"], "radius": max(1, mark["radius"] * share), "points": points}
        work.edit("mark", index="0", data=json.dumps(data))
    answers, pictures = np.array(work.taken).T
    both = answers + pictures
    print(f"{name}: a mark's preview {np.median(both):.2f} s, at most {both.max():.2f} s "
          f"(the answer {np.median(answers):.2f} s, the picture {np.median(pictures):.2f} s)")  # fmt: skip
    work.edit("cut-apart", index="0")
    print(f"  cut apart: answered in {work.taken[-1][0]:.2f} s")
    for row in Preparation.objects.filter(scene=work.scene).order_by("pk"):
        begun = time.perf_counter()
        prepare_art.run(row)
        print(f"  full size of {row.layer}: {time.perf_counter() - begun:.1f} s")
    work.scene.delete()


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clinamen.site.settings")
    import django

    django.setup()
    from django.contrib.auth import get_user_model

    from demo import orrery

    whole, mask, _ = orrery.truth()
    user, _ = get_user_model().objects.get_or_create(username="bench")
    for name, longest in SIZES:
        share = longest / whole.shape[1]
        size = (longest, round(whole.shape[0] * share))
        pixels = cv2.resize(whole, size, interpolation=cv2.INTER_AREA if share < 1 else cv2.INTER_CUBIC)
        pixels[0, 0] = np.random.default_rng().integers(0, 256, 3)  # art that no earlier run has prepared
        measure(name, user, pixels, share, orrery.cut(mask))
    user.delete()


if __name__ == "__main__":
    main()
