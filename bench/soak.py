"""Ten minutes of people at work while parts of the application are killed: what was acknowledged and is missing, faults, memory. python -m bench.soak

Starts the application by bin/run in a folder of its own and throws that away. Eight people edit, comment and bring pictures in; every
half minute a part is ended by kill -9: a web process, the web server, a worker, a prover, the database. Whoever gets no answer asks
again, as a person would. At the end every revision and picture that was acknowledged is looked for. `--seconds S`: how long (600).
"""

import argparse
import json
import os
import random
import re
import signal
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from pathlib import Path

import psycopg

from bench.edit import fields_of
from clinamen.core.pictures.encoding import encode_png
from tests.conftest import noise
from tests.started import Started, children

PEOPLE, SCENES, KILL_EVERY = 8, 3, 30.0
PARTS = ("web worker", "web", "art", "exports", "prover", "database")
MADE = f"""
from django.contrib.auth.models import User; from django.test import Client; from django.conf import settings
from clinamen.core import document; from clinamen.scenes.models import Scene, Revision
owner = User.objects.create_user("soak", password="a-long-passphrase")
layers = [{{"id": f"l{{n}}", "art": {{"made": {{"kind": "gradient"}}, "width": 900, "height": 600}}, "depth": 100 * n}} for n in range(12)]
for n in range({SCENES}):
    scene = Scene.objects.create(owner=owner, title=f"Soak {{n}}")
    made = document.parse({{"title": scene.title, "layers": layers}})
    scene.head = Revision.objects.create(scene=scene, document=made.to_json(), says="made", author=owner); scene.save()
    print("scene", scene.pk)
for n in range({PEOPLE}):
    client = Client(); client.force_login(owner)
    print("session", client.cookies[settings.SESSION_COOKIE_NAME].value)
"""


class Person(threading.Thread):
    """Edits, comments, brings pictures in; remembers what was acknowledged."""

    def __init__(self, address: str, scene: str, session: str, index: int, until: float) -> None:
        super().__init__(daemon=True)
        self.address, self.scene, self.session, self.until = address, scene, session, until
        self.layer, self.chance = f"l{index}", random.Random(index)
        self.titles: list[str] = []
        self.pictures: list[str] = []
        self.answers: dict[int, int] = {}
        self.longest = 0.0

    def run(self) -> None:
        self.open()
        while time.monotonic() < self.until:
            time.sleep(self.chance.expovariate(1.0))
            if self.chance.random() < 0.15:
                self.bring_in()
            else:
                self.edit()

    def open(self) -> None:
        while (
            text := self.ask(f"/scenes/{self.scene}/depth/?layer={self.layer}")
        ) is None and time.monotonic() < self.until:
            time.sleep(0.3)
        token = re.search(r'"X-CSRFToken": "(\w+)"', text or "")
        self.fields, self.token = (fields_of(text), token[1]) if text and token else ({}, "")

    def edit(self) -> None:
        name = uuid.uuid4().hex[:12]
        text = self.ask(f"/scenes/{self.scene}/edit/layer/", {**self.fields, "layer": self.layer, "name": name})
        if text and '<form id="choice"' in text and "wrong" not in text:
            self.fields = fields_of(text)
            self.titles.append(name)
        elif text is None:
            self.open()

    def bring_in(self) -> None:
        name = f"{uuid.uuid4().hex[:12]}.png"
        data = encode_png(noise(120, 80, self.chance.randrange(10**6)), level=1)
        edge = uuid.uuid4().hex
        told = {**self.fields, "room": "art"}
        body = b"".join(
            f'--{edge}\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{value}\r\n'.encode()
            for key, value in told.items()
        )
        body += f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n\r\n'.encode()
        body += data + f"\r\n--{edge}--\r\n".encode()
        text = self.ask(f"/scenes/{self.scene}/layers/", body, f"multipart/form-data; boundary={edge}")
        if text and '<form id="choice"' in text and "wrong" not in text:
            self.fields = fields_of(text)
            self.pictures.append(name)
        elif text is None:
            self.open()

    def ask(self, path: str, values: dict[str, str] | bytes | None = None, kind: str = "") -> str | None:
        """An answer's text; None where there is none, or a fault."""
        body = urllib.parse.urlencode(values).encode() if isinstance(values, dict) else values
        headers = {"Cookie": f"sessionid={self.session}; csrftoken={getattr(self, 'cookie', '')}", "HX-Request": "true"}
        if body is not None:
            headers |= {"X-CSRFToken": self.token} | ({"Content-Type": kind} if kind else {})
        begun, status, text = time.monotonic(), 0, None
        try:
            with urllib.request.urlopen(
                urllib.request.Request(self.address + path, body, headers), timeout=60
            ) as answer:
                status, text = answer.status, answer.read().decode()
                found = re.search(r"csrftoken=(\w+)", answer.headers.get("Set-Cookie") or "")
                self.cookie = found[1] if found else getattr(self, "cookie", "")
        except urllib.error.HTTPError as error:
            status = error.code
        except OSError:
            pass
        self.longest = max(self.longest, time.monotonic() - begun)
        self.answers[status] = self.answers.get(status, 0) + 1
        return text


