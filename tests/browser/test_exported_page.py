"""The exported page as its visitors meet it: no request outside, strict policy, calm, old browsers, other pages."""

import json
import re
import subprocess

import cv2
import numpy as np
import pytest
from playwright.sync_api import expect

from clinamen.core.document import PointerDriver
from clinamen.core.motion.states import State
from clinamen.core.pictures.reading import inspect
from tests.conftest import ROOT, fresh_context, layer, noise, page_files, scene
from tests.outside.test_css import ART, FLIES, SLIDES, expected, made_scene
from tests.seen import quads, shot

POLICY = {"Content-Security-Policy": "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:"}


@pytest.fixture
def folder(tmp_path):
    def write(made, art=ART, **options):
        for name, data in page_files(made, art, **options).items():
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
    shot(page)
    assert near(page, made, State(0.5))
    assert asked and all(url.startswith(address) or url.startswith("data:") for url in asked)
    assert page.evaluate("[...document.images].every((image) => image.complete && image.naturalWidth > 0)")


def test_who_asks_for_less_motion_gets_the_resting_picture(page, folder) -> None:
    made = made_scene(FLIES)
    page.emulate_media(reduced_motion="reduce")
    page.goto((folder(made) / "index.html").as_uri())
    page.mouse.move(900, 700)
    page.evaluate("scrollTo(0, 1500)")
    shot(page)
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
    # the poster fades once, and that is no motion of the scene
    running = "document.querySelector('[data-scene]').getAnimations({subtree: true}).filter((a) => a.timeline === document.timeline && a.playState === 'running' && !a.effect.target.matches('[class$=poster]')).length"
    assert page.evaluate(running) == 0
    page.click("text=Play")
    assert page.evaluate(running) > 0


VIEW_LIKE = {"width": 600, "height": 400}


@pytest.mark.parametrize("width, height, ratio", [(300, 200, 1), (600, 400, 1), (195, 422, 3)])
def test_a_window_loads_art_as_large_as_it_shows_it(chromium, folder, width: int, height: int, ratio: int) -> None:
    made = scene(layer("photo", 1200, 800, framing={"scale": 0.5}), view=VIEW_LIKE)
    art = cv2.resize(noise(60, 40, 2), (1200, 800), interpolation=cv2.INTER_CUBIC)
    root = folder(made, {"photo": art})
    context = fresh_context(chromium, viewport={"width": width, "height": height}, device_scale_factor=ratio)
    page = context.new_page()
    page.goto((root / "index.html").as_uri())
    page.wait_for_selector("[data-loaded]")
    taken = page.evaluate("document.querySelector('[data-layer] img').naturalWidth")
    whole = int(re.search(r"-(\d+)\.", page.evaluate("document.querySelector('[data-layer] img').currentSrc"))[1])
    shown = min(1200, max(width / 600, height / 400) * 600 * min(ratio, 2))
    assert taken > 0 and 0.85 * shown < whole < 1.7 * shown
    context.close()


@pytest.mark.parametrize(("named", "width", "height", "ratio"), [("1280", 1280, 800, 1), ("phone", 390, 844, 3)])
def test_the_budget_is_what_a_browser_really_loads(chromium, folder, folder_server, named: str, width: int, height: int, ratio: int) -> None:  # fmt: skip
    made = scene(
        layer("photo", 1200, 800, framing={"scale": 0.5}), layer("tile", 300, 200, repeat={"x": "tile"}), layer("isle", 500, 300),
        view=VIEW_LIKE,
    )  # fmt: skip
    art = {
        name: cv2.resize(noise(60, 40, 2), size, interpolation=cv2.INTER_CUBIC)
        for name, size in {"photo": (1200, 800), "tile": (300, 200), "isle": (500, 300)}.items()
    }
    root = folder(made, art)
    (row,) = (row for row in json.loads((root / "budget.json").read_text()) if named in row["window"])
    context = fresh_context(chromium, viewport={"width": width, "height": height}, device_scale_factor=ratio)
    page = context.new_page()
    loaded: dict[str, int] = {}
    page.on("response", lambda answer: loaded.setdefault(answer.url, len(answer.body())))
    page.goto(folder_server(root))
    page.wait_for_selector("[data-loaded]")
    page.wait_for_load_state("networkidle")
    context.close()
    files = [root / url.split("/", 3)[3] for url in loaded if "/art/" in url and "poster" not in url]
    sizes = [inspect(file.read_bytes(), file.name) for file in files]
    assert row["requests"] == len(loaded) and row["bytes"] == sum(loaded.values())
    assert row["decoded"] == sum(4 * size.width * size.height for size in sizes)


