"""Latency of a drag: server time of the previews of one layer in a 24-layer scene. CLINAMEN_DEMO=1 python -m bench.edit

Needs the database (bin/database start). Works in a scene of its own and throws it away.
"""

import os
import re
import time

import numpy as np


def fields_of(text: str) -> dict[str, str]:
    """The hidden fields that every request of a page carries."""
    form = re.search(r'<form id="choice".*?</form>', text, re.S)
    assert form
    return dict(re.findall(r'name="(\w+)" value="([^"]*)"', form.group(0)))


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clinamen.site.settings")
    import django

    django.setup()
    from django.contrib.auth import get_user_model
    from django.test import Client

    from bench.scenes import art, scene
    from clinamen.art import store
    from clinamen.core.pictures.encoding import encode_png
    from clinamen.scenes.models import Revision, Scene, SceneArt

    user, _ = get_user_model().objects.get_or_create(username="bench")
    for gap in (False, True):
        made = scene(gap)
        row = Scene.objects.create(owner=user, title="Bench")
        for index, layer in enumerate(made.layers):
            picture = store.keep(encode_png(art(index), level=1), layer.art.file)
            SceneArt.objects.create(scene=row, file=layer.art.file, picture=picture)
        row.head = Revision.objects.create(scene=row, document=made.to_json(), says="bench")
        row.save()
        client = Client()
        client.force_login(user)
        page = client.get(f"/scenes/{row.pk}/depth/?layer=layer-12").content.decode()
        fields = fields_of(page)
        address = f"/scenes/{row.pk}/edit/depth/"
        for kind, extra in (
            ("hasty preview", {"preview": "hasty"}),
            ("proved preview", {"preview": "proved"}),
            ("saved edit", {}),
        ):
            taken, sizes = [], []
            for rate in np.linspace(0.2, 0.6, 41):
                begun = time.perf_counter()
                answer = client.post(address, {**fields, "layer": "layer-12", "rate": f"{rate:.4f}", **extra})
                assert answer.status_code == 200
                taken.append(1000 * (time.perf_counter() - begun))
                text = answer.content.decode()
                sizes.append(len(answer.content) / 1000)
                fields = fields_of(text)
            p50, p95 = np.percentile(taken[1:], [50, 95])
            print(f"drag, {'a move too far' if gap else 'a move that holds'}, {kind}: p50 {p50:.0f} ms, p95 {p95:.0f} ms, "
                  f"answers of {np.median(sizes[1:]):.0f} kB")  # fmt: skip
        row.delete()
    user.delete()


if __name__ == "__main__":
    main()
