"""Threads under the hand: 200 threads of 50 knots in Chromium while one is dragged, and what a key edit answers in.

Start the application first (PORT=8100 bin/run), then CLINAMEN_DEMO=1 python -m bench.threads http://127.0.0.1:8100. Works in a scene of
its own and throws it away.
"""

import sys
import time

import numpy as np

FRAMES = """() => new Promise((done) => { const at = []; const end = performance.now() + 4000;
  const tick = (now) => { at.push(now); now < end ? requestAnimationFrame(tick) : done(at); }; requestAnimationFrame(tick); })"""


def crowded(threads: int = 200, knots: int = 50):  # type: ignore[no-untyped-def]
    """The bench's 24 layers, and hidden ones before them whose channels are so many threads of so many knots."""
    from bench.scenes import scene
    from clinamen.core import document
    from clinamen.core.document import LAYER_CHANNELS

    each = len(LAYER_CHANNELS)
    made = scene().to_json()
    small = {
        "file": made["layers"][0]["art"]["file"],
        "width": made["layers"][0]["art"]["width"],
        "height": made["layers"][0]["art"]["height"],
    }
    made["layers"] += [{"id": f"small-{n:03d}", "art": small, "visible": False} for n in range(-(-threads // each))]
    made["tracks"] += [
        {
            "target": f"small-{number // each:03d}", "channel": LAYER_CHANNELS[number % each], "driver": "scroll",
            "keys": [{"at": k / (knots - 1), "value": 0.6 + 0.3 * float(np.sin(k + number)), "ease": "ease-in-out"} for k in range(knots)],
        }
        for number in range(threads)
    ]  # fmt: skip
    made["drivers"]["scroll"] = made["drivers"].get("scroll") or {"length": 4000}
    return document.parse(made)


def main() -> None:
    from bench.edit import fields_of
    from bench.kept import kept, opened, show
    from bench.scenes import scene

    made, plain = crowded(), scene()
    address = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8100"
    with kept(plain) as (row, client):
        _edits(client, row, fields_of, plain)
        show(row, made)
        with opened(client, address) as page:
            page.goto(f"{address}/scenes/{row.pk}/motion/", timeout=120_000)
            _frames(page)


def _frames(page) -> None:  # type: ignore[no-untyped-def]
    """Frames with nothing under the hand, and while a knot is dragged."""
    page.wait_for_selector("[data-loaded]", timeout=120_000)
    page.wait_for_load_state("networkidle")
    page.evaluate(FRAMES)  # the page's first frames bring all pictures in
    print(f"{page.locator('.thread').count()} threads, {page.locator('.knot').count()} knots")
    still = np.diff(page.evaluate(FRAMES))
    box = page.locator(".knot .ring").nth(20).bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(f"() => {{ window.frames_ = ({FRAMES})(); }}")
    for number in range(240):
        page.mouse.move(x + 30 * np.sin(number / 12), y)
    dragged = np.diff(page.evaluate("() => window.frames_"))
    page.mouse.up()
    for what, gaps in (("nothing under the hand", still), ("a knot dragged", dragged)):
        late = float(np.mean(gaps > 20))
        print(f"  {what}: {1000 / np.mean(gaps):.0f} frames a second, {np.median(gaps):.1f} ms median, "
              f"{np.percentile(gaps, 95):.1f} ms p95, {late:.1%} late")  # fmt: skip


def _edits(client, row, fields_of, plain) -> None:  # type: ignore[no-untyped-def]
    """Server time of moving a knot, as a preview and saved."""
    fields = fields_of(client.get(f"/scenes/{row.pk}/motion/").content.decode())
    track = next(track for track in plain.tracks if track.target == "camera" and track.keys)
    name, at = f"camera {track.channel} {track.driver}", 0.0
    for kind, extra in (("hasty preview", {"preview": "hasty"}), ("saved", {})):
        taken = []
        for number in range(31):
            knot = f"{name} {at!r}" if kind == "saved" else f"{name} 0.0"
            by = 0.001 if kind == "saved" else 0.0005 * number
            begun = time.perf_counter()
            answer = client.post(
                f"/scenes/{row.pk}/edit/move-knots/", {**fields, "knots": knot, "by": f"{by:.4f}", **extra}
            )
            taken.append(1000 * (time.perf_counter() - begun))
            fields = fields_of(answer.content.decode()) if answer.status_code == 200 else fields
            at = float(fields["knots"].split()[-1]) if kind == "saved" and fields.get("knots") else at
        print(f"moving a knot, {kind}: {np.median(taken):.0f} ms median, {np.percentile(taken, 95):.0f} ms p95")


if __name__ == "__main__":
    main()
