"""The room Depth under the hand: sheets turned in the plan, several at once, the ground, the turntable, groups."""

import numpy as np
import pytest
from playwright.sync_api import expect

from clinamen.core.edits.depth import resting_rate
from tests.browser.conftest import Held
from tests.browser.test_whole_job import head, make_scene
from tests.conftest import until
from tests.web.conftest import png

pytestmark = pytest.mark.django_db(transaction=True)
FOUR = {"1__wall": png(400, 240, 1), "2__hedge": png(400, 240, 2, clear_left=60), "3__cart": png(400, 240, 3, clear_left=120),
        "4__cat": png(400, 240, 4, clear_left=300)}  # fmt: skip


def spread(page) -> str:
    base = make_scene(page, **FOUR)
    page.goto(f"{base}/depth/?layer=hedge")
    page.click("text=evenly in depth")
    expect(page.locator("#readout .revision")).to_contain_text("spread evenly in depth")
    return base


def centre(box) -> tuple[float, float]:
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def spot(page, selector: str) -> tuple[float, float]:
    """The middle of something that is drawn anew while one looks: read at once, when it is there."""
    middle = "s => { const b = document.querySelector(s)?.getBoundingClientRect(); return b?.width ? [b.x + b.width / 2, b.y + b.height / 2] : null; }"
    return tuple(until(page, middle, selector))


def drag(page, start, end) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=3)
    page.mouse.move(*end, steps=3)
    page.mouse.up()


def rates() -> dict[str, float]:
    return {x.id: resting_rate(head(), x) for x in head().layers}


def test_a_sheet_stops_at_its_neighbours_moves_across_and_is_turned_by_its_end(visitor) -> None:
    page = visitor
    spread(page)
    before = rates()
    x, y = spot(page, "#sheet-hedge .grip")
    drag(page, (x, y), (page.locator("#sheet-cat .grab").bounding_box()["x"], y))
    expect(page.locator("#readout .revision")).to_contain_text("Hedge stops at Cart")
    assert rates()["hedge"] == pytest.approx(before["cart"], abs=1e-3), "it stopped at the cart"
    page.keyboard.press("Control+z")
    expect(page.locator("#readout .revision")).to_contain_text("spread evenly")
    x, y = spot(page, "#sheet-hedge .grip")
    drag(page, (x, y), (x, y + 25))
    expect(page.locator("#readout .revision")).to_contain_text("framed anew")
    moved = head().layer("hedge").framing.x
    across = float(page.locator("[data-plan]").get_attribute("data-across"))
    assert moved == pytest.approx(25 * across, rel=0.1) and rates()["hedge"] == pytest.approx(before["hedge"], abs=1e-4)
    until(page, "() => !document.querySelector('#sheet-hedge.dragged')")
    end = spot(page, "#tilt-2")
    drag(page, end, (end[0] + 60, end[1] - 8))
    expect(page.locator("#readout .revision")).to_contain_text("Hedge leans 0° and is turned")
    turn = head().layer("hedge").tilt.turn
    assert -90 < turn < -1, "its right end went away from the viewer"
    shown = page.locator("#sheet-hedge .art-line")
    one, two = (float(shown.get_attribute(name)) for name in ("x1", "x2"))
    assert two > one + 5, "and is drawn farther"
    page.locator("#tilt-2").focus()
    page.keyboard.press("ArrowUp")
    expect(page.locator("#f-turn")).not_to_have_value(f"{turn:g}°".replace("-", "−"))


def test_several_are_chosen_with_shift_and_move_together(visitor) -> None:
    page = visitor
    spread(page)
    page.click("#card-hedge")
    page.click("#card-cart", modifiers=["Shift"])
    expect(page.locator("#many-chosen")).to_contain_text("2 layers are chosen: Hedge, Cart")
    before = {x.id: x.depth for x in head().layers}
    page.locator("#sheet-cart").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#readout .revision")).to_contain_text("2 layers moved")
    after = {x.id: x.depth for x in head().layers}
    assert after["cart"] > before["cart"] and after["cat"] == before["cat"]
    assert after["hedge"] - before["hedge"] == pytest.approx(after["cart"] - before["cart"], abs=0.11)
    page.click("#card-cat")
    expect(page.locator("#many-chosen")).to_have_count(0)


