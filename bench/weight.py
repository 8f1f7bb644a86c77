"""What the exported page of each demo costs its visitors: bytes, requests, decoded memory, and when the first picture is seen.

python -m bench.weight [demo …]. Chromium at 1280 × 800 and as a phone of 390 × 844 (three device pixels a pixel), through a line of
4 Mbit/s with 60 ms each way; scrolled through to the end, so that nothing lazy is missed.
"""

import functools
import http.server
import io
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

from PIL import Image
from playwright.sync_api import Browser, sync_playwright

from clinamen.core.exchange.opening import open_scene
from clinamen.core.exports.web import page as webpage
from clinamen.core.pictures.shelf import ArtShelf

DEMOS = ("kelp-descent", "glasshouse", "orrery")
WINDOWS = (("1280 × 800", 1280, 800, 1), ("390 × 844", 390, 844, 3))
LINE = {"offline": False, "latency": 120, "downloadThroughput": 4e6 / 8, "uploadThroughput": 4e6 / 8}
FIRST = "performance.getEntriesByType('paint').find((entry) => entry.name === 'first-contentful-paint')?.startTime ?? 0"


class Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *given: object) -> None:
        pass


def visit(browser: Browser, address: str, width: int, height: int, ratio: int) -> tuple[int, int, int, float, float]:
    """Bytes, requests, decoded bytes, and seconds to the first picture and to all of them."""
    context = browser.new_context(viewport={"width": width, "height": height}, device_scale_factor=ratio)
    page = context.new_page()
    session = context.new_cdp_session(page)
    session.send("Network.enable")
    session.send("Network.emulateNetworkConditions", LINE)
    answers: list[Any] = []
    page.on("response", lambda answer: answers.append((answer, answer.ok)))
    begun = time.perf_counter()
    page.goto(address)
    page.wait_for_load_state("networkidle")
    loaded = time.perf_counter() - begun
    for share in (0.25, 0.5, 0.75, 1.0):
        page.evaluate(f"scrollTo(0, {share} * document.documentElement.scrollHeight)")
        page.wait_for_load_state("networkidle")
    good = [answer for answer, ok in answers if ok]
    bodies = [answer.body() for answer in good]
    memory = 0
    for answer, body in zip(good, bodies, strict=True):
        if answer.headers.get("content-type", "").startswith("image/"):
            wide, high = Image.open(io.BytesIO(body)).size
            memory += 4 * wide * high
    first = page.evaluate(FIRST) / 1000
    context.close()
    return sum(map(len, bodies)), len(bodies), memory, first, loaded


def main() -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        for demo in sys.argv[1:] or DEMOS:
            opened = open_scene(Path("demo") / demo)
            begun = time.perf_counter()
            files = webpage.build(opened.scene, ArtShelf(opened.read, scene=opened.scene))
            made = time.perf_counter() - begun
            with tempfile.TemporaryDirectory() as folder:
                for name, data in files.items():
                    (Path(folder) / name).parent.mkdir(parents=True, exist_ok=True)
                    (Path(folder) / name).write_bytes(data)
                server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Quiet, directory=folder))
                threading.Thread(target=server.serve_forever, daemon=True).start()
                print(f"{demo}: made in {made:.1f} s, folder of {sum(map(len, files.values())) / 1e6:.1f} MB")
                for name, *window in WINDOWS:
                    size, asked, memory, first, loaded = visit(
                        browser, f"http://127.0.0.1:{server.server_port}/", *window
                    )
                    print(f"  {name}: {size / 1e6:.2f} MB in {asked} requests, {memory / 1e6:.0f} MB decoded, "
                          f"first picture {first:.1f} s, all {loaded:.1f} s")  # fmt: skip
                server.shutdown()
        browser.close()


if __name__ == "__main__":
    main()
