"""The whole application, started as everybody starts it, with parts of it killed, frozen and ended: it comes back, and says meanwhile
what is wrong. How long each takes is measured in `bench.kills`; here it only has to come."""

import json
import os
import signal
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.started import Started

COMES = 60.0  # s that are waited for anything at most


@pytest.fixture(scope="module")
def app() -> Iterator[Started]:
    with Started() as started:
        yield started


def comes(what: Callable[[], Any], words: str) -> None:
    deadline = time.monotonic() + COMES
    while not what():
        assert time.monotonic() < deadline, f"did not come: {words}"
        time.sleep(0.05)


def running(pid: int) -> bool:
    """Whether a process is there, and more than its name in the list of who has ended."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def well(app: Started) -> bool:
    return app.get("/ready/")[0] == 200


@pytest.mark.parametrize("part", ["web", "web worker", "art", "exports", "database", "database keeper"])
def test_what_is_killed_comes_back(app: Started, part: str) -> None:
    comes(lambda: well(app), "all parts")
    before = app.pid_of(part)
    os.kill(before, signal.SIGKILL)
    comes(lambda: app.pid_of(part) not in (0, before) and well(app), f"{part} again")
    comes(lambda: app.get("/sign-in/")[0] == 200, "a page")


def test_while_the_database_stands_still_pages_say_so_and_go_on_after(app: Started) -> None:
    comes(lambda: well(app), "all parts")
    session = app.session()
    with app.frozen_database():
        assert app.get("/alive/")[0] == 200
        for _ in range(2):  # on a connection that was open, and on one to be made
            status, text = app.get("/", session)
            assert status == 503 and "The database does not answer" in text and "All that was saved is safe" in text
        told = json.loads(app.get("/ready/")[1])
        assert told["database"].startswith("does not answer") and told["store"] == "well"
    comes(lambda: well(app), "the database")
    comes(lambda: app.get("/", session)[0] == 200, "a page, also of the process that had heard of it last")


def test_an_export_is_finished_by_another_when_its_worker_is_killed(app: Started) -> None:
    comes(lambda: well(app), "all parts")
    app.ask_for_an_export()
    comes(lambda: app.export_status() == "working", "the export's beginning")
    os.kill(app.pid_of("exports"), signal.SIGKILL)
    comes(lambda: app.export_status() == "done", "the export")


def test_told_to_stop_all_parts_end(app: Started) -> None:
    comes(lambda: well(app), "all parts")
    parts = [app.pid_of(part) for part in ("web", "web worker", "art", "exports", "database", "database keeper")]
    app.stop()
    comes(lambda: not [pid for pid in parts if running(pid)], "the end of all")
    with pytest.raises(urllib.error.URLError):
        urllib.request.urlopen(app.address + "/alive/", timeout=2)