@pytest.mark.parametrize("script", [True, False])
def test_a_small_picture_stands_in_until_the_art_is_there(chromium, folder, folder_server, script: bool) -> None:
    made = still(made_scene(SLIDES))
    context = fresh_context(chromium, java_script_enabled=script)
    page = context.new_page()
    held = []
    page.route(re.compile(r"/art/(?!poster)"), lambda route: held.append((route, 0)) if script else route.continue_())
    page.goto(folder_server(folder(made)), wait_until="commit")
    veil = page.locator("[class$=-poster]")
    if not script:
        expect(veil).to_be_hidden()
        context.close()
        return
    expect(veil).to_be_visible()
    assert page.evaluate("document.querySelector('[class$=-poster]').decode().then(() => true)")
    for route, _ in held:
        route.continue_()
    expect(veil).to_be_hidden()
    context.close()


@pytest.mark.parametrize("across", [0, 20, 50, 100])
def test_the_focal_point_stays_in_sight_where_a_phone_cuts_the_view(page, folder, across: int) -> None:
    made = scene(layer("photo", 600, 400), view=VIEW_LIKE)
    root = folder(made, {"photo": noise(600, 400, 5)}, focus_x=across)
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto((root / "index.html").as_uri())
    box = page.locator("[data-layer]").bounding_box()
    point = box["x"] + box["width"] * across / 100
    assert box["height"] == pytest.approx(844, abs=1) and box["x"] <= 0.5 and box["x"] + box["width"] >= 389.5, (
        "nothing bare"
    )
    assert point == pytest.approx(390 * across / 100, abs=1)


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
    shot(page)
    assert near(page, made, State(0.4)), "progress counts from where the scene begins"
    assert page.evaluate("getComputedStyle(document.body).backgroundColor") == "rgba(0, 0, 0, 0)", (
        "the host page keeps its look"
    )


NO_TIMELINES = "{ const real = CSS.supports; CSS.supports = (...given) => !String(given[0]).includes('animation-timeline') && real.apply(CSS, given); }"
PLAYING = "document.querySelector('[data-scene]').getAnimations({subtree: true}).filter((a) => a.playState === 'running').length"
SCROLL = "getComputedStyle(document.querySelector('[class$=-stage]')).getPropertyValue(`--${document.querySelector('[data-scene]').dataset.scene}-scroll`)"


def without_timelines(root) -> None:
    """The style sheet as a browser reads it that knows no scroll timelines."""
    import re

    sheet = root / "scene.css"
    text = re.sub(r"@supports \(animation-timeline:view\(\)\)\{[^}]*\}\}", "", sheet.read_text())
    sheet.write_text(re.sub(r"(view-timeline|animation-timeline|animation-range):[^;}]*", "--none:0", text))


def test_paused_without_scroll_timelines_the_scene_stays_at_the_scrolls_place(page, folder) -> None:
    page.add_init_script(NO_TIMELINES)
    made = made_scene(FLIES)
    made = made.model_copy(update={"drivers": made.drivers.model_copy(update={"pointer": None})})
    root = folder(made)
    without_timelines(root)
    page.goto((root / "index.html").as_uri())
    page.wait_for_selector("[data-loaded]")  # until then the poster's own clock, which takes it away at last, may run
    page.evaluate("scrollTo(0, 900)")
    page.wait_for_function(f"{SCROLL} == 0.45")
    page.click("text=Pause")
    assert page.evaluate(PLAYING) == 0, "nothing runs to its end"
    time = page.evaluate(SCROLL.replace("-scroll", "-time"))
    page.evaluate("scrollTo(0, 1000)")
    page.wait_for_function(f"{SCROLL} == 0.5")
    assert page.evaluate(SCROLL.replace("-scroll", "-time")) == time and near(page, made, State(0.5, time=float(time)))


def test_without_script_and_without_scroll_timelines_the_scene_rests(chromium, folder) -> None:
    made = still(made_scene(SLIDES))
    root = folder(made)
    without_timelines(root)
    context = fresh_context(chromium, viewport={"width": 1280, "height": 800}, java_script_enabled=False)
    page = context.new_page()
    page.goto((root / "index.html").as_uri())
    states = page.evaluate("document.getAnimations().map((a) => [a.playState, a.currentTime])")
    assert states and all(state == ["paused", 0] for state in states)
    assert near(page, made, State())
    context.close()


