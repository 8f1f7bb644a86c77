"""The room Look on 24 layers: from a slider's move to the view that shows it, in Chromium; server time of previews; and what depth of
field on every layer costs a render.

Start the application first (PORT=8100 bin/run), then CLINAMEN_DEMO=1 python -m bench.look http://127.0.0.1:8100. Works in a scene of its
own and throws it away.
"""

import sys
import time

import numpy as np

# the time from setting a slider to the frame after the view, or the glance at it that stands in for it, is another
FOLLOWED = """([id, value]) => new Promise((done) => {
  const field = document.getElementById(id), begun = performance.now();
  const over = () => { stop.abort(); requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - begun))); };
  const stop = new AbortController();
  document.addEventListener('staged', over, {signal: stop.signal});
  document.addEventListener('htmx:oobAfterSwap', (event) => { if (event.detail.target?.id === 'glance') over(); }, {signal: stop.signal});
  field.value = value;
  field.dispatchEvent(new Event('input', {bubbles: true}));
})"""
# from the last move on: until the view stands whole, itself or as the server draws it, and the frame after
RESTED = """() => new Promise((done) => { const begun = performance.now(), box = document.querySelector('.surround');
  const over = () => requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - begun)));
  const look = () => {
    const picture = document.querySelector('#glance');
    if (!box.classList.contains('glancing') || picture.naturalWidth > 400) over(); else requestAnimationFrame(look);
  };
  look(); })"""


def main() -> None:
    from bench.kept import kept, opened
    from bench.scenes import scene
    from clinamen.core import document

    told = scene().to_json()
    told["lens"].update(aperture=float(sys.argv[2]) if len(sys.argv) > 2 else None, pixels_per_metre=500)
    told["air"] = {"colour": "#c9d6df", "visibility": 60000}
    told["light"] = {"ambient": 0.6, "key": {"x": 100, "reach": 900}}
    told["layers"][12]["look"] = [{"step": "saturation", "amount": 1.2}, {"step": "glow"}]
    made = document.parse(told)
    address = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8100"
    with kept(made) as (row, client), opened(client, address) as page:
        page.goto(f"{address}/scenes/{row.pk}/look/?layer={made.layers[12].id}", timeout=120_000)
        page.wait_for_selector("[data-loaded]", timeout=120_000)
        page.evaluate("() => { for (const thing of document.querySelectorAll('details')) thing.open = true; }")
        for what, field, low, high in (
            ("a look's saturation", "look-own-0-amount-slider", 0.2, 1.9), ("a glow's radius", "look-own-1-radius-slider", 5, 90),
            ("ambient light, all layers", "light-ambient-slider", 0.1, 1.8), ("the key light's reach", "light-reach-slider", 200, 3000),
        ):  # fmt: skip
            taken = []
            for value in np.linspace(low, high, 24):
                taken.append(page.evaluate(FOLLOWED, [field, f"{value:.3f}"]))
                page.wait_for_timeout(40)
            rested = page.evaluate(RESTED)
            print(f"{what}: {np.median(taken):.0f} ms median, {np.percentile(taken, 95):.0f} ms p95; "
                  f"whole {rested:.0f} ms after", flush=True)  # fmt: skip
    _rendered(made)


def _rendered(made) -> None:  # type: ignore[no-untyped-def]
    """A frame with every layer out of focus, against the same without a lens: the bench's layers, and the demo scenes."""
    from pathlib import Path

    from bench.scenes import art
    from clinamen.core.exchange.opening import open_scene
    from clinamen.core.pictures.shelf import ArtShelf

    pictures = {layer.id: art(index) for index, layer in enumerate(made.layers)}

    class Load:
        def __call__(self, layer):  # type: ignore[no-untyped-def]
            return pictures[layer.id]

        def key(self, layer):  # type: ignore[no-untyped-def]
            return ("bench", layer.id)

    plain = {"air": type(made.air)(), "light": type(made.light)()}
    _blurred("24 layers", made.model_copy(update=plain), Load())
    for name in ("orrery", "kelp-descent", "glasshouse"):
        opened = open_scene(Path(__file__).parents[1] / "demo" / name)
        camera = opened.scene.camera.model_copy(update={"focus": 0.93})
        scene = opened.scene.model_copy(update={"camera": camera})
        _blurred(name, scene, ArtShelf(opened.read, scene=scene).loader(scene))


def _blurred(what: str, scene, load) -> None:  # type: ignore[no-untyped-def]
    from clinamen.core.motion.states import State
    from clinamen.core.raster import render

    taken = {}
    for name, aperture in (("sharp", None), ("out of focus", 2.0)):
        lens = scene.lens.model_copy(update={"aperture": aperture, "pixels_per_metre": 500})
        each, times = scene.model_copy(update={"lens": lens}), []
        render(each, State(0.3, (0, 0), 1), load)
        for number in range(7):
            begun = time.perf_counter()
            render(each, State(0.3 + 0.01 * number, (0, 0), 1 + 0.1 * number), load)
            times.append(time.perf_counter() - begun)
        taken[name] = float(np.median(times))
    print(f"a frame, {what}: {1000 * taken['sharp']:.0f} ms sharp, {1000 * taken['out of focus']:.0f} ms out of focus "
          f"({taken['out of focus'] / taken['sharp']:.1f} x)")  # fmt: skip


if __name__ == "__main__":
    main()
