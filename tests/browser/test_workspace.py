"""The workspace under the hand: drivers, keys, layers, windows, exports that come back."""

import re

import pytest
from playwright.sync_api import expect

from clinamen.core.motion.settling import step_response
from clinamen.scenes.models import Scene
from tests.browser.conftest import Held
from tests.browser.test_whole_job import head, make_scene
from tests.web.conftest import png

pytestmark = pytest.mark.django_db(transaction=True)
TWO = {"1__back": png(400, 240, 1), "2__front": png(400, 240, 2, clear_left=180)}


def test_the_drivers_are_played_by_hand_by_key_and_by_recording(visitor) -> None:
    page = visitor
    make_scene(page, "motion", **TWO)
    expect(page.locator(".time-driver")).to_be_hidden()
    page.check("#on-time")
    expect(page.locator(".time-driver")).to_be_visible()
    page.locator(".revision").click()
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#time-value")).not_to_have_text("00:00.0")
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("aria-pressed", "false")
    pad = page.locator("#pointer-pad").bounding_box()
    page.mouse.click(pad["x"] + pad["width"] - 2, pad["y"] + 2)
    expect(page.locator("#pointer-value")).to_have_text("1.00, -1.00")
    page.locator(".revision").click()
    page.keyboard.press("0")
    expect(page.locator("#pointer-value")).to_have_text("0.00, 0.00")
    expect(page.locator("#time-value")).to_have_text("00:00.0")
    page.select_option("#hand", "flick")
    page.click("#rehearse")
    expect(page.locator("#scroll-value")).to_have_text("1.000", timeout=15_000)


def test_a_layer_drifts_and_the_camera_goes_round_it(visitor) -> None:
    page = visitor
    make_scene(page, "motion", far=png(320, 200, 1), near=png(200, 120, 2))
    page.click("#card-near")
    page.check("#on-time")
    reach = page.locator("#drift-reach-near-x")
    reach.fill("25")
    reach.press("Enter")
    expect(page.locator("#readout")).to_contain_text("drifts by 25 at 0.2 Hz")
    pace = page.locator("#drift-pace-near-x")
    pace.fill("1 Hz")
    pace.press("Enter")
    expect(page.locator("#readout")).to_contain_text("drifts by 25 at 1 Hz")
    page.select_option("#f-round", "far")
    expect(page.locator("#readout")).to_contain_text("Arcs go round")
    arc = page.locator("#end-time-arc")
    arc.fill("10")
    arc.press("Enter")
    expect(page.locator("#readout")).to_contain_text("Camera arc from 0 to 10 over time")
    made = head()
    assert made.camera.target.depth == made.layer("far").depth > 0
    assert [(t.target, t.channel, t.drift and t.drift.pace) for t in made.tracks] == [
        ("near", "x", 1.0),
        ("camera", "arc", None),
    ]
    near = page.locator("[data-layer=near]")
    places = []
    for time in (0.0, 0.3, 0.6):
        page.locator("#clock").evaluate(
            "(clock, at) => { clock.value = at; clock.dispatchEvent(new Event('input', {bubbles: true})); }", time
        )
        places.append(near.bounding_box()["x"])
    assert len({round(x, 1) for x in places}) == 3, "the view shows it"
    page.select_option("#move-name", "push-in")
    page.fill("#move-size", "90")
    page.select_option("#move-driver", "time")
    page.click("#make-move")
    expect(page.locator("#readout")).to_contain_text("push in by 90 px, lands on the picture")
    assert {(t.channel, t.keys[0].value) for t in head().tracks if t.target == "camera"} == {("arc", 0), ("z", -90)}
    page.select_option("#retime-target", "camera")
    page.select_option("#retime-driver", "time")
    page.fill("#retime-factor", "3")
    page.click("#retime")
    expect(page.locator("#toast")).to_contain_text("go no further than 1 about this moment")
    expect(page.locator("#retime-factor")).to_have_value("3")
    page.fill("#retime-factor", "0.5")
    page.click("#retime")
    expect(page.locator("#readout")).to_contain_text("The camera: quicker by 2")
    page.click("#copy-motion")
    expect(page.locator("#readout")).to_contain_text("carried over to 1 more")
    assert {t.target for t in head().tracks if t.drift} == {"near", "far"}