def test_readers_of_the_screen_find_a_landmark_a_picture_and_a_button_beside_it(page, folder, folder_server) -> None:
    made = made_scene(SLIDES).model_copy(update={"description": 'An isle before a "wall" & sky'})
    page.goto(folder_server(folder(made)))
    expect(page.get_by_role("main").get_by_role("img", name=made.description)).to_be_visible()
    expect(page.get_by_role("button", name="Pause")).to_be_visible()
    assert page.locator("[role=img] button").count() == 0
    page.evaluate((ROOT / "tests/node/node_modules/axe-core/axe.min.js").read_text())
    found = page.evaluate("axe.run(document, {rules: {'page-has-heading-one': {enabled: false}}})")
    assert [(v["id"], v["nodes"][0]["html"][:80]) for v in found["violations"]] == []
    named = made_scene(SLIDES)
    page.goto((folder(named) / "index.html").as_uri())
    expect(page.get_by_role("img", name="Measured: isle, wall, back and sky")).to_be_visible()


def put_in(root, body: str) -> None:
    """A page of somebody else's around a scene's folder."""
    (root / "scene").mkdir()
    for name in ("index.html", "scene.css", "page.css", "player.js", "player.mjs", "art"):
        (root / name).rename(root / "scene" / name)
    (root / "host.html").write_text(f'<!doctype html><link rel="icon" href="data:,"><body style="margin:0">{body}')


def test_two_scenes_with_a_player_each_share_a_page_and_an_element_comes_back(page, folder, folder_server) -> None:
    root = folder(still(made_scene(SLIDES)))
    element = '<clinamen-scene src="scene/"></clinamen-scene>'
    put_in(
        root, f'{element}<script src="scene/player.js"></script>{element}<script src="scene/player.js?again"></script>'
    )
    page.goto(folder_server(root) + "host.html")
    expect(page.locator("[data-layer=isle]")).to_have_count(2)
    page.evaluate("""() => { const one = document.querySelector('clinamen-scene'); const run = one.run;
        one.remove(); window.gone = !run.player; document.body.append(one); window.back = run.player && run.dataset.held; }""")
    assert page.evaluate("window.gone") and page.evaluate("window.back") is None
    assert page.locator("link[rel=stylesheet]").count() == 1
    page.evaluate("scrollTo(0, document.documentElement.scrollHeight)")
    assert page.evaluate("document.querySelectorAll('clinamen-scene')[1].run.player.progress") == 1


@pytest.mark.parametrize(("src", "says"), [("", "it has no src"), ("nowhere/", "nowhere/index.html answers 404")])
def test_a_missing_or_wrong_src_is_said_on_the_console(chromium, folder, folder_server, src: str, says: str) -> None:
    root = folder(still(made_scene(SLIDES)))
    put_in(root, f'<clinamen-scene src="{src}"></clinamen-scene><script src="scene/player.js"></script>')
    context = fresh_context(chromium)
    page = context.new_page()
    thrown: list[str] = []
    page.on("pageerror", lambda error: thrown.append(str(error)))
    with page.expect_console_message(lambda message: says in message.text):
        page.goto(folder_server(root) + "host.html")
    assert thrown == [] and page.locator("clinamen-scene *").count() == 0
    context.close()


@pytest.mark.parametrize("timelines", [True, False], ids=["timelines", "script"])
def test_within_a_box_that_scrolls_by_itself(page, folder, folder_server, timelines: bool) -> None:
    made = still(made_scene(SLIDES))
    root = folder(made)
    if not timelines:
        without_timelines(root)
        page.add_init_script(NO_TIMELINES)
    box = "--clinamen-height:800px;height:800px;width:1280px;overflow:auto"
    put_in(
        root,
        f'<div id="box" style="{box}"><clinamen-scene src="scene/"></clinamen-scene></div><script src="scene/player.js"></script>',
    )
    page.goto(folder_server(root) + "host.html")
    page.wait_for_selector("[data-layer=isle]")
    for scroll in (0.4, 1.0):
        page.evaluate(f"document.getElementById('box').scrollTo(0, {scroll * 2000})")
        page.wait_for_function(f"document.querySelector('[data-scene]').player.progress == {scroll}")
        if not timelines:
            page.wait_for_function(f"{SCROLL} == {scroll}")
        shot(page)
        assert near(page, made, State(scroll))


