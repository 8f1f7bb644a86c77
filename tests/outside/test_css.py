"""The exported page measured in Chromium: where every layer's corners really are, against the core.

Corners come from the browser itself (DOM.getContentQuads of the DevTools protocol), after layout and transforms.
"""

import numpy as np
import pytest

from clinamen.core.motion.states import State
from clinamen.core.raster import render
from clinamen.core.stage import corners, project, stage_at
from tests.conftest import layer, noise, page_files, psnr, scene, track, write_folder
from tests.seen import quads, shot

VIEW = {"width": 1280, "height": 800, "background": "#203040"}
DRIVERS = {
    "scroll": {"length": 2000},
    "pointer": {"reach_x": 40, "reach_y": 25, "settle": 0.1},
    "time": {"duration": 8},
}
SLIDES = [
    track("camera", "y", "scroll", (0, 0, "smooth"), (0.3, 40, "smooth"), (1, 500)),
    track("camera", "x", "scroll", (0.1, 20, "hold"), (0.5, 80, "ease-in-out"), (0.9, -60)),
    track("isle", "x", "scroll", (0, 0, [0.3, -0.6, 0.4, 1.7]), (1, 120)),
    track("isle", "rotation", "time", (0, 0, "ease"), (4, 12, "step-start"), (8, 0)),
]
FLIES = [
    *SLIDES,
    track("camera", "z", "scroll", (0, 0, "ease-out"), (1, 350)),
    track("camera", "yaw", "scroll", (0, 0), (1, 8)),
    track("camera", "pitch", "time", (0, 0, "smooth"), (3, -5, "smooth"), (8, 2)),
    track("camera", "roll", "time", (0, 0), (8, 9)),
    track("camera", "zoom", "scroll", (0, 1), (0.5, 1.3), (1, 0.9)),
    track("isle", "depth", "scroll", (0, 0), (1, 400)),
    track("isle", "lean", "scroll", (0, 0), (1, 35)),
    track("isle", "scale", "time", (0, 1), (8, 1.5)),
]
STATES = [
    State(),
    State(0.2),
    State(0.37, (0.5, -1), 1.7),
    State(0.5, (-1, 1), 4.0),
    State(0.83, (1, 1), 6.4),
    State(1.0, (0.2, 0.1), 7.9),
]


def made_scene(tracks: list):
    return scene(
        layer("sky", 1400, 900, depth="infinite"),
        layer("back", 1700, 1500, depth=1500, framing={"y": 200}),
        layer("wall", 900, 700, depth=300, framing={"x": -250, "scale": 0.7}, tilt={"lean": 15, "turn": -30}),
        layer("isle", 500, 400, depth=-250, framing={"x": 200, "y": 60, "scale": 1.25, "rotation": -10}, opacity=0.9),
        view=VIEW, drivers=DRIVERS, tracks=tracks, title="Measured",
    )  # fmt: skip


ART = {"sky": noise(1400, 900, 1), "back": noise(1700, 1500, 2), "wall": noise(900, 700, 3), "isle": noise(500, 400, 4)}


def expected(made, state: State) -> dict[str, np.ndarray]:
    return {p.layer.id: project(p.matrix[0], corners(p.layer))[0] for p in stage_at(made, state).sheets}


HOLD = """([name, values]) => { const run = document.querySelector('[data-scene]'); if (run.dataset.held !== 'test') run.player.hold('test');
  for (const [key, value] of Object.entries(values)) run.player.stage.style.setProperty(`--${run.dataset.scene}-${key}`, value);
  return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))); }"""


def held(page, state: State) -> None:
    u, v = state.pointer
    page.evaluate(HOLD, ["", {"scroll": state.scroll, "u": u, "v": v, "time": state.time}])


