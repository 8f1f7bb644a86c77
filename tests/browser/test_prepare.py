"""The rooms Art and Prepare under the hand: an outline drawn, a subject cut and filled behind, art brought again."""

import json

import cv2
import numpy as np
import pytest
from playwright.sync_api import expect

from clinamen.core.pictures.encoding import encode_png
from clinamen.scenes.models import Scene
from clinamen.scenes.shelf import pictures_of, shelf_of
from tests.browser.conftest import Held
from tests.browser.test_whole_job import head, make_scene
from tests.browser.test_workspace import TWO
from tests.conftest import ROOT, noise, until
from tests.web.conftest import png

pytestmark = pytest.mark.django_db(transaction=True)

PLACE = """([x, y]) => { const table = document.getElementById('table-view');
  const at = new DOMPoint(x, y).matrixTransform(table.getScreenCTM()); return [at.x, at.y]; }"""


def at(page, x: float, y: float) -> tuple[float, float]:
    """Where a place of the picture is on the screen."""
    return tuple(page.evaluate(PLACE, [x, y]))


def drag(page, start: tuple[float, float], end: tuple[float, float]) -> None:
    (x0, y0), (x1, y1) = at(page, *start), at(page, *end)
    page.mouse.move(x0, y0)
    page.mouse.down()
    for step in range(1, 7):
        page.mouse.move(x0 + (x1 - x0) * step / 6, y0 + (y1 - y0) * step / 6)
    page.mouse.up()


def said(page, text: str) -> None:
    expect(page.locator("#readout .revision")).to_contain_text(text)


def open_prepare(page, **files: bytes) -> str:
    base = make_scene(page, "prepare", **files)
    expect(page.locator("#table-pictures image").first).to_be_visible()
    return base


def pixels_of(layer_id: str) -> np.ndarray:
    scene = Scene.objects.latest("created")
    made = head()
    return shelf_of(pictures_of(scene), made).pixels(made.layer(layer_id))


def test_an_outline_is_drawn_bent_corrected_and_cut(visitor) -> None:
    page = visitor
    open_prepare(page, leaf=png(320, 200, 3))
    page.click("[data-add-step=outline]")
    page.click("[data-hand=draw]")
    for x, y in ((60, 40), (260, 40)):
        page.mouse.click(*at(page, x, y))
    drag(page, (260, 160), (220, 190))  # pulled: a Bézier leaves this point
    page.mouse.click(*at(page, 60, 160))
    page.mouse.click(*at(page, 60, 40))  # on the first point: closed
    said(page, "cut along an outline changed")
    nodes = head().layer("leaf").recipe.steps[0].nodes
    assert (
        len(nodes) == 4
        and [round(nodes[0].x), round(nodes[0].y)] == [60, 40]
        and nodes[2].out_x == pytest.approx(-40, abs=2)
    )
    alpha = pixels_of("leaf")[..., 3]
    assert alpha[100, 160] == 255 and alpha[20, 160] == 0 and alpha[170, 150] > 200, "the curve bulges below the corner"

    drag(page, (60, 40), (90, 70))  # a point is moved
    expect(page.locator("[data-node='0']")).to_have_attribute("aria-label", "Point 1 of 4")
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 4')")
    page.mouse.click(*at(page, 175, 55))  # a press on the line adds one
    expect(page.locator(".node")).to_have_count(5)
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 5')")
    page.locator("[data-node='1']").focus()
    page.keyboard.press("ArrowDown")
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 6')")
    page.locator("[data-node='1']").focus()
    page.keyboard.press("Delete")
    expect(page.locator(".node")).to_have_count(4)
    said(page, "revision 7")
    first = head().layer("leaf").recipe.steps[0].nodes[0]
    assert (round(first.x), round(first.y)) == (90, 70)

    before = page.evaluate("document.getElementById('table-view').getAttribute('viewBox')")
    page.mouse.move(*at(page, 160, 100))
    page.mouse.wheel(0, -400)
    expect(page.locator("#table-view")).not_to_have_attribute("viewBox", before)
    x, y = at(page, 160, 100)
    page.keyboard.press("f")
    assert (x, y) != at(page, 0, 0)
    page.click("#undo")
    expect(page.locator(".node")).to_have_count(5)


