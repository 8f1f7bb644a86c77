"""Rooms as the eye and the hand find them: nothing cut off, nothing letterboxed, picture first and the verdict after."""

import re

import pytest
from playwright.sync_api import expect

from clinamen.core.exports import EXPORTS
from tests.browser.conftest import Held
from tests.browser.test_whole_job import head, make_scene
from tests.browser.test_workspace import TWO
from tests.conftest import until

pytestmark = pytest.mark.django_db(transaction=True)

INSIDE = """(selector) => { const host = document.querySelector('#drawing').getBoundingClientRect();
  return [...document.querySelectorAll(selector)].map((e) => e.getBoundingClientRect()).every((b) => b.left >= host.left - 1 && b.right <= host.right + 1); }"""
SHOWN = """(selector) => { const host = document.querySelector('#drawing').getBoundingClientRect();
  return [...document.querySelectorAll(selector)].every((e) => e.getBoundingClientRect().bottom <= host.bottom); }"""
FILLS = """() => { const svg = document.querySelector('#drawing > svg, #ruler'), box = svg.getBoundingClientRect(), view = svg.viewBox.baseVal;
  return Math.abs(box.width - view.width) < 4 && Math.abs(box.height - view.height) < 4 && Math.abs(box.width - svg.parentElement.clientWidth) < 4; }"""


@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080), (1024, 768)])
def test_drawings_fill_their_place_and_keep_their_words_inside(visitor, size: tuple[int, int]) -> None:
    page = visitor
    page.set_viewport_size({"width": size[0], "height": size[1]})
    base = make_scene(page, **TWO)
    for room in ("depth", "motion"):
        page.goto(f"{base}/{room}/")
        until(page, FILLS)
        assert page.evaluate(INSIDE, "#drawing svg text")
        page.reload()
        assert page.evaluate(FILLS), "the next page is drawn for its place at once"
        side = page.locator(".readout-side")
        assert side.evaluate("e => e.scrollWidth <= e.clientWidth"), "nothing runs out of the readout"
        for field in page.locator(".travel .num, .travel select").all():
            assert field.bounding_box()["height"] >= 24


def test_the_border_between_view_and_drawing_is_moved_and_remembered(visitor) -> None:
    page = visitor
    make_scene(page, "depth", **TWO)
    before = page.locator("#drawing").bounding_box()["height"]
    border = page.locator("#divider").bounding_box()
    page.mouse.move(border["x"] + 200, border["y"] + 4)
    page.mouse.down()
    page.mouse.move(border["x"] + 200, border["y"] - 90, steps=4)
    page.mouse.up()
    until(page, FILLS)
    after = page.locator("#drawing").bounding_box()["height"]
    assert after > before + 60
    assert after == pytest.approx(before + 90, abs=5), "the border stays under the hand"
    page.reload()
    assert page.locator("#drawing").bounding_box()["height"] == pytest.approx(after, abs=2)
    page.focus("#divider")
    page.keyboard.press("ArrowDown")
    until(page, f"document.getElementById('drawing').clientHeight < {after - 5}")


def test_every_export_can_be_pressed_without_scrolling(visitor) -> None:
    page = visitor
    make_scene(page, "export", **TWO)
    expect(page.locator(".export-card")).to_have_count(len(EXPORTS))
    assert page.evaluate(SHOWN, ".export-card .main-button")


