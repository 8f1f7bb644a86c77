"""The exported page as its visitors meet it: no request outside, strict policy, calm, old browsers, other pages."""

import numpy as np
import pytest

from clinamen.core.exports.web import page as webpage
from clinamen.core.motion.states import State
from tests.conftest import shelf_of
from tests.outside.test_css import ART, FLIES, SLIDES, expected, made_scene, quads

POLICY = {"Content-Security-Policy": "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:"}


@pytest.fixture
def folder(tmp_path):
    def write(made):
        for name, data in webpage.build(made, shelf_of(ART)).items():
            (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
            (tmp_path / name).write_bytes(data)
        return tmp_path

    return write


def near(page, made, state: State, limit: float = 0.1) -> bool:
    seen = quads(page)
    return all(np.abs(seen[name] - corner).max() < limit for name, corner in expected(made, state).items())


def still(made):
    """The same scene without the clock, so that a moment can be named."""
    tracks = tuple(track for track in made.tracks if track.driver != "time")
    return made.model_copy(update={"drivers": made.drivers.model_copy(update={"time": None}), "tracks": tracks})


def test_under_a_strict_policy_and_with_no_request_outside(page, folder, folder_server) -> None:
    made = still(made_scene(FLIES))
    address = folder_server(folder(made), POLICY)
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.goto(address)
    page.evaluate("scrollTo(0, 1000)")
    page.screenshot()
    assert near(page, made, State(0.5))
    assert asked and all(url.startswith(address) or url.startswith("data:") for url in asked)
    assert page.evaluate("[...document.images].every((image) => image.complete && image.naturalWidth > 0)")


def test_who_asks_for_less_motion_gets_the_resting_picture(page, folder) -> None:
    made = made_scene(FLIES)
    page.emulate_media(reduced_motion="reduce")
    page.goto((folder(made) / "index.html").as_uri())
    page.mouse.move(900, 700)
    page.evaluate("scrollTo(0, 1500)")
    page.screenshot()
    assert near(page, made, State())
    assert page.evaluate("document.documentElement.scrollHeight") <= 800, "nothing to scroll through"


def test_without_scroll_timelines_a_script_takes_their_place(page, folder) -> None:
    made = still(made_scene(FLIES))
    page.add_init_script(
        "{ const real = CSS.supports; CSS.supports = (...given) => !String(given[0]).includes('animation-timeline') && real.apply(CSS, given); }"
    )
    page.goto((folder(made) / "index.html").as_uri())
    for scroll in (0.0, 0.45, 1.0):
        page.evaluate(f"scrollTo(0, {2000 * scroll})")
        page.wait_for_function(
            f"getComputedStyle(document.querySelector('[class$=-stage]')).getPropertyValue(`--${{document.querySelector('[data-scene]').dataset.scene}}-scroll`) == {scroll}"
        )
        assert near(page, made, State(scroll))


def test_motion_by_itself_can_be_paused(page, folder) -> None:
    page.goto((folder(made_scene(SLIDES)) / "index.html").as_uri())
    page.click("text=Pause")
    running = "document.querySelector('[data-scene]').getAnimations({subtree: true}).filter((a) => a.timeline === document.timeline && a.playState === 'running').length"
    assert page.evaluate(running) == 0
    page.click("text=Play")
    assert page.evaluate(running) > 0


def test_inside_another_page_by_the_custom_element(page, folder, folder_server) -> None:
    made = still(made_scene(SLIDES))
    root = folder(made)
    (root / "scene").mkdir()
    for name in ("index.html", "scene.css", "page.css", "player.js", "art"):
        (root / name).rename(root / "scene" / name)
    (root / "host.html").write_text(
        '<!doctype html><link rel="icon" href="data:,"><body style="margin:0"><p style="height:600px;margin:0">before</p>'
        '<clinamen-scene src="scene/"></clinamen-scene><p style="height:900px;margin:0">after</p><script src="scene/player.js"></script>'
    )
    page.goto(folder_server(root) + "host.html")
    page.wait_for_selector("[data-layer=isle]")
    page.evaluate("scrollTo(0, 600 + 0.4 * 2000)")
    page.screenshot()
    assert near(page, made, State(0.4)), "progress counts from where the scene begins"
    assert page.evaluate("getComputedStyle(document.body).backgroundColor") == "rgba(0, 0, 0, 0)", (
        "the host page keeps its look"
    )
