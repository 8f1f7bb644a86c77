"""Hands and the server: what a press changes goes to what is shown as chosen, with all that its form holds, and in its order."""

import json
import re
from typing import Any

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Held
from tests.browser.test_whole_job import head, make_scene
from tests.conftest import until
from tests.web.conftest import png

pytestmark = pytest.mark.django_db(transaction=True)
TWO = {"far": png(400, 240, 1), "near": png(200, 120, 2)}


def values(target: str, channel: str) -> list[float]:
    return [
        key.value for each in head().tracks if (each.target, each.channel) == (target, channel) for key in each.keys
    ]


@pytest.fixture
def motion(visitor) -> Any:
    """The room Motion of a scene whose camera trucks by 300 px over the scroll."""
    base = make_scene(visitor, "motion", **TWO)
    visitor.goto(f"{base}/motion/?layer=near")
    end = visitor.locator("#end-scroll-x")
    end.fill("300")
    end.press("Enter")
    expect(visitor.locator(".thread")).to_have_count(1)
    return visitor


def test_buttons_within_a_form_send_what_the_form_holds(motion) -> None:
    page = motion
    page.locator("#settle-target").select_option("camera")
    page.click("#turn-round")
    expect(page.locator("#readout .revision")).to_contain_text("turned round")
    assert values("camera", "x") == [300, 0]
    page.locator("#enter-side").select_option("top")
    page.locator("#enter-to").fill("0.5")
    page.click("#cross")
    expect(page.locator("#readout .revision")).to_contain_text("Near")
    track = next(each for each in head().tracks if (each.target, each.channel) == ("near", "y"))
    assert track.keys[0].value < 0 < track.keys[-1].value and track.keys[-1].at == 0.5


def test_a_choice_shows_in_the_frame_of_the_press_and_values_go_to_what_is_shown(visitor) -> None:
    page = visitor
    base = make_scene(page, "depth", **TWO)
    page.goto(f"{base}/depth/?layer=far")
    expect(page.locator("#card-far")).to_have_attribute("aria-current", "true")
    held = Held(page, "**/desk/**")
    shown = page.evaluate(
        """() => { document.querySelector('#card-near').click();
        return [document.querySelector('#row-near').classList.contains('chosen'), document.querySelector('#row-far').classList.contains('chosen'),
                document.querySelector('#choice [name=chosen]').value, document.querySelector('.readout-side').inert]; }"""
    )
    assert shown == [True, False, "near", True], "and the readout of the layer before takes nothing"
    until(page, "() => document.querySelector('.readout-side').inert")
    held.answer()
    until(page, "() => !document.querySelector('.readout-side').inert")
    expect(page.locator("#readout h2")).to_contain_text("Near")
    depth = page.locator("#readout input.num").first
    before = {layer.id: layer.depth for layer in head().layers}
    depth.fill("77")
    depth.press("Enter")
    expect(page.locator("#readout .revision")).to_contain_text("Near")
    after = {layer.id: layer.depth for layer in head().layers}
    assert after["near"] != before["near"] and after["far"] == before["far"]


def test_a_choice_that_the_server_does_not_answer_is_no_choice(visitor) -> None:
    page = visitor
    base = make_scene(page, "depth", **TWO)
    page.goto(f"{base}/depth/?layer=far")
    page.route("**/desk/**", lambda route: route.fulfill(status=422, body=""))
    page.evaluate("document.querySelector('#card-near').click()")
    until(page, "() => !document.querySelector('.readout-side').inert")
    assert page.evaluate("document.querySelector('#choice [name=chosen]').value") == "far"
    expect(page.locator("#row-far")).to_have_class("card-row chosen")


def test_a_link_waits_for_what_was_pressed_before_it(visitor) -> None:
    page = visitor
    base = make_scene(page, "depth", **TWO)
    page.goto(f"{base}/depth/?layer=far")
    held = Held(page, "**/edit/layer/**")
    for name in ("far", "near"):  # the second stands behind the first
        page.locator(f"#show-{name}").click()
    link = page.locator("nav.rooms a:has-text('Motion')")
    link.click()
    expect(link).to_have_attribute("aria-busy", "true")
    held.answer()
    page.wait_for_url("**/motion/**")
    assert [layer.visible for layer in head().layers] == [False, False]


