"""The room Motion by hand: knots dragged, chosen, tied and bent by mouse and by keyboard; poses that stay loose until kept."""

import re
from typing import Any

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Held
from tests.browser.test_whole_job import head, make_scene
from tests.conftest import until
from tests.web.conftest import png

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def room(visitor) -> Any:
    """The room Motion of a scene whose camera trucks by 300 px over the scroll."""
    make_scene(visitor, "motion", far=png(400, 240, 1), near=png(200, 120, 2))
    end = visitor.locator("#end-scroll-x")
    end.fill("300")
    end.press("Enter")
    expect(visitor.locator(".thread")).to_have_count(1)
    return visitor


def keys(target: str = "camera", channel: str = "x") -> list[tuple[float, float]]:
    return [(k.at, k.value) for t in head().tracks if (t.target, t.channel) == (target, channel) for k in t.keys]


def middle(page, selector: str, number: int = 0) -> tuple[float, float]:
    """The middle of an element that may be drawn anew at any moment: found and measured in one go."""
    found = until(
        page,
        """([selector, number]) => { const box = document.querySelectorAll(selector)[number]?.getBoundingClientRect();
        return box && [box.x + box.width / 2, box.y + box.height / 2]; }""",
        arg=[selector, number],
    )
    x, y = found
    return x, y


def drag(page, start: tuple[float, float], by: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0] + by[0] / 2, start[1] + by[1] / 2, steps=3)
    page.mouse.move(start[0] + by[0], start[1] + by[1], steps=3)
    page.mouse.up()


def test_knots_are_tied_dragged_banded_and_read(room) -> None:
    page = room
    line = page.locator(".thread-base").bounding_box()
    page.mouse.dblclick(line["x"] + line["width"] / 2, line["y"])
    expect(page.locator(".knot")).to_have_count(3)
    expect(page.locator(".knot.chosen")).to_have_count(1)
    assert keys()[1][1] == pytest.approx(150, abs=2), "on the curve"
    drag(page, middle(page, ".knot .ring", 1), (line["width"] / 4, 0))
    expect(page.locator("#readout .revision")).to_contain_text("1 knot moved")
    assert keys()[1][0] == pytest.approx(0.75, abs=0.006)
    expect(page.locator("#knot-at")).to_have_value(f"{keys()[1][0]:g}")
    expect(page.locator(".knot.chosen")).to_have_count(1)
    page.fill("#knot-value", "-40")
    page.press("#knot-value", "Enter")
    expect(page.locator("#readout .revision")).to_contain_text("1 knot changed")
    assert keys()[1][1] == -40
    drag(page, (line["x"] - 20, line["y"] - 9), (line["width"] + 60, 30))
    expect(page.locator(".knot.chosen")).to_have_count(3)
    page.click("[data-knots=reverse]")
    expect(page.locator("#readout .revision")).to_contain_text("turned round")
    assert [value for _, value in keys()] == [300, -40, 0]
    page.fill("#knot-own", "0.2 0 nonsense")
    page.press("#knot-own", "Enter")
    expect(page.locator("#toast")).to_contain_text("neither one of")
    expect(page.locator("#knot-own")).to_have_value("0.2 0 nonsense")
    page.mouse.click(line["x"] + 60, line["y"] + 60)
    expect(page.locator(".knot.chosen")).to_have_count(0)


def test_the_hand_says_where_the_knot_comes_while_its_fields_rest(room) -> None:
    page = room
    line = page.locator(".thread-base").bounding_box()
    page.mouse.dblclick(line["x"] + line["width"] / 2, line["y"])
    expect(page.locator("#knot-at")).to_have_value("0.5")
    x, y = middle(page, ".knot .ring", 1)
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("""() => new MutationObserver(() => {
        if (document.getElementById('hand-says')?.textContent.includes('0.7')) window.heldValue ??= document.getElementById('knot-at').value;
    }).observe(document.body, {childList: true, characterData: true, subtree: true})""")
    page.mouse.move(x + line["width"] / 8, y, steps=4)
    page.mouse.move(x + line["width"] / 4, y, steps=4)
    expect(page.locator("#hand-says")).to_contain_text("0.7")
    assert page.evaluate("window.heldValue") == "0.5", "while the hand moves; when it rests they follow"
    ring = page.locator("#hand-ring").bounding_box()
    assert ring["x"] + ring["width"] / 2 == pytest.approx(x + line["width"] / 4, abs=1), "under the hand"
    assert len(keys()) == 3 and keys()[1][0] == pytest.approx(0.5, abs=0.01), "nothing is kept yet"
    page.mouse.up()
    expect(page.locator("#readout .revision")).to_contain_text("1 knot moved")
    expect(page.locator("#knot-at")).to_have_value(f"{keys()[1][0]:g}")
    expect(page.locator("#hand-says")).to_be_hidden()