def photograph() -> bytes:
    """A made-up photograph: a red ball in front of a wall."""
    art = noise(480, 320, 5, cell=120)
    art[..., :3] = 60 + art[..., :3] // 4
    ball = np.zeros((320, 480), np.uint8)
    cv2.circle(ball, (240, 170), 70, 255, -1, cv2.LINE_AA)
    share = ball[..., None] / 255
    art[..., :3] = np.rint(art[..., :3] * (1 - share) + np.array([215, 60, 40]) * share)
    return encode_png(art)


def test_a_photograph_is_marked_cut_apart_and_filled_behind(visitor) -> None:
    page, fetched = visitor, []
    page.on("request", lambda request: fetched.append(request.url))
    base = open_prepare(page, ball=photograph())
    fetched.clear()
    page.click("[data-add-step=assisted]")
    said(page, "cut with help")
    drag(page, (150, 80), (330, 262))
    said(page, "cut with help changed")
    page.click("[data-hand=belongs]")
    drag(page, (225, 160), (255, 180))
    expect(page.locator("#readout")).to_contain_text("1 mark.")
    alpha = pixels_of("ball")[..., 3]
    y, x = np.mgrid[0:320, 0:480] + 0.5
    truth = np.hypot(x - 240.5, y - 170.5) <= 70
    got = alpha >= 128
    assert (got & truth).sum() / (got | truth).sum() > 0.98
    assert any("160.webp" in url for url in fetched) and not any("1600.webp" in url for url in fetched), (
        "no hidden view"
    )
    page.click("#cut-apart")
    expect(page.locator(".layer-card")).to_have_count(2)
    page.click("#card-ball-behind")
    page.click("[data-step-choose='1']")
    expect(page.locator("#readout")).to_contain_text("px to spare")
    expect(page.locator("#table-pictures image")).to_have_count(3)  # before, after, and the band that is filled
    page.select_option("#sf-method", "texture")
    said(page, "fill behind changed")
    rest = pixels_of("ball-behind")
    assert rest[170, 240, 3] == 0, "deeper than the move ever shows nothing is filled"
    ring = truth & (np.hypot(x - 240.5, y - 170.5) > 60)
    assert (rest[ring][:, 3] == 255).all() and (rest[ring][:, 0].astype(int) < 150).all(), (
        "wall, not ball, stands behind"
    )
    page.goto(f"{base}/depth/")
    behind, ball = head().layers
    assert behind.depth > ball.depth and (behind.id, ball.id) == ("ball-behind", "ball")


def test_a_colour_is_picked_a_spot_healed_and_the_steps_copied(visitor) -> None:
    page = visitor
    open_prepare(page, **TWO)
    page.click("[data-add-step=retouch]")
    said(page, "retouch")
    page.mouse.click(*at(page, 200, 120))
    expect(page.locator("#readout")).to_contain_text("1 stroke.")
    page.click("text=Heal it from elsewhere")
    expect(page.locator("#readout")).to_contain_text("Heal it from elsewhere (2)")
    page.click("summary:has-text('Add a step')")
    page.click("[data-add-step=key]")
    said(page, "key a colour out")
    page.mouse.click(*at(page, 300, 60))
    said(page, "key a colour out changed")
    assert page.input_value("#sf-colour") != "#00b140"
    page.fill("#sf-tolerance", "abc")
    page.keyboard.press("Enter")
    expect(page.locator("#toast")).to_contain_text("tolerance: 'abc' is not a number")
    page.click("summary:has-text('Copy the steps')")
    page.check("[data-copy-to]")
    page.click("[data-copy-recipe] button")
    said(page, "copied to 1 layer")
    assert [len(x.recipe.steps) for x in head().layers] == [2, 2]


def test_art_is_brought_again_with_a_look_first(visitor, tmp_path) -> None:
    page = visitor
    make_scene(page, "art", **TWO)
    for name, size in (("front.png", (400, 240)), ("moon.png", (60, 60))):
        (tmp_path / name).write_bytes(png(*size, seed=77))
    page.set_input_files("#again-files", [str(tmp_path / "front.png"), str(tmp_path / "moon.png")])
    dialog = page.locator("#again")
    expect(dialog).to_contain_text("⇄ replaced")
    expect(dialog).to_contain_text("+ new")
    expect(dialog).to_contain_text("− not there")
    old = head().layer("front").art.file
    dialog.locator("button:has-text('Bring them in')").click()
    expect(page.locator(".layer-row")).to_have_count(3)
    expect(dialog).not_to_be_visible()
    assert head().layer("front").art.file != old