def test_undo_pressed_while_a_form_s_edit_is_unanswered_waits_for_it(motion) -> None:
    page = motion
    held = Held(page, "**/edit/settle/**")
    page.locator("#settle-target").select_option("camera")
    page.click("#settle")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.keyboard.press("Escape")
    page.locator("body").press("Control+z")
    page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    assert not any("/undo/" in url for url in asked), "it stands behind the edit"
    held.answer()
    expect(page.locator("#redo")).to_be_enabled()
    assert (
        values("camera", "x") == [0, 300] and page.locator("details.kept summary:has-text('Kept aside')").count() == 0
    )
    assert "another window" not in json.dumps(page.content())


def test_a_knot_that_was_dragged_has_the_keys(motion) -> None:
    page = motion
    end = page.locator(".knot .ring").last
    expect(end).to_be_visible()
    box = until(
        page,
        "() => { const b = [...document.querySelectorAll('.knot .ring')].at(-1).getBoundingClientRect(); return b.width && [b.x + b.width / 2, b.y + b.height / 2]; }",
    )
    page.mouse.move(*box)
    page.mouse.down()
    page.mouse.move(box[0] - 60, box[1], steps=4)
    page.mouse.up()
    expect(page.locator("#readout .revision")).to_contain_text("knot moved")
    until(page, "() => document.activeElement.matches('.knot')")
    place = next(t for t in head().tracks if t.channel == "x").keys[-1].at
    page.keyboard.press("Control+ArrowLeft")
    until(page, "(at) => +document.activeElement.dataset?.at < at - 1e-6", place)


def test_what_is_said_lies_over_no_view_drawing_or_field_and_goes_when_the_next_is_tried(visitor) -> None:
    page = visitor
    base = make_scene(page, "art", **TWO)
    page.goto(f"{base}/art/")
    bad = {"name": "no.png", "mimeType": "image/png", "buffer": b"nothing"}
    page.locator("#more-files").set_input_files(bad)
    expect(page.locator("#toast .wrong")).to_contain_text("no.png")
    over = page.evaluate(
        """() => { const line = document.querySelector('.toast-line').getBoundingClientRect();
        const meets = (box) => box.width && box.left < line.right && box.right > line.left && box.top < line.bottom && box.bottom > line.top;
        return ['.desk', '#view', '#drawing', '.readout-side', '.bar'].filter((one) => { const e = document.querySelector(one); return e && meets(e.getBoundingClientRect()); }); }"""
    )
    assert over == []
    held = Held(page, "**/layers/**")
    page.locator("#more-files").set_input_files({"name": "yes.png", "mimeType": "image/png", "buffer": png(40, 30, 5)})
    expect(page.locator("#toast .wrong")).to_have_count(0)
    expect(page.locator("label:has(#more-files)")).to_have_attribute("aria-busy", "true")
    held.answer()
    expect(page.locator("label:has(#more-files)")).not_to_have_attribute("aria-busy", "true")


def test_a_button_shows_at_once_that_it_works(motion) -> None:
    page = motion
    held = Held(page, "**/edit/settle/**")
    page.locator("#settle-target").select_option("camera")
    page.click("#settle")
    expect(page.locator("#settle")).to_have_attribute("aria-busy", "true")
    held.answer()
    expect(page.locator("#settle")).not_to_have_attribute("aria-busy", "true")


def test_a_press_on_a_row_that_tells_how_far_it_is_is_never_lost(visitor) -> None:
    page = visitor
    make_scene(page, "export", **TWO)
    held = Held(page, "**/standing/**")
    page.locator("form.export-card button.main-button").first.click()
    cancel = page.locator(".standing button:has-text('Cancel')")
    cancel.wait_for()
    until(page, "() => document.querySelector('.standing.htmx-request')")
    cancel.hover()
    page.mouse.down()
    with page.expect_response("**/standing/**"):
        held.answer()
    until(page, "() => !document.querySelector('.standing.htmx-request')")
    page.mouse.up()
    expect(page.locator(".export-row.cancelled")).to_have_count(1)


