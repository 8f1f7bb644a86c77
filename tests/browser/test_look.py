"""The room Look by hand: lens and light dragged, sliders seen while they are set, words typed, and what is wrong said."""

from typing import Any

import pytest
from playwright.sync_api import expect

from clinamen.core.air import kept_share
from clinamen.core.motion.states import State
from clinamen.core.stage import stage_at
from tests.browser.conftest import Held
from tests.browser.test_motion import drag, middle
from tests.browser.test_whole_job import head, make_scene
from tests.conftest import until
from tests.fonts import boxes
from tests.web.conftest import png

pytestmark = pytest.mark.django_db(transaction=True)
BLUR = """(id) => parseFloat((getComputedStyle(document.querySelector(`[data-layer="${id}"]`).parentElement).filter.match(/blur\\((.*)px/) ?? [0, 0])[1])"""


@pytest.fixture
def room(visitor) -> Any:
    make_scene(visitor, "look", far=png(400, 240, 1), near=png(200, 120, 2))
    visitor.wait_for_selector("[data-bench]")
    return visitor


def said(page, text: str) -> None:
    expect(page.locator("#readout .revision")).to_contain_text(text)


def test_the_lens_is_opened_focused_by_the_tip_and_closed_by_undo(room) -> None:
    page = room
    page.check("#f-open")
    said(page, "Lens opened")
    page.fill("#f-metre", "2000")
    page.press("#f-metre", "Enter")
    said(page, "A metre is")
    document = head()
    far, near = document.layers[0], document.layers[-1]
    for layer in (far, near):
        wanted = float(stage_at(document, State())[layer.id].blur[0])
        assert page.evaluate(BLUR, layer.id) == pytest.approx(wanted, abs=1e-3)
    stands = middle(page, f"#stand-{far.id} .grab")
    tip = middle(page, "#tip")
    drag(page, tip, (stands[0] - tip[0], 0))
    said(page, f"Focused on {far.label}")
    until(page, f"({BLUR})('{far.id}') === 0")
    assert float(stage_at(head(), State())[far.id].blur[0]) == 0
    page.focus("#tip")
    page.press("#tip", "ArrowLeft")
    said(page, "Focused on rate")
    page.fill("#f-aperture", "wide")
    page.press("#f-aperture", "Enter")
    expect(page.locator(".toast, #toast")).to_contain_text("is not a number")
    assert page.input_value("#f-aperture") == "wide", "what was typed stays"


def test_air_goes_on_by_a_press_and_thicker_by_hand(room) -> None:
    page = room
    page.click("button:has-text('Morning mist')")
    said(page, "Air: morning mist")
    document = head()
    drag(page, middle(page, "#air-hand"), (0, -50))
    said(page, "keeps")
    assert kept_share(head(), head().layers[0]) > kept_share(document, document.layers[0])
    assert page.evaluate("() => document.querySelectorAll('#view-filters filter').length") == 2


def test_a_look_is_set_by_slider_number_and_curve(room) -> None:
    page = room
    layer = head().layers[-1].id
    page.click("#look-own-add summary")
    page.click("#look-own-add button:has-text('Saturation')")
    expect(page.locator("#look-own-0-amount")).to_be_visible()
    page.locator("#look-own-0-amount-slider").evaluate(
        "(field) => { field.value = '0.4'; field.dispatchEvent(new Event('input', {bubbles: true})); field.dispatchEvent(new Event('change', {bubbles: true})); }"
    )
    said(page, "saturation changed")
    assert head().layer(layer).look[0].amount == pytest.approx(0.4)
    page.fill("#look-own-0-amount", "0.75")
    page.press("#look-own-0-amount", "Enter")
    expect(page.locator("#look-own-0-amount")).to_have_value("0.75")
    page.click("#look-own-add summary")
    page.click("#look-own-add button:has-text('Curve')")
    expect(page.locator(".tone-point")).to_have_count(3)
    drag(page, middle(page, ".tone-point", 1), (0, -30))
    said(page, "curve changed")
    before = head().layer(layer).look[1].points[1].y
    assert before > 0.6
    held = Held(page, "**/edit/look-set/")
    page.locator(".tone-point").nth(1).focus()
    with page.expect_request("**/edit/look-set/"):
        page.keyboard.press("ArrowDown")
    for _ in range(2):
        page.keyboard.press("ArrowDown")
    held.answer()
    expect(page.locator(".tone-point").nth(1)).to_have_attribute("aria-valuenow", f"{before - 0.03:.3f}")
    expect(page.locator(".tone-point").nth(1)).to_be_focused()
    page.uncheck("#look-own-0-on")
    said(page, "saturation changed")
    assert [step.on for step in head().layer(layer).look] == [False, True]


def test_the_key_light_is_dragged_in_the_view_and_in_the_plan(room) -> None:
    page = room
    page.check("#f-key-light")
    said(page, "Light changed")
    before = head().light.key
    drag(page, middle(page, ".look-mark.light"), (60, 30))
    expect(page.locator("#light-x")).not_to_have_value(f"{before.x:g}".replace("-", "−"))
    after = head().light.key
    assert after.x > before.x and after.y > before.y and after.depth == before.depth
    page.click("#tab-plan")
    expect(page.locator("#plan-light")).to_be_visible()
    drag(page, middle(page, "#plan-light"), (60, 0))
    until(page, "(depth) => document.getElementById('light-depth').value !== depth", arg=f"{after.depth:g}")
    assert head().light.key.depth > after.depth