def test_the_ground_is_set_in_the_view_and_a_foot_says_the_depth(visitor) -> None:
    page = visitor
    spread(page)
    page.click("#card-cat")
    expect(page.locator("#readout h2")).to_have_text("Cat")
    page.click("text=Stand it on the ground")
    expect(page.locator("#readout .revision")).to_contain_text("Cat stands on the ground")
    view = page.locator("#view").bounding_box()
    x, y = spot(page, "#ground-foot path")
    saved = lambda answer: "/edit/foot/" in answer.url and "preview" not in (answer.request.post_data or "")  # noqa: E731
    with page.expect_response(saved):
        drag(page, (x, y), (x - 40, view["y"] + view["height"] * 0.8))
    until(page, "() => document.querySelector('#ground-foot').dataset.y < 235")
    made = head()
    foot = made.layer("cat").foot
    below = foot.y + made.layer("cat").framing.y - made.ground.horizon
    assert rates()["cat"] == pytest.approx(below / made.ground.eye, abs=1e-3)
    expect(page.locator("#readout")).to_contain_text("px below the horizon, so it moves")
    x, y = spot(page, "#ground-horizon .hold")
    drag(page, (x, y), (x, y - 30))
    expect(page.locator("#readout .revision")).to_contain_text("Horizon")
    raised = head()
    assert raised.ground.horizon < made.ground.horizon - 5
    assert rates()["cat"] == pytest.approx(
        (foot.y + raised.layer("cat").framing.y - raised.ground.horizon) / raised.ground.eye, abs=1e-3
    )
    page.select_option("#f-plane", "floor")
    expect(page.locator("#readout .revision")).to_contain_text("Cat is a floor")
    at = page.locator("#view [data-layer=cat]").evaluate(
        "e => { const b = e.getBoundingClientRect(); return [b.top, b.bottom]; }"
    )
    scale = min(view["width"] / raised.view.width, view["height"] / raised.view.height)
    middle = view["y"] + view["height"] / 2
    horizon, edge = middle + raised.ground.horizon * scale, middle + raised.view.height / 2 * scale
    assert at == pytest.approx([horizon + 0.01 * raised.view.height * scale, edge], abs=1.5), (
        "from the edge to the horizon"
    )


def test_the_turntable_stands_the_cards_where_they_are_and_turns_by_hand_and_key(visitor) -> None:
    page = visitor
    spread(page)
    page.click("#tab-turntable")
    page.click("[data-turn-to=front]")
    until(page, "() => document.querySelector('#turn-cat img')?.complete")
    boxes = {name: centre(page.locator(f"#turn-{name}").bounding_box()) for name in ("wall", "cat")}
    assert np.allclose(boxes["wall"], boxes["cat"], atol=6), (
        "from the front, framed alike, they stand behind one another"
    )
    page.click("[data-turn-to=side]")
    expect(page.locator("[data-turn-to=side]")).to_have_attribute("aria-pressed", "true")
    xs = [centre(page.locator(f"#turn-{name}").bounding_box())[0] for name in ("wall", "hedge", "cart", "cat")]
    turned = rates()
    share = (np.array(xs) - xs[0]) / (xs[-1] - xs[0])
    wanted = [
        (turned[name] - turned["wall"]) / (turned["cat"] - turned["wall"]) for name in ("wall", "hedge", "cart", "cat")
    ]
    assert share == pytest.approx(wanted, abs=0.06), "from the side they stand along their rates"
    x, y = centre(page.locator("#turntable").bounding_box())
    drag(page, (x - 100, y + 60), (x - 20, y + 60))
    expect(page.locator("[data-turn-to=side]")).to_have_attribute("aria-pressed", "false")
    expect(page.locator("#readout h2")).to_have_text("Hedge")
    page.locator("#turntable").focus()
    style = page.locator(".turn-space").get_attribute("style")
    page.keyboard.press("ArrowUp")
    until(page, "before => document.querySelector('.turn-space').getAttribute('style') !== before", style)
    page.locator("#turn-cat").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#readout h2")).to_have_text("Cat")