def test_keys_stay_on_a_button_of_a_row_that_is_drawn_again(visitor) -> None:
    page = visitor
    make_scene(page, "export", **TWO)
    page.locator("form.export-card button.main-button").first.click()
    cancel = page.locator(".standing button:has-text('Cancel')")
    cancel.focus()
    with page.expect_response("**/standing/**"):  # no worker: it waits, and says so again and again
        pass
    with page.expect_response("**/standing/**"):
        pass
    expect(cancel).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".export-row.cancelled")).to_have_count(1)


def test_the_place_of_a_finding_is_marked_no_more_once_it_is_gone(visitor) -> None:
    page = visitor
    base = make_scene(page, "proof", only=png(320, 180, 3))
    page.goto(f"{base}/proof/")
    view = page.locator("#f-width")
    view.fill("340")
    view.press("Enter")
    expect(page.locator(".finding").first).to_contain_text("px uncovered")
    expect(page.locator("#verdict")).to_contain_text("4 gaps")
    top = page.locator(".finding", has_text="at the top edge")
    top.locator("button:has-text('Go there')").click()
    expect(page.locator("#marks rect")).not_to_have_count(0)
    top.locator("button:has-text('Scale')").click()
    expect(page.locator("#verdict")).to_contain_text("2 gaps")  # of four, and that one is not among them
    expect(page.locator("#marks rect")).to_have_count(0)


def test_a_scene_in_which_nothing_moves_says_so_where_it_is_seen(visitor) -> None:
    page = visitor
    base = make_scene(page, "motion", **TWO)
    page.goto(f"{base}/motion/?layer=")
    page.locator("#on-pointer").uncheck()
    verdict = page.locator("#verdict")
    expect(verdict).to_have_text(re.compile("Nothing moves yet"))
    expect(verdict).to_be_visible()
    page.goto(f"{base}/proof/")
    expect(page.locator(".findings")).to_contain_text("Nothing moves yet")
    expect(page.locator(".findings")).not_to_contain_text("The move holds")


def test_words_between_elements_are_replaced_without_a_script_error(visitor) -> None:
    page = visitor  # whose scripts may make no error
    base = make_scene(page, "motion", **TWO)
    page.goto(f"{base}/motion/")
    page.locator("#undo").wait_for()
    said = page.evaluate("""() => {
        const box = document.body.appendChild(document.createElement('p'));
        box.append('one ', document.createElement('b'), ' two');
        htmx.swap(box, 'three', { swapStyle: 'innerHTML' });
        return new Promise((done) => { setTimeout(() => done(box.textContent), 100); });
    }""")
    assert said == "three"


def test_nothing_can_be_pressed_before_the_scripts_that_answer_are_there(visitor) -> None:
    page = visitor
    base = make_scene(page, "depth", **TWO)
    held = Held(page, "**/workspace*.js")
    page.goto(f"{base}/depth/", wait_until="commit")
    undo, field = page.locator("#undo"), page.locator("#f-depth")
    field.wait_for()
    met = "it => { const at = it.getBoundingClientRect(); return it.contains(document.elementFromPoint(at.x + 9, at.y + 9)); }"
    assert not undo.evaluate(met) and not field.evaluate(met)
    held.answer()
    field.click()  # as soon as it can be met
    assert undo.evaluate(met) and field.evaluate(met)


def test_an_answer_for_an_export_that_was_taken_away_meanwhile_is_dropped(visitor) -> None:
    page = visitor  # whose scripts may make no error
    make_scene(page, "export", **TWO)
    page.on("dialog", lambda dialog: dialog.accept())
    asked = Held(page, "**/standing/**")
    page.locator("form.export-card button.main-button").first.click()
    until(page, "() => document.querySelector('.standing.htmx-request')")
    page.locator(".standing button:has-text('Cancel')").click()
    expect(page.locator(".export-row.cancelled")).to_have_count(1)
    answer = asked.routes[0].fetch()
    page.locator("button[aria-label='Take this export away']").click()
    expect(page.locator(".export-row")).to_have_count(0)
    with page.expect_response("**/standing/**"):
        asked.routes[0].fulfill(response=answer)
    page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