def test_words_are_made_typed_and_framed(room) -> None:
    page = room
    page.click("#make summary")
    page.click("#make button:text-is('Words')")
    said(page, "Words made")
    page.fill("#made-text", "Low tide\nat nine")
    page.locator("#made-text").blur()
    said(page, "made anew")
    words = head().layers[-1]
    assert words.art.made.text == "Low tide\nat nine"
    expect(page.locator(f'[data-layer="{words.id}"]')).to_have_attribute("aria-label", "Low tide\nat nine")
    page.click("#frame summary")
    page.fill("#f-aspect", "2:1")
    page.press("#f-aspect", "Enter")
    said(page, "Frame changed")
    assert head().frame.aspect == pytest.approx(2)
    page.check("#safe-areas")
    expect(page.locator(".safe-area.over")).to_have_count(2)


def test_where_the_browser_is_slow_the_server_draws_the_view_while_a_slider_moves(visitor) -> None:
    base = make_scene(visitor, far=png(400, 240, 1), near=png(200, 120, 2))
    visitor.add_init_script("sessionStorage.setItem('clinamen-slow', '1')")
    visitor.goto(f"{base}/look/")
    visitor.wait_for_selector("[data-bench]")
    page, before = visitor, head()
    expect(page.locator("#glance")).to_be_hidden()
    move = "(field, value) => { field.value = value; field.dispatchEvent(new Event('input', {bubbles: true})); }"
    slider = page.locator("#light-ambient-slider")
    with page.expect_response(lambda answer: "preview=glance" in (answer.request.post_data or "")):
        slider.evaluate(move, "0.5")
    until(page, "document.querySelector('.surround.glancing #glance')?.src.startsWith('data:image/jpeg')")
    until(page, "document.querySelector('#glance').naturalWidth === 320")  # the hand rests: the whole view
    until(page, "!document.querySelector('.surround.glancing')")  # it is away: the view itself wears it now
    assert page.locator("#view-filters filter").count() == len(before.layers)
    assert head() == before
    with page.expect_response(lambda answer: "/seen/" in answer.url):
        slider.evaluate("(field) => field.dispatchEvent(new Event('change', {bubbles: true}))")
    said(page, "Light changed")
    assert head().light.ambient == pytest.approx(0.5)
    until(page, "document.querySelector('.surround.glancing')")
    with page.expect_response(lambda answer: "/undo/" in answer.url):
        page.keyboard.press("Control+z")  # whatever else is done is seen at once
    expect(page.locator(".surround.glancing")).to_have_count(0)
    assert head().light == before.light


def test_the_server_s_picture_stays_until_the_view_wears_what_it_shows(visitor) -> None:
    base = make_scene(visitor, far=png(400, 240, 1), near=png(200, 120, 2))
    visitor.add_init_script("sessionStorage.setItem('clinamen-slow', '1')")
    visitor.goto(f"{base}/look/")
    visitor.wait_for_selector("[data-bench]")
    page, held = visitor, []
    page.route(
        "**/edit/**",
        lambda route: held.append(route) if "preview=proved" in (route.request.post_data or "") else route.continue_(),
    )
    page.locator("#light-ambient-slider").evaluate(
        "(field) => { field.value = '0.5'; field.dispatchEvent(new Event('input', {bubbles: true})); }"
    )
    until(page, "document.querySelector('.surround.glancing')")
    while not held:
        page.wait_for_timeout(20)
    late = page.evaluate("performance.now()") + 1500  # ms; longer than it stays once the hand is away
    until(page, f"performance.now() > {late}")
    assert page.locator("#view-filters filter").count() == 0
    assert page.locator(".surround.glancing").count() == 1
    held.pop().continue_()
    until(page, "!document.querySelector('.surround.glancing')")
    assert page.locator("#view-filters filter").count() == 2


def test_words_take_a_font_that_is_brought_in_and_a_wrong_file_is_said(room) -> None:
    page = room
    page.click("#make > summary")
    page.click("#make button:text-is('Words')")
    said(page, "Words made")
    page.click("#font-new > summary")
    page.set_input_files("#font-file", files=[{"name": "letter.txt", "mimeType": "text/plain", "buffer": b"dear all"}])
    page.click("#font-form button")
    expect(page.locator("#toast")).to_contain_text("letter.txt: is no TTF, OTF or WOFF2 font")
    page.set_input_files("#font-file", files=[{"name": "boxes.ttf", "mimeType": "font/ttf", "buffer": boxes()}])
    page.fill("#font-licence", "made for this")
    page.click("#font-form button")
    said(page, "Words set in Boxes")
    expect(page.locator("#pane-made")).to_contain_text("Licence: made for this")
    assert head().layers[-1].art.made.font.name == "Boxes"
    page.select_option("#made-family", "caveat")
    expect(page.locator("#pane-made")).not_to_contain_text("Set in Boxes")
    assert head().layers[-1].art.made.font is None
