"""Fifty people editing ten scenes at once: how long an edit takes, how long after it the verdict stands, and how long until the
others see it. python -m bench.load

Starts the application by bin/run in a folder of its own and throws that away. Fifty pages of scenes of 24 layers are opened, five a
second; when the last is open each of the fifty moves a layer of his own now and then. They ask as the page does: for the verdict,
beside all else, where an answer says that it is not there yet, and asked again where it comes for what is not shown any more; on a
line of events they hear what the others changed, and ask for that when the word has rested, in turn with their own edits.
`--pause S`: seconds between two edits of one person, on average (8; 0: as quickly as answers come). `--seconds S`: how long (60).
`--deaf`: nobody hears of others, as before there was a line.
"""

import argparse
import http.client
import json
import os
import queue
import random
import re
import threading
import time
import urllib.parse
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from bench.edit import fields_of
from tests.started import Started

SCENES, EDITORS, LAYERS = 10, 50, 24
MADE = f"""
from django.contrib.auth.models import User; from django.test import Client; from django.conf import settings
from bench.scenes import art, scene as made_scene
from clinamen.art import store; from clinamen.core.pictures.encoding import encode_png
from clinamen.scenes.models import Scene, Revision, SceneArt, Share
people = [User.objects.create_user(f"bench-{{n}}") for n in range({EDITORS})]
made = made_scene()
kept = {{l.art.file: store.keep(encode_png(art(i), level=1), l.art.file) for i, l in enumerate(made.layers)}}
for n in range({SCENES}):
    owner, *others = people[n::{SCENES}]
    row = Scene.objects.create(owner=owner, title="Bench")
    Share.objects.bulk_create(Share(scene=row, account=other, may="edit") for other in others)
    for file, picture in kept.items():
        SceneArt.objects.create(scene=row, file=file, picture=picture)
    row.head = Revision.objects.create(scene=row, document={{**made.to_json(), "title": f"Bench {{n}}"}}, says="bench", author=owner)
    row.save()
    print("scene", row.pk)
for one in people:
    client = Client(); client.force_login(one)
    print("session", client.cookies[settings.SESSION_COOKIE_NAME].value)
"""


# s, as parts/live.js has them: how long word of a change rests before it is asked for
REST, USUAL, MOST_REST = 0.12, 0.25, 2.0


@dataclass
class Measured:
    """What all editors saw, in ms; answers that were refused or failed are counted."""

    opened: list[float] = field(default_factory=list)
    edits: list[float] = field(default_factory=list)
    verdicts: list[float] = field(default_factory=list)
    refreshes: list[float] = field(default_factory=list)
    failed: list[str] = field(default_factory=list)
    begun: dict[str, float] = field(default_factory=dict)  # by the revision that came of it
    seen: list[tuple[str, float]] = field(default_factory=list)  # a revision in another's window
    all_open: threading.Barrier = field(default_factory=lambda: threading.Barrier(EDITORS + 1))

    def heard(self) -> list[float]:
        """From an edit's beginning until another window had it, where it was still the newest then."""
        return [1000 * (at - self.begun[revision]) for revision, at in self.seen if revision in self.begun]


def shown(text: str) -> dict[str, str]:
    """What a page holds after an answer; nothing where that is none."""
    return fields_of(text) if '<form id="choice"' in text else {}