def test_many_layers_are_chosen_grouped_and_moved_by_mouse_and_by_key(visitor) -> None:
    page = visitor
    make_scene(page, "art", a=png(60, 60, 1), b=png(60, 60, 2), c=png(60, 60, 3))
    page.check("#pick-a")
    page.check("#pick-b")
    expect(page.locator("#many-count")).to_have_text("2 chosen")
    page.fill("#many-group", "Distance")
    page.keyboard.press("Enter")
    expect(page.locator(".group-row")).to_contain_text("Distance")
    expect(page.locator("#pick-a")).to_be_checked()
    page.locator("#name-a").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(page.locator(".layer-row").first).to_have_attribute("data-row", "b")
    assert [x.id for x in head().layers] == ["c", "a", "b"]
    page.uncheck("#pick-a")
    page.uncheck("#pick-b")
    page.locator("[data-row=c] .grip-cell").drag_to(page.locator("[data-row=b]"))
    expect(page.locator(".layer-row").first).to_have_attribute("data-row", "c")
    assert [x.id for x in head().layers] == ["a", "b", "c"]
    last = page.locator(".layer-row").last
    lower = {"x": 200, "y": last.bounding_box()["height"] - 4}
    page.locator("[data-row=c] .grip-cell").drag_to(last, target_position=lower)
    expect(page.locator(".layer-row").last).to_have_attribute("data-row", "c")


def test_keys_pressed_while_an_answer_is_under_way_are_kept(visitor) -> None:
    page = visitor
    open_prepare(page, leaf=png(320, 200, 3))
    page.click("[data-add-step=rectangle]")
    said(page, "cut out a rectangle")
    held = Held(page, "**/edit/step-set/")
    box = page.locator("[data-place=box]")
    box.focus()
    with page.expect_request("**/edit/step-set/"):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowDown")
    expect(box).to_have_attribute("x", "10")
    expect(box).to_have_attribute("y", "1")
    held.answer()
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 4')")
    kept = head().layer("leaf").recipe.steps[0].box
    assert (kept.x, kept.y) == (10, 1)
    expect(box).to_have_attribute("x", "10")


def test_a_box_is_cut_by_keyboard_alone(visitor) -> None:
    page = visitor
    open_prepare(page, leaf=png(320, 200, 3))
    page.locator("[data-add-step=rectangle]").focus()
    page.keyboard.press("Enter")
    said(page, "cut out a rectangle")
    page.locator("[data-place=box]").focus()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowDown")
    said(page, "cut out a rectangle changed")
    page.locator("[data-place=box]").focus()
    page.keyboard.press("Alt+Shift+ArrowLeft")
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 4')")
    box = head().layer("leaf").recipe.steps[0].box
    assert (box.x, box.y, box.width, box.height) == (10, 1, 310, 200)
    page.locator("#sf-radius").focus()
    page.keyboard.press("ArrowUp")
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 5')")
    assert head().layer("leaf").recipe.steps[0].radius == 1
    page.locator("#step-on-0").focus()
    page.keyboard.press("Space")
    expect(page.locator("#step-0")).to_have_class("step chosen off")
    assert (pixels_of("leaf")[..., 3] == 255).all(), "a step that is off changes nothing"
    page.locator("#step-remove-0").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".step-name")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.locator(".step-name")).to_have_count(1)


def test_a_window_dropped_file_in_the_room_art_is_looked_at_first(visitor) -> None:
    page = visitor
    make_scene(page, "art", **TWO)
    page.evaluate(
        """() => { const transfer = new DataTransfer();
        transfer.items.add(new File([new Uint8Array([1, 2, 3])], 'front.png'));
        for (const kind of ['dragover', 'drop']) document.querySelector('.art-room').dispatchEvent(
          new DragEvent(kind, {dataTransfer: transfer, bubbles: true, cancelable: true})); }"""
    )
    dialog = page.locator("#again")
    expect(dialog).to_contain_text("front.png: is not a PNG")
    expect(dialog.locator("button:has-text('Bring them in')")).to_be_disabled()
    dialog.locator("button:has-text('Leave everything')").click()
    expect(dialog).not_to_be_visible()
    assert len(head().layers) == 2