def test_layers_are_chosen_hidden_renamed_and_ordered(visitor) -> None:
    page = visitor
    base = make_scene(page, "art", **TWO)
    page.click("#card-back")
    expect(page.locator("#readout h2")).to_have_text("Back")
    assert "layer=back" in page.url, "a reload keeps the choice"
    page.click("#show-front")
    expect(page.locator("[data-layer=front]")).to_have_count(0)
    page.click("#show-front")
    expect(page.locator("[data-layer=front]")).to_have_count(1)
    page.fill("#name-back", "Cliff")
    page.keyboard.press("Tab")
    expect(page.locator("#card-back .name")).to_have_text("Cliff")
    page.click("#up-back")
    expect(page.locator("#readout .revision")).to_contain_text("moved in drawing order")
    assert [layer.id for layer in head().layers] == ["front", "back"]
    page.locator("#undo").evaluate("button => { button.click(); button.click(); }")  # quicker than any answer
    expect(page.locator("#card-back .name")).to_have_text("Back")
    page.reload()
    page.click("#redo")
    expect(page.locator("#card-back .name")).to_have_text("Cliff")
    page.fill(".title", "Renamed")
    page.keyboard.press("Enter")
    expect(page.locator("#readout .revision")).to_contain_text("Renamed to Renamed")
    page.goto(base.rsplit("/scenes/", 1)[0] + "/")
    expect(page.locator(".scene-card h2")).to_have_text("Renamed")