def test_knots_are_moved_copied_and_taken_out_by_keyboard(room) -> None:
    page = room
    page.focus(".thread")
    page.keyboard.press("ArrowLeft")
    expect(page.locator(".knot").nth(1)).to_be_focused()
    held = Held(page, "**/edit/move-knots/")
    with page.expect_request("**/edit/move-knots/"):
        page.keyboard.press("Control+Shift+ArrowLeft")
    for _ in range(2):  # while it has its old name yet
        page.keyboard.press("Control+ArrowLeft")
    held.answer()
    expect(page.locator(".knot").nth(1)).to_have_attribute("aria-label", re.compile(r"Knot at 0\.94,"))
    for _ in range(2):
        page.keyboard.press("Control+ArrowRight")
    expect(page.locator(".knot").nth(1)).to_have_attribute("aria-label", re.compile(r"Knot at 0\.95,"))
    expect(page.locator("#readout .revision")).to_contain_text("1 knot moved")
    assert keys()[1][0] == pytest.approx(0.95)
    page.keyboard.press("Control+ArrowUp")
    expect(page.locator(".knot").nth(1)).to_have_attribute("aria-label", "Knot at 0.95, 301 px")
    expect(page.locator(".knot").nth(1)).to_be_focused()
    expect(page.locator(".knot.chosen")).to_have_count(1)
    page.keyboard.press("Control+c")
    page.locator("#scroll-runner").evaluate("(e) => { e.value = 0.4; e.dispatchEvent(new Event('input')); }")
    page.keyboard.press("Control+v")
    expect(page.locator(".knot")).to_have_count(3)
    assert keys()[1] == (0.4, 301)
    page.keyboard.press("Delete")
    expect(page.locator(".knot")).to_have_count(2)
    page.focus(".thread")
    page.keyboard.press("Enter")
    expect(page.locator("#thread-curve")).to_be_visible()
    page.focus(".bend[data-handle='2']")
    page.keyboard.press("Shift+ArrowDown")
    expect(page.locator("#readout .revision")).to_contain_text("easing bent")
    expect(page.locator(".bend[data-handle='2']")).to_be_focused()


def test_a_handle_of_the_curve_is_bent_and_the_view_moves_otherwise(room) -> None:
    page = room
    page.click("[data-set-drawn=curve]")
    drag(page, middle(page, ".bend", 0), (0, -60))
    expect(page.locator("#readout .revision")).to_contain_text("easing bent")
    (track,) = head().tracks
    assert track.keys[0].ease[1] > 0.3
    expect(page.locator("#curve-says")).to_contain_text("at most")


def test_a_pose_stays_loose_until_it_is_kept(room) -> None:
    page = room
    page.locator("#scroll-runner").evaluate("(e) => { e.value = 0.5; e.dispatchEvent(new Event('input')); }")
    far = page.locator("[data-layer=far]")
    before = far.bounding_box()
    drag(page, middle(page, "#view"), (40, 0))
    expect(page.locator("#loose")).to_contain_text("Camera truck −")
    assert far.bounding_box()["x"] > before["x"] + 1, "seen at once"
    assert len(keys()) == 2, "and nothing is kept"
    page.focus("#view")
    page.keyboard.press("Escape")
    expect(page.locator("#loose")).to_have_count(0)
    until(
        page,  # drawn with the style that the answer brought
        "(x) => Math.abs(document.querySelector('[data-layer=far]').getBoundingClientRect().x - x) < 0.5",
        arg=before["x"],
    )
    drag(page, middle(page, "#view"), (40, 0))
    expect(page.locator("#loose")).to_be_visible()
    moved = 40 * head().view.width / page.locator("#view [data-scene] [role=img]").bounding_box()["width"]
    expect(page.locator("#loose")).to_contain_text(f"truck −{moved:.1f}"[:-1])
    there = far.bounding_box()["x"]
    page.click("#keep-pose")
    expect(page.locator("#readout .revision")).to_contain_text("Pose kept at 0.5")
    assert [at for at, _ in keys()] == [0, 0.5, 1]
    assert far.bounding_box()["x"] == pytest.approx(there, abs=0.5), "where it was seen"
    page.select_option("#pose-hand", "layer")
    page.click("#card-near")
    expect(page.locator(".pose-pin")).to_have_count(1)
    drag(page, middle(page, ".pose-grip.turn"), (50, 30))
    expect(page.locator("#loose")).to_contain_text("Near rotation")
    page.focus("#view")
    page.keyboard.press("Enter")
    expect(page.locator("#readout .revision")).to_contain_text("Near rotation")
    assert [at for at, _ in keys("near", "rotation")] == [0, 0.5]
    drag(page, middle(page, ".pose-pin"), (14, 9))
    expect(page.locator("#readout .revision")).to_contain_text("anchor moved")
    assert head().layer("near").anchor.x != 0


