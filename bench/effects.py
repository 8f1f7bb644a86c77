"""A scene with every effect at ten states: the exported page in Chromium beside the core's render. python -m bench.effects

The Night market: lens and focus pull, air, light, glow, words, a frosted pane, rain in three sheets, a shadow that walks, a vignette. The
page draws softness as Gaussians, a render as discs, so what lies away from places that the lens changes counts apart. Composited by
SwiftShader: without it Chromium's software compositor takes what is behind a scaled pane from the wrong place.
"""

import tempfile
from pathlib import Path

import cv2
import numpy as np

from tests.seen import shot

WIDTH, HEIGHT = 960, 540
LITTLE = 6  # of 255: what the lens changes less than this is away from its edges
DRAWN = """() => Promise.all([...document.images].map((image) => image.decode().catch(() => 0))).then(() =>
  new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))))"""
HOLD = """([name, values]) => { const run = document.querySelector('[data-scene]'); if (run.dataset.held !== 'test') run.player.hold('test');
  for (const [key, value] of Object.entries(values)) run.player.stage.style.setProperty(`--${run.dataset.scene}-${key}`, value);
  return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))); }"""


def decibels(one: np.ndarray, two: np.ndarray, where: np.ndarray) -> float:
    error = ((one.astype(float) - two.astype(float)) ** 2)[where].mean()
    return float(10 * np.log10(255**2 / max(error, 1e-9)))


def main() -> None:
    from playwright.sync_api import sync_playwright

    from clinamen.core.exchange.opening import open_scene
    from clinamen.core.exports.web import page as webpage
    from clinamen.core.motion.states import State
    from clinamen.core.pictures.shelf import ArtShelf
    from clinamen.core.raster import render

    opened = open_scene(Path(__file__).parents[1] / "demo/night-market")
    scene, shelf = opened.scene, ArtShelf(opened.read, scene=opened.scene)
    shut = scene.model_copy(update={"lens": scene.lens.model_copy(update={"aperture": None})})
    scale = WIDTH / scene.view.width
    with tempfile.TemporaryDirectory() as place, sync_playwright() as play:
        for name, data in webpage.build(scene, shelf).items():
            (Path(place) / name).parent.mkdir(parents=True, exist_ok=True)
            (Path(place) / name).write_bytes(data)
        arguments = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"]
        browser = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=arguments)
        page = browser.new_page(viewport={"width": WIDTH, "height": HEIGHT})
        page.goto((Path(place) / "index.html").as_uri())
        page.wait_for_selector("[data-loaded]")
        page.add_style_tag(content=".clinamen-pause{display:none}")
        for number in range(10):
            u, v, time = (-1) ** number * 0.1 * number, 0.05 * number, 1.6 * number + 0.03  # between two cells
            page.evaluate(HOLD, ["", {"scroll": 0, "u": u, "v": v, "time": time}])
            page.evaluate(DRAWN)
            shown = shot(page)
            state = State(0.0, (u, v), time)
            ours, sharp = (render(each, state, shelf.loader(each, scale), scale)[..., :3] for each in (scene, shut))
            changed = (np.abs(ours.astype(int) - sharp).max(axis=2) > LITTLE).astype(np.uint8)
            away = cv2.dilate(changed, np.ones((9, 9), np.uint8)) == 0
            whole = decibels(shown, ours, np.ones_like(away))
            print(
                f"{time:4.1f} s: {whole:.1f} dB, {decibels(shown, ours, away):.1f} dB away from what the lens changes"
            )
        browser.close()


if __name__ == "__main__":
    main()