def test_the_player_is_a_module_that_tells_seeks_and_ends(page, folder, folder_server) -> None:
    made = made_scene(SLIDES)
    root = folder(made)
    index = (root / "index.html").read_text()
    module = """<script type="module">import {mount} from './player.mjs';
        window.player = mount(document.querySelector('[data-scene]')); window.told = [];
        player.run.addEventListener('clinamen:progress', (event) => window.told.push(event.detail.scroll)); player.watch();</script>"""
    assert '<script src="player.js" defer></script>' in index
    (root / "index.html").write_text(index.replace('<script src="player.js" defer></script>', module))
    page.goto(folder_server(root))
    page.wait_for_function("window.told?.length == 1")
    page.evaluate("player.seek({scroll: 0.5, time: 4})")
    page.wait_for_function("window.told.at(-1) == 0.5")
    shot(page)
    clocks = "player.run.getAnimations({subtree: true}).filter((a) => a.timeline === document.timeline).map((a) => a.currentTime)"
    assert all(4000 <= at < 9000 for at in page.evaluate(clocks))
    page.evaluate("player.end()")
    assert (
        page.locator(".clinamen-pause").count() == 0
        and page.evaluate("document.querySelector('[data-scene]').player") is None
    )
    page.evaluate("scrollTo(0, 300)")
    shot(page)
    assert near(page, made, State()), "it rests"
    package = json.loads((root / "package.json").read_text())
    assert package["exports"]["."] == "./player.mjs" and (root / "player.js").read_text().startswith(
        f"// Clinamen player {package['version']}\n"
    )


def test_a_printed_page_is_the_resting_picture_and_links_show_it(page, folder) -> None:
    from PIL import Image

    made = still(made_scene(SLIDES))
    root = folder(made)
    page.goto((root / "index.html").as_uri())
    page.evaluate("scrollTo(0, 1500)")
    page.emulate_media(media="print")
    shot(page)
    assert page.evaluate("document.documentElement.scrollHeight") <= 800 and near(page, made, State())
    assert Image.open(root / "poster.jpg").size == (1200, 750)
    assert page.locator("meta[property='og:image']").get_attribute("content") == "poster.jpg"
    assert page.locator("meta[name=description]").get_attribute("content") == "Measured: isle, wall, back and sky"


def test_a_repeating_layer_loads_only_what_the_screen_shows(page, folder, folder_server) -> None:
    from tests.conftest import layer, scene

    made = scene(
        layer("sky", 1400, 900, repeat={"x": "tile", "y": "none"}, framing={"scale": 0.4}, depth=500),
        view={"width": 1280, "height": 800}, drivers={"scroll": {}},
    )  # fmt: skip
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url.rsplit("/", 1)[-1]))
    page.goto(folder_server(folder(made)))
    page.wait_for_load_state("networkidle")
    assert [name for name in asked if name.startswith("sky")] == ["sky@1x.webp"]


def test_the_page_is_valid_html(folder) -> None:
    """By html-validate's recommended rules."""
    root = folder(made_scene(FLIES), focus_x=20, language="de-AT")
    tool = ROOT / "tests/node/node_modules/.bin/html-validate"
    done = subprocess.run(
        [str(tool), "--preset", "recommended", str(root / "index.html")], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize("asks", [False, True])
def test_a_device_that_tilts_stands_in_for_the_pointer_when_it_may(page, folder, folder_server, asks: bool) -> None:
    made = still(made_scene(FLIES))
    made = made.model_copy(
        update={
            "drivers": made.drivers.model_copy(update={"pointer": PointerDriver(reach_x=40, reach_y=20, settle=0.05)})
        }
    )
    address = folder_server(folder(made, tilt=True), POLICY)
    # some browsers want to be asked, by a press, and some do not know the question
    answer = "async () => { window.asked = true; return 'granted'; }" if asks else "undefined"
    page.add_init_script(f"DeviceOrientationEvent.requestPermission = {answer}")
    page.goto(address)
    page.wait_for_selector("[data-loaded]", state="attached")
    expect(page.get_by_role("button", name="Tilt")).to_have_count(0)  # a screen that stands on a desk
    page.add_init_script("Object.defineProperty(navigator, 'maxTouchPoints', {get: () => 5})")
    page.reload()
    page.wait_for_selector("[data-loaded]", state="attached")
    tilted = "([beta, gamma]) => window.dispatchEvent(new DeviceOrientationEvent('deviceorientation', {beta, gamma}))"
    if asks:
        page.evaluate(tilted, [40, 0])
        page.get_by_role("button", name="Tilt").click()
        page.wait_for_function("window.asked")
    page.evaluate(tilted, [45, 2])  # as it is held
    page.evaluate(tilted, [35, 22])  # turned right by 20°, away by 10°
    settled = State(pointer=(1.0, -0.5))
    page.wait_for_function(
        "() => { const at = document.querySelector('[data-scene]').firstElementChild.firstElementChild.style.cssText; return /-u: 1;/.test(at) && /-v: -0.5;/.test(at); }"
    )
    assert near(page, made, settled)
