"""Where layers stand on exported pages and in the editor's view, in Firefox and WebKit, against the core.

A layer's box is what the engine itself says of its element (CSSOM View's getBoundingClientRect), after layout and transforms.
"""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.conf import settings
from django.test import Client

from clinamen.core.document import Layer, Scene
from clinamen.core.exchange.opening import open_scene
from clinamen.core.exports.web import page
from clinamen.core.exports.web.pictures import Written
from clinamen.core.exports.web.shown import Shown
from clinamen.core.motion.states import State
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.stage import stage_at
from clinamen.core.stage.geometry import corners, project
from clinamen.scenes.demo import load
from clinamen.scenes.rooms import ROOMS
from tests.agreement.hands import write
from tests.conftest import ROOT, quick_png
from tests.engines.browsers import TWO_FRAMES, Browser

DEMOS = ("kelp-descent", "glasshouse", "orrery", "night-market")
NEAR = 0.5  # px
DOT = "data:image/gif;base64,R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7"
STATES = [
    State(),
    State(0.2, (0.4, -0.6), 1.3),
    State(0.45, (-1, 1), 3.7),
    State(0.7, (1, 1), 6.1),
    State(1.0, (-0.3, 0.2), 8.2),
]
BOXES = """const host = document.querySelector(arguments[0]), found = {}, at = host.getBoundingClientRect();
for (const layer of host.querySelectorAll('[data-layer]')) {
    const box = layer.getBoundingClientRect();
    found[layer.dataset.layer] = [box.left - at.left, box.top - at.top, box.right - at.left, box.bottom - at.top];
}
return {boxes: found, width: at.width, height: at.height};"""
GO = f"""const [scroll, u, v, time] = arguments, run = document.querySelector('[data-scene]'), player = run.player;
run.dataset.still = '';
for (const box of run.querySelectorAll('.clinamen-pause')) box.style.display = 'none';
player.seek({{scroll, time}});
player.set({{u, v}});
{TWO_FRAMES}
return player.progress;"""


def wanted(scene: Scene, state: State, width: float, height: float, fit: str = "cover") -> dict[str, np.ndarray]:
    """Boxes [left, top, right, bottom] of layers in a window of a size, those that stand before the camera with all corners."""
    shares = (width / scene.view.width, height / scene.view.height)
    scale = max(shares) if fit == "cover" else min(shares)
    middle = np.array([width - scale * scene.view.width, height - scale * scene.view.height]) / 2
    found = {}
    for sheet in stage_at(scene, state).sheets:
        points, depth = project(sheet.matrix[0], corners(sheet.layer))
        if depth.min() > 0:
            seen = points * scale + middle
            found[sheet.layer.id] = np.concatenate([seen.min(axis=0), seen.max(axis=0)])
    return found


def agree(seen: dict[str, Any], expected: dict[str, np.ndarray], where: str) -> None:
    assert set(seen["boxes"]) >= set(expected)
    apart = {name: float(np.abs(np.array(seen["boxes"][name]) - box).max()) for name, box in expected.items()}
    assert {name: away for name, away in apart.items() if away > NEAR} == {}, where


@pytest.fixture(scope="module", params=DEMOS)
def demo_page(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> tuple[Scene, Path]:
    """An exported demo scene and its folder. Only places are looked at, so every picture is the same small one."""

    def small(_: Scene, layer: Layer, *__: Any) -> Written:
        return Written(Shown((), DOT, (0, 0, layer.art.width, layer.art.height)), {}, ((1, 1, 35),), None)

    folder = tmp_path_factory.mktemp(request.param)
    opened = open_scene(ROOT / "demo" / request.param)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(page, "picture", small)
        patch.setattr(page, "_posters", lambda *_: (b"", quick_png(np.zeros((4, 4, 3), np.uint8))))
        files = page.build(opened.scene, ArtShelf(opened.read, scene=opened.scene))
    files["page.css"] += (
        b"*{filter:none!important;backdrop-filter:none!important}"  # WebKit blurs for seconds a frame here
    )
    write(folder, files)
    return opened.scene, folder


def test_layers_of_the_exported_page_stand_where_the_core_says(browser: Browser, demo_page: tuple[Scene, Path]) -> None:
    scene, folder = demo_page
    browser.open((folder / "index.html").as_uri())
    browser.until("return document.querySelector('[data-scene]')?.player")
    for state in STATES:
        time = min(state.time, scene.drivers.time.duration) if scene.drivers.time else 0.0
        scroll = state.scroll if scene.drivers.scroll else 0.0
        u, v = state.pointer if scene.drivers.pointer else (0.0, 0.0)
        progress = browser.run(GO, scroll, u, v, time)
        assert progress == pytest.approx(scroll, abs=2e-3)
        seen = browser.run(BOXES, "[class$=-host]")
        agree(
            seen,
            wanted(scene, State(progress, (u, v), time), seen["width"], seen["height"]),
            f"{scene.title} at {state}",
        )


SHOW = f"""const [scroll, u, v, time] = arguments;
document.querySelector('#view [data-scene]').player.set({{scroll, u, v, time}});
{TWO_FRAMES}"""
VIEW = "return document.readyState === 'complete' && document.querySelector('#view [data-scene]')?.player && document.querySelector('#view').checkVisibility()"
NO_VIEW = {"prepare"}  # its middle shows the light table


@pytest.mark.django_db(transaction=True)
def test_the_editors_view_shows_layers_where_the_core_says(
    browser: Browser, live_server: Any, django_user_model: Any
) -> None:
    folder = ROOT / "demo/kelp-descent"
    ada = django_user_model.objects.create_user("ada", password="a-long-passphrase")
    kept = load(ada, json.loads((folder / "scene.json").read_text()), folder, "Brought in")
    client = Client()
    client.force_login(ada)
    name = settings.SESSION_COOKIE_NAME
    browser.sign_in(f"{live_server.url}/alive/", name, client.cookies[name].value)
    scene = open_scene(folder).scene
    for room in ROOMS:
        browser.open(f"{live_server.url}/scenes/{kept.pk}/{room}/")
        browser.until("return document.readyState === 'complete' && document.querySelector('.rooms [aria-current]')")
        if room in NO_VIEW:
            assert not browser.run("return document.querySelector('#view').checkVisibility()")
            continue
        browser.until(VIEW)
        for state in STATES:
            browser.run(SHOW, state.scroll, *state.pointer, state.time)
            seen = browser.run(BOXES, "#view [class$=-host]")
            assert seen["width"] > 200
            agree(seen, wanted(scene, state, seen["width"], seen["height"], "contain"), f"{room} at {state}")
