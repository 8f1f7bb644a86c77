"""What tests share: small scenes with made-up art, and a headless Chromium."""

import functools
import hashlib
import http.server
import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings
from playwright.sync_api import Browser, BrowserContext, Page, Playwright, expect, sync_playwright

from clinamen.core import document
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.opaque import OpaqueSet, opaque_set
from clinamen.core.document import Scene
from clinamen.core.pictures.encoding import encode_avif, encode_png, encode_webp
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.site.staying import stay

settings.register_profile("untimed", deadline=None)  # a busy machine is no fault of what is tested
settings.load_profile("untimed")
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # Playwright's loop runs beside Django's in these tests

expect.set_options(timeout=45_000)  # a busy machine is no fault of the page


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Have each worker, whose share is a stretch of the list, begin with long tests: begun last, one goes on alone for minutes."""
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    long = [item for item in items if item.get_closest_marker("long")]
    rest = [item for item in items if not item.get_closest_marker("long")]
    share = -(-len(rest) // workers)
    items[:] = [
        item
        for worker in range(workers)
        for item in (*long[worker::workers], *rest[worker * share : (worker + 1) * share])
    ]


def pytest_collection_finish() -> None:
    """What is loaded by now stays."""
    stay()


ROOT = Path(__file__).parents[1]
# the shell is the same engine without the windows of a browser round it, which cost a second of a core a page
CHROMIUM_AT = "/usr/bin/chromium-headless-shell"
CHROMIUM = [
    "--no-sandbox", "--disable-quic", "--disable-background-networking",
    "--force-color-profile=srgb", "--font-render-hinting=none",
]  # fmt: skip
# the shell says that a pointer is at the corner where none has moved yet
NO_POINTER_YET = """for (const kind of ["pointermove", "mousemove"]) addEventListener(kind, (event) => {
    if (!event.clientX && !event.clientY) event.stopImmediatePropagation();
}, true);"""
IN_SOFTWARE = ["--disable-gpu"]  # pages are painted by the processor, which is quicker than an imitated graphics card
WITH_WEBGL = ["--use-angle=swiftshader", "--enable-unsafe-swiftshader"]


def layer(layer_id: str, width: int, height: int, **fields: Any) -> dict[str, Any]:
    """A layer as JSON, its art named after it."""
    return {"id": layer_id, "art": {"file": f"art/{layer_id}.png", "width": width, "height": height}, **fields}


def track(target: str, channel: str, driver: str, *keys: tuple[Any, ...]) -> dict[str, Any]:
    """A track as JSON; keys are (at, value) or (at, value, ease)."""
    names = ("at", "value", "ease")
    return {"target": target, "channel": channel, "driver": driver,
            "keys": [dict(zip(names, key, strict=False)) for key in keys]}  # fmt: skip


def scene(*layers: dict[str, Any], **fields: Any) -> Scene:
    """A valid scene."""
    return document.parse({"layers": list(layers), **fields})


NUMBER_OF = {"scale": "scale", "extend": "pixels", "fill": "reach"}  # a fix's one number, among its edit's values


def fixed(made: Scene, fix: Any, value: float | None = None) -> Scene:
    """The scene after a fix, with another number in place of the computed one if given."""
    from clinamen.core.edits import apply

    values = dict(fix.values)
    if value is not None:
        values[NUMBER_OF.get(fix.kind) or ("share" if "share" in values else "reach")] = str(value)
    return apply(made, fix.edit, values)[0]


def full_sets(made: Scene) -> dict[str, OpaqueSet]:
    """Opaque sets as if every layer's art were opaque throughout."""
    return {x.id: opaque_set(None, x.art.width, x.art.height) for x in made.layers}