class Lines:
    """The connections of one page, asked on as a browser does: on the one that was used last and is free now."""

    def __init__(self, host: str, session: str, told: Measured) -> None:
        self.told, self.session, self.host = told, session, host
        self.free: list[http.client.HTTPConnection] = []

    def ask(
        self, method: str, path: str, values: dict[str, str] | None = None, token: str = ""
    ) -> tuple[float, str, bool]:
        """Milliseconds, text, and whether the answer goes without its verdict."""
        headers, body = {"Cookie": f"sessionid={self.session}", "Host": self.host, "HX-Request": "true"}, None
        if values is not None:
            headers |= {"Content-Type": "application/x-www-form-urlencoded", "X-CSRFToken": token}
            headers["Cookie"] += f"; csrftoken={token}"
            body = urllib.parse.urlencode(values)
        begun = time.perf_counter()
        try:
            answer, text = self._answer(method, path, body, headers)
        except (OSError, http.client.HTTPException) as error:
            self.told.failed.append(repr(error))
            return 1000 * (time.perf_counter() - begun), "", False
        if answer.status != 200:
            self.told.failed.append(f"{method} {path[:60]}: {answer.status}")
        return 1000 * (time.perf_counter() - begun), text, "unproved" in (answer.getheader("HX-Trigger") or "")

    def _answer(
        self, method: str, path: str, body: str | None, headers: dict[str, str]
    ) -> tuple[http.client.HTTPResponse, str]:
        """Once more on a new line where the server had closed the old one."""
        for again in (True, False):
            line = self.free.pop() if self.free else http.client.HTTPConnection(self.host, timeout=120)
            try:
                line.request(method, path, body, headers)
                answer = line.getresponse()
                text = answer.read().decode()
                self.free.append(line)
                return answer, text
            except (OSError, http.client.HTTPException):
                line.close()
                if not again:
                    raise
        raise AssertionError

    def events(self, path: str) -> Iterator[tuple[str, str]]:
        """Kinds and data of a line of events."""
        line = http.client.HTTPConnection(self.host)
        line.request("GET", path, headers={"Cookie": f"sessionid={self.session}", "Host": self.host})
        answer = line.getresponse()
        if answer.status != 200:
            self.told.failed.append(f"line: {answer.status}")
        kind = ""
        while told := answer.readline().decode():
            name, _, value = told.strip().partition(": ")
            if name == "event":
                kind = value
            elif name == "data":
                yield kind, value


class Editor(threading.Thread):
    """One person at one page. What others changed is asked for beside; an edit does not wait for that, and what comes of it then
    is left."""

    def __init__(
        self, address: str, scene: str, session: str, index: int, asked: argparse.Namespace, told: Measured
    ) -> None:
        super().__init__(daemon=True)
        self.lines, self.scene = Lines(urllib.parse.urlsplit(address).netloc, session, told), scene
        self.layer = f"layer-{1 + index % (LAYERS - 1):02d}"
        self.asked, self.told, self.chance = asked, told, random.Random(index)
        self.words: queue.Queue[str] = queue.Queue()
        self.unproved: queue.Queue[tuple[float, float] | None] = queue.Queue()
        self.edits, self.under, self.followed, self.rest = 0, threading.Lock(), False, REST

    def run(self) -> None:
        took, text, _ = self.lines.ask("GET", f"/scenes/{self.scene}/depth/?layer={self.layer}")
        self.told.opened.append(took)
        self.fields = fields_of(text)
        token = re.search(r'"X-CSRFToken": "(\w+)"', text)
        assert token
        prover = threading.Thread(target=self.prove, daemon=True)
        prover.start()
        if not self.asked.deaf:
            for other in (self.hear, self.follow):
                threading.Thread(target=other, daemon=True).start()
        self.told.all_open.wait()
        until = time.perf_counter() + self.asked.seconds
        while True:
            time.sleep(self.chance.expovariate(1 / self.asked.pause) if self.asked.pause else 0)
            if time.perf_counter() > until:
                self.unproved.put(None)
                prover.join()
                return
            values = {"layer": self.layer, "rate": f"{self.chance.uniform(0.2, 0.6):.5f}"}
            begun = time.perf_counter()
            self.edits += 1
            with self.under:
                took, text, unproved = self.lines.ask(
                    "POST", f"/scenes/{self.scene}/edit/depth/", {**self.fields, **values}, token[1]
                )
                self.fields, self.followed = shown(text) or self.fields, False
            self.told.edits.append(took)
            self.told.begun[self.fields["base"]] = begun
            if unproved:
                self.unproved.put((begun, time.perf_counter()))
            else:
                self.told.verdicts.append(0.0)

    def follow(self) -> None:
        """Take up what others changed."""
        newest = ""
        while True:
            try:
                newest = self.words.get(timeout=self.rest if newest else None)
                continue
            except queue.Empty:
                pass
            with self.under:
                edits, fields = self.edits, self.fields
            if newest != fields["base"]:
                query = urllib.parse.urlencode({**fields, "follows": "1"})
                took, text, unproved = self.lines.ask("GET", f"/scenes/{self.scene}/desk/?{query}")
                self.told.refreshes.append(took)
                self.rest = min(MOST_REST, REST + max(0.0, took / 1000 - USUAL))
                if edits == self.edits and (found := shown(text)):
                    self.fields, self.followed = found, True
                    self.told.seen.append((found["base"], time.perf_counter()))
                    if unproved:
                        self.unproved.put((0.0, time.perf_counter()))
            newest = ""

    def prove(self) -> None:
        """Ask for verdicts, one at a time; anew where one comes for a page that has moved on meanwhile."""
        while (wanted := self.unproved.get()) is not None:
            asked_by = [wanted]
            left = True
            while left:
                fields = self.fields
                query = urllib.parse.urlencode(
                    {**fields, "verdict": "1", **({"follows": "1"} if self.followed else {})}
                )
                _, text, _ = self.lines.ask("GET", f"/scenes/{self.scene}/desk/?{query}")
                left = self.under.locked() or fields["number"] != self.fields["number"]
                if not left:
                    self.fields = shown(text) or self.fields
                while not self.unproved.empty() and left:
                    more = self.unproved.get()
                    if more is None:
                        self.unproved.put(None)
                        break
                    asked_by.append(more)
            now = time.perf_counter()
            self.told.verdicts += [1000 * (now - answered) for own, answered in asked_by if own]

    def hear(self) -> None:
        """Hold a line of events; who comes and goes is asked for too."""
        page, self.rings = self.fields["page"], threading.Timer(0, print)
        for kind, value in self.lines.events(f"/scenes/{self.scene}/line/?page={page}&room=depth&layer={self.layer}"):
            if kind == "changed":
                self.words.put(str(json.loads(value)["revision"]))
            elif kind == "present":
                self.rings.cancel()
                self.rings = threading.Timer(
                    REST, self.lines.ask, ("GET", f"/scenes/{self.scene}/present/?page={page}")
                )
                self.rings.start()