def test_a_rung_is_dragged_like_a_sheet_and_true_size_can_be_kept(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.goto(f"{base}/depth/?layer=back")
    page.click("text=keep its true size")
    expect(page.locator("#choice [name=hold]")).to_have_value("size")
    before = head().layer("back")
    rung = page.locator("#rung-back").bounding_box()
    x, y = rung["x"] + rung["width"] / 2, rung["y"] + rung["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 30, steps=4)
    page.mouse.move(x, y + 60, steps=4)
    page.mouse.up()
    expect(page.locator("#readout .revision")).to_contain_text("Back at depth")
    after = head().layer("back")
    assert after.depth < before.depth
    distance = head().lens_distance
    grown = (distance + before.depth) / (distance + after.depth)
    assert after.framing.scale == pytest.approx(before.framing.scale * grown, rel=1e-3), (
        "nearer at its true size looks larger"
    )


def test_the_lens_keeps_every_rate_and_spreading_is_one_click(visitor) -> None:
    page = visitor
    base = make_scene(page, **{**TWO, "3__top": png(400, 240, 5, clear_left=300)})
    page.goto(f"{base}/depth/?layer=middle")
    rates = page.locator(".place").all_inner_texts()
    page.fill("#f-angle", "60°")
    page.keyboard.press("Enter")
    expect(page.locator("#f-focal")).to_have_value("31.2 mm")
    assert [text.split("·")[1] for text in page.locator(".place").all_inner_texts()] == [
        text.split("·")[1] for text in rates
    ]
    page.click("text=evenly in depth")
    expect(page.locator("#readout .revision")).to_contain_text("spread evenly in depth")
    depths = [layer.depth for layer in head().layers]
    assert depths[0] - depths[1] == pytest.approx(depths[1] - depths[2], abs=0.2)


def test_a_frame_that_began_before_the_press_does_not_stop_the_players(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.add_init_script("""const later = window.requestAnimationFrame.bind(window);
        window.requestAnimationFrame = (run) => later((now) => run(now - 500));""")
    page.goto(f"{base}/motion/")
    page.check("#on-time")
    expect(page.locator(".time-driver")).to_be_visible()
    page.evaluate("""() => { window.shown = [];
        new MutationObserver(() => window.shown.push(document.getElementById('time-value').textContent))
            .observe(document.getElementById('time-value'), {childList: true, characterData: true, subtree: true}); }""")
    page.click("#play")
    expect(page.locator("#time-value")).to_have_text(re.compile(r"00:0[1-6]"), timeout=15_000)
    page.click("#play")
    shown = page.evaluate("window.shown")
    assert shown == sorted(shown), "the clock never ran back"
    page.select_option("#hand", "flick")
    page.click("#rehearse")
    expect(page.locator("#scroll-value")).to_have_text("1.000", timeout=15_000)


def test_the_layered_file_comes_back_as_the_same_scene(visitor, worker, tmp_path) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.goto(f"{base}/depth/?layer=front")
    page.fill("#f-rotation", "9°")
    page.keyboard.press("Enter")
    expect(page.locator("#readout .revision")).to_contain_text("framed anew")
    scene = head()
    page.goto(f"{base}/export/")
    for kind in ("layered file", "engine kit"):
        page.click(f"text=Export the {kind}")
    expect(page.locator(".export-row.done")).to_have_count(2)
    with page.expect_download() as download:
        page.locator(".export-row.done", has_text="Layered file").locator("a").click()
    download.value.save_as(tmp_path / "again.ora")
    page.goto(base.rsplit("/scenes/", 1)[0] + "/")
    page.set_input_files("input[type=file]", tmp_path / "again.ora")
    page.click("text=Make the scene")
    page.wait_for_url("**/art/**")
    assert head() == scene and Scene.objects.count() == 2


def test_deleting_asks_first(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.goto(base.rsplit("/scenes/", 1)[0] + "/")
    page.once("dialog", lambda dialog: dialog.dismiss())
    page.click(".card-menu summary")
    page.click(".card-menu button[title^=Delete]")
    assert Scene.objects.count() == 1
    page.once("dialog", lambda dialog: dialog.accept())
    page.click(".card-menu button[title^=Delete]")
    expect(page.locator(".said")).to_contain_text("Quarry was deleted")


def test_the_theme_is_remembered(listed) -> None:
    page = listed
    before = page.evaluate("document.documentElement.dataset.bsTheme")
    page.click("[data-theme-switch]")
    page.reload()
    assert page.evaluate("document.documentElement.dataset.bsTheme") != before


CLOCK = """() => { let now = 0, waiting = []; performance.now = () => now;
  window.requestAnimationFrame = (call) => waiting.push(call);
  window.frames_ = (steps) => { const seen = []; const run = document.querySelector('[data-scene]');
    run.addEventListener('clinamen:pointer', (event) => seen.push([now / 1000, event.detail.u]));
    for (const step of steps) { now += step; const due = waiting; waiting = []; due.forEach((call) => call(now)); } return seen; }; }"""


def test_the_players_pointer_follows_the_cores_spring(page, tmp_path) -> None:
    """Frames of uneven length, by a clock of the test's own: the player's spring against the core's step response."""
    from clinamen.core.exports.web import page as webpage
    from tests.conftest import layer, noise, scene, shelf_of

    made = scene(layer("a", 400, 300), drivers={"pointer": {"settle": 0.3}})
    for name, data in webpage.build(made, shelf_of({"a": noise(400, 300)})).items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    page.goto((tmp_path / "index.html").as_uri())
    page.evaluate(CLOCK)
    page.evaluate("document.querySelector('[data-scene]').player.aim(0.8, 0)")
    seen = page.evaluate("frames_([16, 16, 40, 8, 100, 16, 30, 60, 16, 16])")
    assert len(seen) == 10
    for at, u in seen:
        assert u == pytest.approx(0.8 * float(step_response(0.3, at)), abs=1e-6)


def test_a_refused_file_and_a_wrong_number_cost_nothing(listed, tmp_path) -> None:
    page = listed
    good, bad = tmp_path / "hill.png", tmp_path / "notes.png"
    good.write_bytes(png(64, 64))
    bad.write_bytes(b"no picture")
    page.set_input_files("[data-drop] input[type=file]", [str(good), str(bad)])
    page.fill("#width", "wide")
    page.click("text=Make the scene")
    expect(page.locator("#refused")).to_contain_text("width: 'wide' is not a number")
    page.fill("#title", "a\0b")
    page.click("text=Make the scene")
    expect(page.locator("#toast")).to_contain_text("title: holds a NUL character")
    page.fill("#title", "Hill")
    page.fill("#width", "wider")
    page.click("text=Make the scene")
    expect(page.locator("#refused")).to_contain_text("width: 'wider' is not a number")
    page.fill("#width", "64")
    held = Held(page, "**/scenes/new/")
    with page.expect_request("**/scenes/new/"):
        page.click("text=Make the scene")  # the chosen files are still there
    expect(page.get_by_text("Make the scene")).to_be_disabled()
    expect(page.locator("#refused")).to_be_empty()
    held.answer()
    page.wait_for_url("**/art/**")
    expect(page.locator("#notices")).to_contain_text("notes.png: is not a")
    assert [layer.name for layer in head().layers] == ["Hill"]