def memory(pid: int) -> float:
    """MB of a process and its children."""
    try:
        own = int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6
    except OSError:
        return 0.0
    return own + sum(memory(child) for child in children(pid))


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--seconds", type=float, default=600.0)
    seconds = asked.parse_args().seconds
    with Started() as app:
        told = [line.split() for line in app.run(MADE).splitlines() if line.startswith(("scene", "session"))]
        scenes, sessions = ([word for kind, word in told if kind == which] for which in ("scene", "session"))
        until = time.monotonic() + seconds
        people = [Person(app.address, scenes[n % SCENES], sessions[n], n, until) for n in range(PEOPLE)]
        for person in people:
            person.start()
        kills, chance, used = 0, random.Random(1), []
        supervisor = int((app.var / "supervisor.pid").read_text())
        while time.monotonic() < until:
            time.sleep(min(KILL_EVERY, max(0.1, until - time.monotonic())))
            used.append(memory(supervisor))
            if time.monotonic() < until - 10:
                pid = app.pid_of(chance.choice(PARTS))
                if pid:
                    os.kill(pid, signal.SIGKILL)
                    kills += 1
        for person in people:
            person.join()
        while app.get("/ready/")[0] != 200:
            time.sleep(0.2)
        with psycopg.connect(**app.database(), autocommit=True) as line:
            documents = [json.dumps(row[0]) for row in line.execute("SELECT document FROM scenes_revision").fetchall()]
            files = {row[0].rsplit("/", 1)[-1] for row in line.execute("SELECT file FROM scenes_sceneart").fetchall()}
        written = "\n".join(documents)
        names = [name for person in people for name in person.titles]
        pictures = [name for person in people for name in person.pictures]
        lost = [name for name in names if name not in written] + [name for name in pictures if name not in files]
        answers: dict[int, int] = {}
        for person in people:
            for status, count in person.answers.items():
                answers[status] = answers.get(status, 0) + count
        whole = app.run(
            "from django.core.management import call_command\ntry:\n    call_command('check_store')\nexcept SystemExit: pass"
        )
    print(f"{seconds:.0f} s, {PEOPLE} people on {SCENES} scenes, {kills} times kill -9")
    print(f"  acknowledged: {len(names)} edits, {len(pictures)} pictures; missing: {len(lost)} {lost[:5]}")
    print(
        f"  answers by status (0: none): {dict(sorted(answers.items()))}; longest {max(person.longest for person in people):.1f} s"
    )
    print(
        f"  memory of all parts: {used[0]:.0f} MB after {KILL_EVERY:.0f} s, at most {max(used):.0f}, {used[-1]:.0f} at the end"
    )
    print(f"  the store: {whole.splitlines()[-1] if whole else 'not read'}")


if __name__ == "__main__":
    main()
