"""How long the application is away when a part of it is killed, frozen or told to stop. python -m bench.kills

Starts it by bin/run in a folder of its own, and throws that away.
"""

import os
import signal
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from tests.started import Started

MOST = 60.0  # s that are waited for anything
CROWD = 40  # who ask at once


def until(what: Callable[[], bool]) -> float:
    begun = time.perf_counter()
    while not what() and time.perf_counter() - begun < MOST:
        time.sleep(0.02)
    return time.perf_counter() - begun


def _crowd(app: Started, session: str) -> float:
    """Seconds until the last of many who ask at once has an answer."""
    begun = time.perf_counter()
    with ThreadPoolExecutor(CROWD) as people:
        answers = list(people.map(lambda _: app.get("/", session)[0], range(CROWD)))
    assert set(answers) == {503}
    return time.perf_counter() - begun


def main() -> None:
    with Started() as app:
        session = app.session()

        def well() -> bool:
            return app.get("/", session)[0] == 200 and app.get("/ready/")[0] == 200

        until(well)
        for part in ("web", "web worker", "art", "exports", "films", "database", "database keeper"):
            time.sleep(3)
            before = app.pid_of(part)
            os.kill(before, signal.SIGKILL)
            back = until(lambda before=before, part=part: app.pid_of(part) not in (0, before))  # type: ignore[misc]
            print(
                f"{part} killed: there again after {back:.1f} s, a page answered again {until(well):.1f} s after that"
            )
        with app.frozen_database():
            for which in ("an open connection", "a new connection"):
                begun = time.perf_counter()
                status, _ = app.get("/", session)
                print(f"database frozen, {which}: answer {status} after {time.perf_counter() - begun:.1f} s")
            print(f"database frozen, {CROWD} at once: all answered after {_crowd(app, session):.1f} s")
        print(f"thawed: a page answered after {until(well):.1f} s")
        app.ask_for_an_export()
        until(lambda: app.export_status() == "working")
        begun = time.perf_counter()
        os.kill(app.pid_of("exports"), signal.SIGKILL)
        until(lambda: app.export_status() == "done")
        print(f"an export's worker killed: the export done {time.perf_counter() - begun:.1f} s after")
        begun = time.perf_counter()
        app.stop()
        print(f"told to stop: ended after {time.perf_counter() - begun:.1f} s")


if __name__ == "__main__":
    main()