@pytest.mark.parametrize("width", [1280, 1024])
def test_the_light_table_fits_the_window_and_passes_the_accessibility_checker(visitor, width: int) -> None:
    page = visitor
    page.set_viewport_size({"width": width, "height": 800})
    base = open_prepare(page, **TWO)
    page.click("[data-add-step=assisted]")
    said(page, "cut with help")
    for room in ("prepare", "art"):
        page.goto(f"{base}/{room}/")
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
        page.evaluate((ROOT / "tests/node/node_modules/axe-core/axe.min.js").read_text())
        found = page.evaluate("axe.run(document, {runOnly: ['wcag2a', 'wcag2aa']})")
        assert [(v["id"], v["nodes"][0]["html"]) for v in found["violations"]] == [], json.dumps(found["violations"])[
            :2000
        ]


def test_a_point_becomes_a_curve_by_double_press_and_by_key_and_undo_takes_back_points(visitor) -> None:
    page = visitor
    open_prepare(page, leaf=png(320, 200, 3))
    page.click("[data-add-step=outline]")
    page.click("[data-hand=draw]")
    revision = page.locator("#readout .revision").inner_text()
    for x, y in ((60, 40), (260, 40), (200, 100), (260, 160)):
        page.mouse.click(*at(page, x, y))
    expect(page.locator(".node")).to_have_count(4)
    page.keyboard.press("Control+z")
    expect(page.locator(".node")).to_have_count(3)
    page.click("#undo")
    expect(page.locator(".node")).to_have_count(2)
    assert page.locator("#readout .revision").inner_text() == revision, "the step and its place in history stay"
    for x, y in ((260, 160), (60, 160)):
        page.mouse.click(*at(page, x, y))
    page.keyboard.press("Enter")
    said(page, "cut along an outline changed")
    page.mouse.dblclick(*at(page, 260, 40))
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 4')")
    bent = head().layer("leaf").recipe.steps[0].nodes[1]
    assert (bent.out_x, bent.in_x) == (-bent.in_x, -bent.out_x) != (0, 0), "a curve"
    page.locator("[data-node='2']").focus()
    page.keyboard.press("c")
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 5')")
    by_key = head().layer("leaf").recipe.steps[0].nodes[2]
    page.locator("[data-node='2']").focus()
    page.keyboard.press("Alt+Shift+ArrowDown")
    until(page, "() => document.querySelector('#readout .revision').textContent.includes('revision 6')")
    now = head().layer("leaf").recipe.steps[0].nodes[2]
    assert now.out_y == pytest.approx(by_key.out_y + 10) and now.in_y == -now.out_y


def test_colour_marks_and_healing_by_keyboard_alone(visitor) -> None:
    page = visitor
    open_prepare(page, leaf=png(320, 200, 3))
    page.locator("[data-add-step=key]").focus()
    page.keyboard.press("Enter")
    said(page, "key")
    expect(page.locator("[data-step-choose='0']")).to_be_focused()
    page.locator("#table-view").focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(page.locator("path.cross")).to_have_count(1)
    page.keyboard.press("Enter")
    said(page, "changed")
    x, y = (
        int(v)
        for v in page.evaluate(
            "(() => { const d = document.querySelector('path.cross').getBBox(); return [d.x + d.width / 2, d.y + d.height / 2]; })()"
        )
    )
    art = noise(320, 200, 3)[y - 3 : y + 4, x - 3 : x + 4, :3].reshape(-1, 3).astype(int)
    picked = head().layer("leaf").recipe.steps[0].colour
    assert np.abs(np.array([int(picked[i : i + 2], 16) for i in (1, 3, 5)]) - art.mean(axis=0)).max() < 30
    page.click("details.add-step summary")
    page.click("[data-add-step=retouch]")
    said(page, "retouch")
    page.fill("#brush-size", "24") if page.locator("#brush-size").get_attribute("type") != "range" else page.evaluate(
        "(() => { const b = document.getElementById('brush-size'); b.value = '24'; b.dispatchEvent(new Event('input')); })()"
    )
    expect(page.locator("#brush")).to_contain_text("24 px of the picture")
    page.locator("#table-view").focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Enter")
    said(page, "changed")
    (stroke,) = head().layer("leaf").recipe.steps[1].strokes
    assert (stroke.kind, stroke.radius, len(stroke.points)) == ("heal", 12, 1), "as large as the brush says"