def test_perspective_and_plain_shifting_stand_side_by_side(visitor) -> None:
    page = visitor
    base = spread(page)
    page.goto(f"{base}/motion/")
    end = page.locator("#end-scroll-z")
    if end.count() == 0:
        page.check("#on-scroll")
    page.fill("#end-scroll-z", "300")
    page.keyboard.press("Enter")
    expect(page.locator("#readout .revision")).to_contain_text("Camera z")
    page.goto(f"{base}/depth/?layer=cat")
    page.click("#beside-plain")
    expect(page.locator("#beside-says")).to_have_text("plain shifting")
    page.locator("#scroll-runner").evaluate(
        "e => { e.value = 1; e.dispatchEvent(new Event('input', {bubbles: true})); }"
    )
    wide = "name => document.querySelector(`${name} [data-layer=cat]`).getBoundingClientRect().width"
    until(
        page,
        "() => document.querySelector('#view [data-layer=cat]').getBoundingClientRect().width > 1.05 * document.querySelector('#beside [data-layer=cat]').getBoundingClientRect().width",
    )
    assert page.evaluate(wide, "#beside") > 0


def test_a_group_folds_hides_and_is_pushed_back_as_one(visitor) -> None:
    page = visitor
    make_scene(page, "art", **FOUR)
    page.check("#pick-hedge")
    page.check("#pick-cart")
    page.fill("#many-group", "Yard")
    page.click("[data-many-do=group]")
    expect(page.locator(".group-row")).to_have_count(1)
    page.click("[data-fold=Yard]")
    expect(page.locator("#name-hedge")).to_have_count(0)
    expect(page.locator("#card-hedge")).to_have_count(0)
    page.reload()
    expect(page.locator("#name-hedge")).to_have_count(0)
    page.click("[data-fold=Yard]")
    expect(page.locator("#name-hedge")).to_have_count(1)
    page.click(".group-row >> text=Hide Yard")
    expect(page.locator("#view [data-layer=hedge]")).to_have_count(0)
    assert head().layer("hedge").visible, "by itself it is seen"
    page.click(".group-row >> text=Show Yard")
    before = rates()
    shift = page.locator(".group-row [name=shift]")
    shift.fill("500")
    shift.press("Enter")
    expect(page.locator("#readout .revision")).to_contain_text("Yard 500 px farther")
    after = rates()
    assert after["hedge"] < before["hedge"] and after["cart"] < before["cart"] and after["wall"] == before["wall"]


@pytest.mark.parametrize("where", ["#sheet-hedge", "#rung-hedge"])
def test_each_key_goes_on_from_where_the_one_before_it_led(visitor, where: str) -> None:
    page = visitor
    make_scene(page, "depth", **FOUR)
    before = float(page.locator("#sheet-hedge").get_attribute("aria-valuenow"))
    held = Held(page, "**/edit/depth/")
    page.locator(where).focus()
    with page.expect_request("**/edit/depth/"):
        page.keyboard.press("ArrowRight")
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    held.answer()
    until(
        page,
        f"() => Math.abs(document.getElementById('sheet-hedge').getAttribute('aria-valuenow') - {before - 0.04}) < 1e-3",
    )
    assert resting_rate(head(), head().layer("hedge")) == pytest.approx(before - 0.04, abs=1e-3)


def test_a_number_goes_on_from_what_the_last_key_made_of_it_whatever_is_answered_meanwhile(visitor) -> None:
    page = visitor
    base = make_scene(page, **FOUR)
    page.goto(f"{base}/depth/?layer=hedge")
    held = Held(page, "**/edit/framing/")
    page.locator("#f-x").focus()
    with page.expect_request("**/edit/framing/"):
        page.keyboard.press("ArrowUp")
    step = float(page.locator("#f-x").get_attribute("data-step"))
    with page.expect_response("**/edit/framing/"):
        page.keyboard.press("ArrowUp")  # not sent yet when the answer to the first comes
        held.answer()
    page.locator("#f-x").focus()
    with page.expect_response(lambda answer: f"&x={3 * step:g}&" in f"&{answer.request.post_data}&"):
        page.keyboard.press("ArrowUp")
    expect(page.locator("#f-x")).to_have_value(f"{3 * step:g}")
    assert head().layer("hedge").framing.x == 3 * step
