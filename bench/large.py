"""How long 200 pictures take to come in, and the scene of them to open. python -m bench.large

Starts the application by bin/run in a folder of its own, and throws that away. Nothing has read the pictures before.
"""

import time

from tests.started import Started

LAYERS = 200
MADE = f"""
import time; import numpy as np; from django.conf import settings
from django.contrib.auth.models import User; from django.core.files.uploadedfile import SimpleUploadedFile; from django.test import Client
from bench.scenes import art; from clinamen.core.pictures.encoding import encode_png; from clinamen.scenes.actions.bring_in import new_scene
files = []
for number in range({LAYERS}):
    pixels = np.ascontiguousarray(art(number % 24, 1200, 650)); pixels[0, 0, :3] = number, 1, 2
    files.append(SimpleUploadedFile(f"{{number:03d}}.png", encode_png(pixels, level=1)))
ada = User.objects.create_user("ada", password="a-long-passphrase")
begun = time.perf_counter(); made = new_scene(ada, "Large", None, None, files); took = time.perf_counter() - begun
client = Client(); client.force_login(ada)
print(made.scene.pk, client.cookies[settings.SESSION_COOKIE_NAME].value, took)
"""


def main() -> None:
    with Started() as app:
        scene, session, took = app.run(MADE).splitlines()[-1].split()
        print(f"{LAYERS} pictures of 1200 x 650 brought in: {float(took):.1f} s")
        app.get("/", session)
        for _ in range(5):  # by one web process, then by another
            begun = time.perf_counter()
            status, text = app.get(f"/scenes/{scene}/depth/", session)
            assert status == 200, text
            print(f"opened: {time.perf_counter() - begun:.2f} s, {len(text) / 1000:.0f} kB")


if __name__ == "__main__":
    main()