def noise(width: int, height: int, seed: int = 0, cell: int = 40) -> np.ndarray:
    """Opaque RGBA art with soft structure, so that a shift shows."""
    import cv2

    rng = np.random.default_rng(seed)
    small = rng.integers(30, 226, (height // cell + 2, width // cell + 2, 3)).astype(np.uint8)
    colour = cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.dstack([colour, np.full((height, width), 255, np.uint8)])


def _remembering(encode: Callable[..., bytes]) -> Callable[..., bytes]:
    known: dict[bytes, bytes] = {}

    def once(pixels: np.ndarray, *more: object, **how: object) -> bytes:
        key = hashlib.sha256(repr((pixels.shape, more, how)).encode() + np.ascontiguousarray(pixels).tobytes()).digest()
        if key not in known:
            known[key] = encode(pixels, *more, **how)
        return known[key]

    return once


quick_png = _remembering(functools.partial(encode_png, level=1))


def shelf_of(art: dict[str, np.ndarray], made: Scene | None = None) -> ArtShelf:
    """A shelf over pictures by layer id."""
    files = {f"art/{name}.png": quick_png(pixels) for name, pixels in art.items()}
    return ArtShelf(files.__getitem__, scene=made)


_pages: dict[str, dict[str, bytes]] = {}


def page_files(made: Scene, art: dict[str, np.ndarray], **options: Any) -> dict[str, bytes]:
    """The exported page of a scene; the same scene is exported once in a run of tests."""
    from clinamen.core.exports.web import page

    shown = [hashlib.sha256(np.ascontiguousarray(pixels).tobytes()).hexdigest() for pixels in art.values()]
    key = repr((made.to_json(), list(art), shown, options))
    if key not in _pages:
        _pages[key] = page.build(made, shelf_of(art), page.WebOptions(**options))
    return _pages[key]


def write_folder(folder: Path, made: Scene, art: dict[str, np.ndarray]) -> Path:
    """A scene on disk: scene.json beside its art."""
    import json

    (folder / "art").mkdir(parents=True, exist_ok=True)
    for name, pixels in art.items():
        (folder / "art" / f"{name}.png").write_bytes(quick_png(pixels))
    (folder / "scene.json").write_text(json.dumps(made.to_json()))
    return folder


def psnr(one: np.ndarray, other: np.ndarray, where: np.ndarray | None = None) -> float:
    """Peak signal-to-noise ratio in dB of two uint8 pictures, over `where` if given."""
    difference = (one.astype(float) - other.astype(float)) ** 2
    mean = difference.mean() if where is None else difference[where].mean()
    return float("inf") if mean == 0 else float(10 * np.log10(255**2 / mean))


@pytest.fixture(scope="session", autouse=True)
def encoded_once() -> Iterator[None]:
    """Encoding is a pure function and takes most of an export's time: one picture is encoded once in a run of tests, and
    no test is about how small a file is."""
    from clinamen.core.exports.engine import kit
    from clinamen.core.exports.web import page, pictures

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(pictures, "encode_png", quick_png)
        patch.setattr(kit, "encode_png", quick_png)
        patch.setattr(pictures, "encode_webp", _remembering(functools.partial(encode_webp, hasty=True)))
        patch.setattr(page, "encode_webp", _remembering(functools.partial(encode_webp, ways=("lossy",), hasty=True)))
        patch.setattr(pictures, "encode_avif", _remembering(functools.partial(encode_avif, speed=10)))
        yield


@pytest.fixture(scope="session", autouse=True)
def read_once() -> Iterator[None]:
    """Reading is a pure function too, in a process of its own: the same few pictures are brought in by hundreds of tests."""
    from clinamen.core.pictures.pool import POOL

    known: Bounded[Any] = Bounded(200_000_000, lambda answer: len(answer[1]) + 100)
    ask = POOL.ask

    def once(job: str, data: bytes, name: str, options: dict[str, Any] | None = None) -> Any:
        return known.get((job, data, name, repr(options)), lambda: ask(job, data, name, options))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(POOL, "ask", once)
        yield


@pytest.fixture(scope="session", autouse=True)
def emptied_by_delete() -> None:
    """Small tables are emptied in a few ms by DELETE; TRUNCATE, which Django uses, makes files anew for each: half a second a test.
    A request that a closing page sent last may still write then: who is chosen to give way to it empties them once more."""
    if "DJANGO_SETTINGS_MODULE" not in os.environ:  # the core's tests alone
        return
    from django.db import OperationalError
    from django.db.backends.postgresql.operations import DatabaseOperations
    from psycopg.errors import DeadlockDetected

    usual = DatabaseOperations.execute_sql_flush

    def sql_flush(self: DatabaseOperations, style: Any, tables: list[str], **_: Any) -> list[str]:
        deletes = [f"DELETE FROM {self.quote_name(table)};" for table in tables]
        return (
            ["SET session_replication_role = replica;", *deletes, "SET session_replication_role = DEFAULT;"]
            if tables
            else []
        )

    def execute_sql_flush(self: DatabaseOperations, sql_list: list[str]) -> None:
        try:
            usual(self, sql_list)
        except OperationalError as error:
            if not isinstance(error.__cause__, DeadlockDetected):
                raise
            usual(self, sql_list)

    DatabaseOperations.sql_flush = sql_flush
    DatabaseOperations.execute_sql_flush = execute_sql_flush


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as started:
        yield started


@pytest.fixture(scope="session")
def chromium(playwright: Playwright) -> Iterator[Browser]:
    browser = playwright.chromium.launch(executable_path=CHROMIUM_AT, args=[*CHROMIUM, *IN_SOFTWARE])
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def webgl(playwright: Playwright) -> Iterator[Browser]:
    """A Chromium that draws WebGL."""
    browser = playwright.chromium.launch(executable_path=CHROMIUM_AT, args=[*CHROMIUM, *WITH_WEBGL])
    yield browser
    browser.close()


def fresh_context(browser: Browser, **options: Any) -> BrowserContext:
    """A context of its own, with no pointer over its pages until one moves."""
    context = browser.new_context(**options)
    context.add_init_script(NO_POINTER_YET)
    return context


@pytest.fixture
def page(chromium: Browser) -> Iterator[Page]:
    with _fresh_page(chromium) as made:
        yield made


@pytest.fixture
def webgl_page(webgl: Browser) -> Iterator[Page]:
    with _fresh_page(webgl) as made:
        yield made


@contextmanager
def _fresh_page(browser: Browser) -> Iterator[Page]:
    """A fresh page of 1280 × 800; a script error or a refused resource fails the test."""
    context = fresh_context(browser, viewport={"width": 1280, "height": 800})
    made = context.new_page()
    made.set_default_timeout(45_000)
    faults: list[str] = []
    made.on("pageerror", lambda error: faults.append(str(error)))
    made.on("console", lambda message: faults.append(message.text) if message.type == "error" else None)
    yield made
    context.close()
    assert [fault for fault in faults if "422" not in fault] == []


def until(page: Page, script: str, arg: object = None, timeout: float = 20_000) -> Any:
    """What a script comes to once it comes to something. Playwright's own waiting evaluates text in the page, which the
    application's content policy refuses wherever the first answer is no."""
    deadline = time.monotonic() + timeout / 1000
    while not (found := page.evaluate(script, arg)):
        assert time.monotonic() < deadline, f"did not come: {script}"
        page.wait_for_timeout(20)
    return found


@contextmanager
def folder_served(folder: Path, headers: dict[str, str] | None = None) -> Iterator[str]:
    """A folder served on loopback, with extra headers if given: its address."""

    class Handler(http.server.SimpleHTTPRequestHandler):
        def end_headers(self) -> None:
            for name, value in (headers or {}).items():
                self.send_header(name, value)
            super().end_headers()

        def log_message(self, *args: Any) -> None:
            pass

    class Server(http.server.ThreadingHTTPServer):
        request_queue_size = 128  # of five a browser that asks for everything at once has some reset

    server = Server(("127.0.0.1", 0), functools.partial(Handler, directory=str(folder)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}/"
    finally:
        server.shutdown()


@pytest.fixture
def folder_server() -> Iterator[Callable[..., str]]:
    """Serve a folder on loopback, with extra headers if given; returns its address."""
    with ExitStack() as served:
        yield lambda folder, headers=None: served.enter_context(folder_served(folder, headers))
