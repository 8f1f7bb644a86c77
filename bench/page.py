"""Weight of the demo's exported page, how long it takes to make, and the script it runs while it is scrolled.

python -m bench.page
"""

import gzip
import tempfile
import time
from pathlib import Path

from playwright.sync_api import CDPSession, sync_playwright

from clinamen.core.exchange.opening import open_scene
from clinamen.core.exports.web import page as webpage
from clinamen.core.pictures.shelf import ArtShelf

FRAMES = 120


def main() -> None:
    opened = open_scene(Path("demo/kelp-descent"))
    begun = time.perf_counter()
    files = webpage.build(opened.scene, ArtShelf(opened.read, scene=opened.scene))
    print(f"page made in {time.perf_counter() - begun:.1f} s")
    for ratio in (1, 2):
        images = {}
        for name, data in files.items():
            if name.endswith(".webp"):
                stem, which = name[:-5].rsplit("@", 1)
                if int(which[0]) <= ratio:
                    images[stem] = len(data)
        text = sum(len(gzip.compress(files[name])) for name in files if not name.startswith("art/"))
        print(
            f"page weight at {ratio}×: {sum(images.values()) / 1e6:.2f} MB of WebP + {text / 1e3:.1f} kB of text (gzipped)"
        )
    print(
        f"player: {len(gzip.compress(files['player.js'], 9))} bytes gzipped; folder {sum(map(len, files.values())) / 1e6:.1f} MB"
    )
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        for name, data in files.items():
            path = Path(folder) / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-quic",
                                             "--disable-background-networking"])  # fmt: skip
        for kind in ("scroll timelines", "script fallback"):
            page = browser.new_page(viewport={"width": 1280, "height": 720})
            if kind == "script fallback":
                page.add_init_script("{ const real = CSS.supports; CSS.supports = (...given) => "
                                     "!String(given[0]).includes('animation-timeline') && real.apply(CSS, given); }")  # fmt: skip
            page.goto((Path(folder) / "index.html").as_uri())
            page.wait_for_load_state("networkidle")
            session = page.context.new_cdp_session(page)
            session.send("Performance.enable")

            def spent(session: CDPSession = session) -> dict[str, float]:
                return {entry["name"]: entry["value"] for entry in session.send("Performance.getMetrics")["metrics"]}

            before = spent()
            page.evaluate(f"""() => new Promise((done) => {{ let n = 0;
              const step = () => {{ scrollTo(0, n * 30); if (++n < {FRAMES}) setTimeout(step, 16); else done(); }}; step(); }})""")
            after = spent()
            each = {
                name: 1000 * (after[name] - before[name]) / FRAMES for name in ("ScriptDuration", "RecalcStyleDuration")
            }
            print(f"{kind}: {each['ScriptDuration']:.3f} ms script, {each['RecalcStyleDuration']:.3f} ms style a frame "
                  "(the script includes the measuring loop itself)")  # fmt: skip
        browser.close()


if __name__ == "__main__":
    main()