def test_the_clock_goes_frame_by_frame_and_plays_a_part(room) -> None:
    page = room
    page.check("#on-time")
    expect(page.locator(".time-driver")).to_be_visible()
    for _ in range(3):
        page.click("[data-step='1']")
    expect(page.locator("#frame-value")).to_have_text("3")
    page.click("[data-step='-1']")
    expect(page.locator("#frame-value")).to_have_text("2")
    page.focus("#clock")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.locator("#frame-value")).to_have_text("12")
    page.click("[data-part=in]")
    for _ in range(5):
        page.click("[data-step='1']")
    page.click("[data-part=out]")
    expect(page.locator("#clock-part")).to_be_visible()
    page.click("#play")
    expect(page.locator("#rate-value")).to_have_text(re.compile(r"^\d+ of 25$"), timeout=15_000)
    seen = page.evaluate(
        """() => new Promise((done) => { const seen = new Set(); const end = performance.now() + 900;
        const look = () => { seen.add(+document.getElementById('frame-value').textContent); performance.now() < end ? requestAnimationFrame(look) : done([...seen]); }; look(); })"""
    )
    assert min(seen) >= 12 and max(seen) <= 17, "no frame of another part"
    page.click("#whole-part")
    expect(page.locator("#clock-part")).to_be_hidden()


def test_the_camera_s_way_is_dragged_and_gone_along_evenly(room) -> None:
    page = room
    page.fill("#end-scroll-z", "200")
    page.press("#end-scroll-z", "Enter")
    page.click("[data-set-drawn=way]")
    expect(page.locator(".way-knot")).to_have_count(2)
    drag(page, middle(page, ".way-knot .ring", 1), (-40, 20))
    expect(page.locator("#readout .revision")).to_contain_text("another way")
    assert keys()[-1][1] < 290 and keys("camera", "z")[-1][1] < 195
    page.focus(".way-knot >> nth=1")
    before = keys()[-1][1]
    page.keyboard.press("Shift+ArrowRight")
    expect(page.locator(".way-knot").nth(1)).to_be_focused()
    says = "document.querySelectorAll('.way-knot title')[1].textContent.split(': ')[1].split(',')[0].replace('−', '-').replace('\u202f', '')"
    until(page, f"(before) => +{says} > before + 0.5", arg=before)
    assert keys()[-1][1] > before
    page.click("button:has-text('Even pace')")
    expect(page.locator("#readout .revision")).to_contain_text("at one pace")
    page.click("[data-set-axis=y]")
    expect(page.locator("#path-plan")).to_have_attribute("data-axis", "y")


def test_a_move_is_tried_before_it_is_made(room) -> None:
    page = room
    before = keys()
    page.select_option("#move-name", "truck")
    page.fill("#move-size", "wide")
    page.click("#try-move")
    expect(page.locator("#toast")).to_contain_text("'wide' is not a number")
    expect(page.locator("#tried")).to_be_hidden()
    page.fill("#move-size", "150")
    page.click("#try-move")
    expect(page.locator("#tried")).to_be_visible()
    expect(page.locator("#move-size")).to_have_value("150")
    until(
        page, "+document.getElementById('scroll-runner').value > 0.02 || +document.getElementById('clock').value > 0.02"
    )
    assert keys() == before, "nothing is kept"
    page.click("#untry")
    expect(page.locator("#tried")).to_be_hidden()
    page.click("#try-move")
    expect(page.locator("#tried")).to_be_visible()
    page.click("[data-tried=make]")
    expect(page.locator("#readout .revision")).to_contain_text("truck by 150 px")
    expect(page.locator("#tried")).to_be_hidden()


def test_the_view_stands_beside_what_was_before_and_layers_beside_each_other(room) -> None:
    page = room
    page.select_option("#move-name", "truck")
    page.click("#make-move")
    expect(page.locator("#readout .revision")).to_contain_text("truck")
    page.select_option("#play-beside", "before")
    expect(page.locator("#beside [data-layer]").first).to_be_visible()
    place = "(box) => document.querySelector(`${box} [data-layer]`).getBoundingClientRect().x - document.querySelector(box).getBoundingClientRect().x"
    until(page, f"Math.abs(({place})('#view') - ({place})('#beside')) > 5", timeout=20_000)
    other = page.locator("#play-beside option").nth(2).get_attribute("value")
    page.select_option("#play-beside", other)
    expect(page.locator("#view [data-layer]")).to_have_count(1)
    expect(page.locator("#beside [data-layer]")).to_have_attribute("data-layer", other)
    page.select_option("#play-beside", "")
    expect(page.locator("#beside [data-layer]")).to_have_count(0)
    page.select_option("#play-fineness", "draft")
    until(
        page,
        "[...document.querySelectorAll('#view img')].every((image) => image.complete && image.naturalWidth <= 400)",
    )