def _ticks() -> tuple[int, int]:
    """Of the machine's processors since it started: time that others took, and all time (proc(5), /proc/stat)."""
    ticks = [int(each) for each in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:9]]
    return ticks[7], sum(ticks)


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--pause", type=float, default=8.0)
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--deaf", action="store_true")
    asked = asked.parse_args()
    with Started() as app:
        told = [line.split() for line in app.run(MADE).splitlines() if line.startswith(("scene", "session"))]
        scenes, sessions = ([word for kind, word in told if kind == which] for which in ("scene", "session"))
        for scene in scenes * 3:  # every process has read the art
            app.get(f"/scenes/{scene}/proof/", sessions[scenes.index(scene)])
        measured = Measured()
        editors = [Editor(app.address, scenes[n % SCENES], sessions[n], n, asked, measured) for n in range(EDITORS)]
        for editor in editors:
            editor.start()
            time.sleep(0.2)
        measured.all_open.wait()
        before, own, begun = _ticks(), time.process_time(), time.monotonic()
        for editor in editors:
            editor.join()
        stolen, all_time = (after - at for after, at in zip(_ticks(), before, strict=True))
        own, took = time.process_time() - own, (time.monotonic() - begun) * (os.cpu_count() or 1)
        log = (app.var / "log/web.log").read_text().splitlines()
        said = [line for line in log if "ERROR" in line or "WARNING" in line]
    print(
        f"{EDITORS} editors on {SCENES} scenes, {asked.pause:g} s between two edits: {len(measured.edits) / asked.seconds:.1f} edits/s"
    )
    for name in ("opened", "edits", "verdicts", "refreshes", "heard"):
        values = measured.heard() if name == "heard" else getattr(measured, name)
        if not values:
            continue
        told = ", ".join(f"p{p} {np.percentile(values, p):.0f} ms" for p in (50, 95, 99))
        print(f"  {name}: {len(values)}, {told}")
    print(f"  other machines on the same processors took {100 * stolen / all_time:.0f} % of them meanwhile, "
          f"the fifty themselves {100 * own / took:.0f} %")  # fmt: skip
    print(f"  failed: {len(measured.failed)} {sorted(set(measured.failed))[:5]}")
    for line in said[-3:]:
        print(f"  the server said: {line[:120]} … {line[-300:]}")


if __name__ == "__main__":
    main()