@pytest.fixture
def open_page(page, tmp_path):
    def open_(made, art=ART, **options):
        for name, data in page_files(made, art, **options).items():
            (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
            (tmp_path / name).write_bytes(data)
        page.goto((tmp_path / "index.html").as_uri())
        page.evaluate(
            "() => Promise.all([...document.images].map((image) => image.decode()))"
        )  # loaded is not yet drawn
        return page

    return open_


@pytest.mark.parametrize("tracks", [SLIDES, FLIES], ids=["slides", "flies"])
def test_corners_of_every_layer_over_all_drivers(open_page, tracks) -> None:
    made = made_scene(tracks)
    page = open_page(made)
    for state in STATES:
        held(page, state)
        seen, wanted = quads(page), expected(made, state)
        for name, corner in wanted.items():
            assert np.abs(seen[name] - corner).max() < 0.1, (name, state)


def test_the_real_scroll_moves_the_layers_without_script(open_page) -> None:
    made = made_scene(SLIDES).model_copy(
        update={"drivers": made_scene(SLIDES).drivers.model_copy(update={"time": None, "pointer": None})}
    )
    made = made.model_copy(update={"tracks": made.tracks[:3]})
    page = open_page(made)
    page.evaluate(
        "() => { window.requestAnimationFrame = () => { throw new Error('a script ran on a scroll frame'); }; }"
    )
    for scroll in (0.25, 0.5, 0.8, 1.0):
        page.evaluate(f"scrollTo(0, {scroll * 2000})")
        shot(page)  # a drawn frame, so that scroll timelines have taken the new place
        seen, wanted = quads(page), expected(made, State(scroll))
        for name, corner in wanted.items():
            assert np.abs(seen[name] - corner).max() < 0.1, (name, scroll)


def test_the_pointer_settles_where_the_core_says(open_page) -> None:
    made = made_scene(SLIDES).model_copy(update={"tracks": ()})
    page = open_page(made)
    page.mouse.move(1280 * 0.75, 800 * 0.25)
    page.wait_for_function(
        "getComputedStyle(document.querySelector('[data-scene]').player.stage).getPropertyValue(`--${document.querySelector('[data-scene]').dataset.scene}-u`) == 0.5"
    )
    seen, wanted = quads(page), expected(made, State(0, (0.5, -0.5)))
    for name, corner in wanted.items():
        assert np.abs(seen[name] - corner).max() < 0.1, name


def test_the_page_looks_like_the_core_draws_it(open_page) -> None:

    made = made_scene(FLIES)
    page = open_page(made)
    for state in STATES[2:5]:
        held(page, state)
        page.evaluate("document.querySelector('.clinamen-pause').remove()") if page.query_selector(
            ".clinamen-pause"
        ) else None
        shown = shot(page)
        ours = render(made, state, lambda x: ART[x.id])[..., :3]
        assert psnr(shown, ours) > 30


@pytest.mark.parametrize("repeat", ["tile", "mirror"])
def test_repeats_look_the_same_in_page_and_core(open_page, repeat: str) -> None:

    art = {"tile": noise(300, 260, 5, 60)}
    made = scene(
        layer("tile", 300, 260, repeat={"x": repeat, "y": repeat}, framing={"x": 33, "scale": 1.2}, depth=500),
        view=VIEW, drivers={"scroll": {"length": 900}}, tracks=[track("camera", "x", "scroll", (0, 0), (1, 4000))],
    )  # fmt: skip
    page = open_page(made, art)
    for state in (State(0.0), State(0.61), State(1.0)):
        held(page, state)
        shown = shot(page)
        assert psnr(shown, render(made, state, lambda x: art["tile"])[..., :3]) > 32


@pytest.mark.parametrize(("fit", "size"), [("cover", (700, 900)), ("contain", (700, 900)), ("cover", (1600, 500))])
def test_any_window_shape_is_covered_or_contained(open_page, fit: str, size: tuple[int, int]) -> None:
    made = made_scene([])
    page = open_page(made, fit=fit)
    page.set_viewport_size({"width": size[0], "height": size[1]})
    scale = (max if fit == "cover" else min)(size[0] / 1280, size[1] / 800)
    centre = np.array(size) / 2
    for name, corner in expected(made, State()).items():
        assert np.abs(quads(page)[name] - ((corner - [640, 400]) * scale + centre)).max() < 0.2, name


def test_the_written_scene_is_what_the_command_line_reads(tmp_path, capsys) -> None:
    import json

    from clinamen.cli.main import main

    made = made_scene(FLIES)
    write_folder(tmp_path, made, ART)
    assert main(["offsets", str(tmp_path), "--scroll", "0.37", "--pointer", "0.5,-1", "--time", "1.7"]) == 0
    for entry in json.loads(capsys.readouterr().out)["layers"]:
        placed = next(p for p in stage_at(made, STATES[2]).sheets if p.layer.id == entry["id"])
        size = placed.layer.art
        mapped = project(np.array(entry["matrix"]).reshape(3, 3), np.array([[0, 0], [size.width, size.height]], float))[
            0
        ]
        wanted = expected(made, STATES[2])[entry["id"]]
        assert mapped == pytest.approx(wanted[[0, 2]], abs=1e-6)