def test_an_export_waits_for_no_other_ones_answer_and_is_not_lost_with_the_page(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.goto(f"{base}/export/")
    expect(page.locator("#exports")).to_contain_text("Nothing exported yet")
    held = Held(page, "**/exports/new/")
    page.click("text=Export the layered file")
    with page.expect_response("**/exports/new/"):
        page.click("text=Export the engine kit")
    expect(page.locator(".export-row")).to_have_count(1)
    expect(page.locator(".none-yet")).to_be_hidden()
    held.answer()
    expect(page.locator(".export-row")).to_have_count(2)
    page.click("text=Export the web page")
    page.goto(f"{base}/proof/")
    page.goto(f"{base}/export/")
    expect(page.locator(".export-row")).to_have_count(3)


def test_numbers_in_sentences_are_as_wide_as_their_text_and_say_in_front_of(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.goto(f"{base}/depth/?layer=front")
    assert page.locator("#f-x").bounding_box()["width"] < 32, "a single digit"
    page.fill("#f-depth", "-120.5")
    page.keyboard.press("Enter")
    expect(page.locator("#readout")).to_contain_text("px in front of the picture plane")
    expect(page.locator("#f-depth")).to_have_value("120.5")
    page.fill("#f-depth", "-40")
    page.keyboard.press("Enter")
    expect(page.locator("#readout")).to_contain_text("px behind the picture plane")
    assert head().layer("front").depth == 40


def scene_with_a_gap(page) -> str:
    """A scene whose pointer reaches too far; its address."""
    base = make_scene(page, "motion", **TWO)
    page.fill("#f-reach-x", "300")
    page.keyboard.press("Enter")
    expect(page.locator("#verdict")).to_contain_text("gap")
    return base


def test_a_drag_shows_the_numbers_first_and_the_verdict_when_the_hand_rests(visitor) -> None:
    page = visitor
    base = scene_with_a_gap(page)
    page.goto(f"{base}/depth/?layer=back")
    asked: list[str] = []
    page.wait_for_selector("#layer-findings .fix")
    page.on("request", lambda request: asked.append(request.post_data or "") if "/edit/depth/" in request.url else None)
    page.on("request", lambda request: asked.append("fixes") if "/fixes/" in request.url else None)
    sheet = page.locator("#sheet-back .grab").bounding_box()
    x, y = sheet["x"] + sheet["width"] / 2, sheet["y"] + sheet["height"] / 2
    rate = page.locator("#f-rate").input_value()
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=6)
    expect(page.locator("#f-rate")).not_to_have_value(rate)
    with page.expect_request(lambda r: "/edit/depth/" in r.url and "proved" in (r.post_data or "")):
        pass  # the hand rests
    assert "fixes" not in asked, "nobody asks for fixes while the hand drags"
    page.mouse.up()
    expect(page.locator("#readout .revision")).to_contain_text("revision 3")
    kinds = [kind for body in asked for kind in ("hasty", "proved") if f"preview={kind}" in body]
    assert kinds[0] == "hasty" and kinds[-1] == "proved"
    assert page.locator("#sheet-back").get_attribute("transform") is None, "it stands as the server drew it"
    stands = float(page.locator("#sheet-back").get_attribute("aria-valuenow"))
    assert stands == pytest.approx(float(page.locator("#f-rate").input_value()), abs=0.001)


def test_fixes_that_come_for_findings_no_longer_there_are_left_out(visitor) -> None:
    page = visitor
    base = scene_with_a_gap(page)
    held = []
    page.route(re.compile("/fixes/"), lambda route: held.append((route, route.request.url)))
    with page.expect_request(re.compile("/fixes/")):
        page.goto(f"{base}/proof/")
    page.click("#undo")
    expect(page.locator("#verdict")).not_to_contain_text("gap")
    with page.expect_event("requestfinished", lambda request: "/fixes/" in request.url):
        held[0][0].fulfill(body='<div class="fixes" id="fixes-97" hx-swap-oob="true">late</div>')
    page.evaluate("() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")
    expect(page.locator("#fixes-97")).to_have_count(0)  # and nothing on the console: the page's own check


def test_the_light_tables_bar_stays_where_it_is_when_the_brush_comes(visitor) -> None:
    page = visitor
    page.set_viewport_size({"width": 1024, "height": 768})
    base = make_scene(page, **TWO)
    page.goto(f"{base}/prepare/?layer=front")
    page.locator("details.add-step summary").click() if not page.locator(
        "[data-add-step=assisted]"
    ).is_visible() else None
    page.click("[data-add-step=assisted]")
    expect(page.locator("[data-hand=belongs]")).to_be_visible()
    before, place = page.locator(".table-bar").bounding_box(), page.locator("#table-view").bounding_box()
    page.click("[data-hand=belongs]")
    expect(page.locator("#brush")).to_be_visible()
    assert page.locator(".table-bar").bounding_box() == before and page.locator("#table-view").bounding_box() == place


def test_islands_and_holes_are_counted_while_cutting_and_closed_in_one_press(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    page.goto(f"{base}/prepare/?layer=front")
    page.click("[data-add-step=brightness]")
    expect(page.locator("#spots")).to_contain_text("island")
    size = int(page.locator("#spot-size").input_value())
    page.fill("#spot-size", str(size + 5))
    page.click("[data-tidy=islands]")
    expect(page.locator("#readout .revision")).to_contain_text("dropped")
    page.click("[data-step-choose='0']")
    expect(page.locator("#spots")).to_contain_text(re.compile("0 islands|One piece"))


def test_every_room_has_one_first_heading(visitor) -> None:
    page = visitor
    base = make_scene(page, **TWO)
    for room in ("art", "prepare", "depth", "motion", "proof", "export"):
        page.goto(f"{base}/{room}/")
        assert page.locator("h1").count() == 1, room
