"""Fifty people editing ten scenes at once: how long an edit takes, and how long after it the verdict stands. python -m bench.load

Starts the application by bin/run in a folder of its own and throws that away. Fifty pages of scenes of 24 layers are opened, five a
second; when the last is open each of the fifty moves a layer of his own now and then, and asks for the verdict when the answer says
that it is not there yet, as the page does.
`--pause S`: seconds between two edits of one person, on average (8; 0: as quickly as answers come). `--seconds S`: how long (60).
"""

import argparse
import http.client
import random
import re
import threading
import time
import urllib.parse
from dataclasses import dataclass, field

import numpy as np

from bench.edit import fields_of
from tests.started import Started

SCENES, EDITORS, LAYERS = 10, 50, 24
MADE = f"""
from django.contrib.auth.models import User; from django.test import Client; from django.conf import settings
from bench.scenes import art, scene as made_scene
from clinamen.art import store; from clinamen.core.pictures.encoding import encode_png
from clinamen.scenes.models import Scene, Revision, SceneArt
owner = User.objects.create_user("bench", password="a-long-passphrase")
made = made_scene()
kept = {{l.art.file: store.keep(encode_png(art(i), level=1), l.art.file) for i, l in enumerate(made.layers)}}
for n in range({SCENES}):
    row = Scene.objects.create(owner=owner, title="Bench")
    for file, picture in kept.items():
        SceneArt.objects.create(scene=row, file=file, picture=picture)
    row.head = Revision.objects.create(scene=row, document={{**made.to_json(), "title": f"Bench {{n}}"}}, says="bench", author=owner)
    row.save()
    print("scene", row.pk)
for n in range({EDITORS}):
    client = Client(); client.force_login(owner)
    print("session", client.cookies[settings.SESSION_COOKIE_NAME].value)
"""


@dataclass
class Measured:
    """What all editors saw, in ms; answers that were refused or failed are counted."""

    opened: list[float] = field(default_factory=list)
    edits: list[float] = field(default_factory=list)
    verdicts: list[float] = field(default_factory=list)
    failed: list[str] = field(default_factory=list)
    all_open: threading.Barrier = field(default_factory=lambda: threading.Barrier(EDITORS + 1))


class Editor(threading.Thread):
    """One person at one page."""

    def __init__(
        self, address: str, scene: str, session: str, index: int, seconds: float, pause: float, told: Measured
    ):
        super().__init__(daemon=True)
        self.host, self.scene, self.session = urllib.parse.urlsplit(address).netloc, scene, session
        self.layer = f"layer-{1 + index % (LAYERS - 1):02d}"
        self.seconds, self.pause, self.told, self.chance = seconds, pause, told, random.Random(index)

    def run(self) -> None:
        self.line = http.client.HTTPConnection(self.host, timeout=120)
        took, text, _ = self.ask("GET", f"/scenes/{self.scene}/depth/?layer={self.layer}")
        self.told.opened.append(took)
        fields = fields_of(text)
        token = re.search(r'"X-CSRFToken": "(\w+)"', text)
        assert token
        self.token = token[1]
        self.told.all_open.wait()
        until = time.perf_counter() + self.seconds
        while True:
            time.sleep(self.chance.expovariate(1 / self.pause) if self.pause else 0)
            if time.perf_counter() > until:
                return
            rate = self.chance.uniform(0.2, 0.6)
            values = {**fields, "layer": self.layer, "rate": f"{rate:.5f}"}
            begun = time.perf_counter()
            took, text, unproved = self.ask("POST", f"/scenes/{self.scene}/edit/depth/", values)
            self.told.edits.append(took)
            fields = fields_of(text) if '<form id="choice"' in text else fields
            if unproved:
                asked = urllib.parse.urlencode({**fields, "verdict": "1"})
                _, text, _ = self.ask("GET", f"/scenes/{self.scene}/desk/?{asked}")
                fields = fields_of(text) if '<form id="choice"' in text else fields
            self.told.verdicts.append(1000 * (time.perf_counter() - begun) - took)

    def ask(self, method: str, path: str, values: dict[str, str] | None = None) -> tuple[float, str, bool]:
        cookie = f"sessionid={self.session}"
        headers = {"Cookie": cookie, "Host": self.host}
        body = None
        if values is not None:
            headers |= {"Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true"}
            headers |= {"X-CSRFToken": self.token, "Cookie": f"{cookie}; csrftoken={self.secret}"}
            body = urllib.parse.urlencode(values)
        begun = time.perf_counter()
        try:
            answer, text = self._answer(method, path, body, headers)
        except (OSError, http.client.HTTPException) as error:
            self.told.failed.append(repr(error))
            return 1000 * (time.perf_counter() - begun), "", False
        if answer.status != 200:
            self.told.failed.append(f"{method} {path[:60]}: {answer.status}")
        found = re.search(r"csrftoken=(\w+)", answer.getheader("Set-Cookie") or "")
        self.secret = found[1] if found else getattr(self, "secret", "")
        return 1000 * (time.perf_counter() - begun), text, "unproved" in (answer.getheader("HX-Trigger") or "")

    def _answer(
        self, method: str, path: str, body: str | None, headers: dict[str, str]
    ) -> tuple[http.client.HTTPResponse, str]:
        """As a browser asks: once more on a new line where the server had closed the old one."""
        for again in (True, False):
            try:
                self.line.request(method, path, body, headers)
                answer = self.line.getresponse()
                return answer, answer.read().decode()
            except (OSError, http.client.HTTPException):
                self.line.close()
                if not again:
                    raise
        raise AssertionError


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--pause", type=float, default=8.0)
    asked.add_argument("--seconds", type=float, default=60.0)
    asked = asked.parse_args()
    with Started() as app:
        told = [line.split() for line in app.run(MADE).splitlines() if line.startswith(("scene", "session"))]
        scenes, sessions = ([word for kind, word in told if kind == which] for which in ("scene", "session"))
        for scene in scenes * 3:  # every process has read the art
            app.get(f"/scenes/{scene}/proof/", sessions[0])
        measured = Measured()
        editors = [
            Editor(app.address, scenes[n % SCENES], sessions[n], n, asked.seconds, asked.pause, measured)
            for n in range(EDITORS)
        ]
        for editor in editors:
            editor.start()
            time.sleep(0.2)
        measured.all_open.wait()
        for editor in editors:
            editor.join()
        log = (app.var / "log/web.log").read_text().splitlines()
        said = [line for line in log if "ERROR" in line or "WARNING" in line]
    print(
        f"{EDITORS} editors on {SCENES} scenes, {asked.pause:g} s between two edits: {len(measured.edits) / asked.seconds:.1f} edits/s"
    )
    for name in ("opened", "edits", "verdicts"):
        values = getattr(measured, name)
        told = ", ".join(f"p{p} {np.percentile(values, p):.0f} ms" for p in (50, 95, 99))
        print(f"  {name}: {len(values)}, {told}")
    print(f"  failed: {len(measured.failed)} {sorted(set(measured.failed))[:5]}")
    for line in said[-3:]:
        print(f"  the server said: {line[:120]} … {line[-300:]}")


if __name__ == "__main__":
    main()
