"""One person, the whole job: drop files, set depths by dragging, set the scroll, see a gap, fix it, export, measure."""

import json
import zipfile

import numpy as np
import pytest
from django.conf import settings
from django.test import Client
from playwright.sync_api import expect

from clinamen.core import document
from clinamen.core.motion.states import State
from clinamen.core.optics import rate_of
from clinamen.core.stage import corners, project, stage_at
from clinamen.scenes.models import Scene
from tests.conftest import ROOT
from tests.seen import quads, shot
from tests.web.conftest import png, upload

pytestmark = pytest.mark.django_db(transaction=True)

DROP = """([files]) => { const transfer = new DataTransfer();
  for (const [name, data] of files) transfer.items.add(new File([Uint8Array.from(atob(data), (c) => c.charCodeAt(0))], name));
  for (const kind of ['dragover', 'drop']) document.querySelector('.drop').dispatchEvent(new DragEvent(kind, {dataTransfer: transfer, bubbles: true, cancelable: true})); }"""


def drop(page, files: dict[str, bytes]) -> None:
    import base64

    page.evaluate(DROP, [[[name, base64.b64encode(data).decode()] for name, data in files.items()]])


def head() -> document.Scene:
    return document.parse(Scene.objects.select_related("head").latest("created").head.document)


def make_by_hand(page, width: str = "320", height: str = "180", **files: bytes) -> str:
    """A scene made through the form, its files dropped: the scene's address."""
    drop(page, {name.replace("__", "-") + ".png": data for name, data in files.items()})
    page.fill("#title", "Quarry")
    page.fill("#width", width)
    page.fill("#height", height)
    page.click("text=Make the scene")
    page.wait_for_url("**/art/**")
    return page.url.split("/art/")[0]


def make_scene(page, room: str = "", width: str = "320", height: str = "180", **files: bytes) -> str:
    """The same without the form, by what it sends; the page goes to a room of the scene, if one is named."""
    visitor = Client()
    visitor.cookies[settings.SESSION_COOKIE_NAME] = next(
        each["value"] for each in page.context.cookies() if each["name"] == settings.SESSION_COOKIE_NAME
    )
    pictures = [upload(name.replace("__", "-") + ".png", data) for name, data in files.items()]
    asked = {"title": "Quarry", "width": width, "height": height, "files": pictures}
    answer = visitor.post("/scenes/new/", asked)
    base = "/".join(page.url.split("/")[:3]) + answer.url.split("/art/")[0]
    if room:
        page.goto(f"{base}/{room}/")
    return base


def drag_sheet(page, layer: str, by: float) -> None:
    """Drag a sheet of the plan `by` pixels along depth, with the mouse, over its line."""
    box = page.locator(f"#sheet-{layer} .grab").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + 14
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, 6):
        page.mouse.move(x + by * step / 5, y)
    page.mouse.up()


def test_the_whole_job(newcomer, worker, tmp_path) -> None:
    page = newcomer
    base = make_by_hand(
        page,
        **{
            "1__back": png(360, 220, 1),
            "2__middle": png(420, 240, 2, clear_left=200),
            "3__front": png(500, 260, 3, clear_left=380),
        },
    )
    expect(page.locator(".art-table tbody tr")).to_have_count(3)

    # depths by dragging: the front towards the eye, the back away from it
    page.goto(f"{base}/depth/")
    before = {layer.id: layer.depth for layer in head().layers}
    drag_sheet(page, "back", 60)
    expect(page.locator("#readout .revision")).to_contain_text("Back at depth")
    drag_sheet(page, "front", -50)
    expect(page.locator("#readout .revision")).to_contain_text("Front at depth")
    scene = head()
    assert scene.layer("back").depth > before["back"] and scene.layer("front").depth < before["front"]
    shown = float(page.locator("#f-rate").input_value())
    assert shown == pytest.approx(rate_of(scene.layer("front").depth, scene.lens_distance), abs=0.002)

    # the scroll moves the camera: the verdict finds the gap
    page.goto(f"{base}/motion/")
    page.fill("#end-scroll-x", "150 px")
    page.keyboard.press("Tab")
    expect(page.locator("#verdict")).to_contain_text("gap")

    # the proof: go there, see it marked, fix it with one click
    page.click("#verdict")
    page.wait_for_url("**/proof/**")
    finding = page.locator(".finding.error").first
    finding.locator("button.go").click()
    expect(page.locator("#marks rect.error")).to_have_count(1)
    assert page.locator("#scroll-value").inner_text() == "1.000"
    rect = page.locator("#marks rect.error").bounding_box()
    view = page.locator("[class$=-stage]").bounding_box()
    assert rect["x"] + rect["width"] == pytest.approx(view["x"] + view["width"], abs=4), (
        "marked at the view's right edge"
    )
    finding.locator("[data-fix=scale]").first.click()
    expect(page.locator("#verdict")).not_to_contain_text("gap")

    # export the page, open it from the disk, measure it against the core
    page.goto(f"{base}/export/")
    page.click("text=Export the web page")
    expect(page.locator(".export-row.done")).to_have_count(1)
    with page.expect_download() as download:
        page.click(".export-row.done a")
    with zipfile.ZipFile(download.value.path()) as archive:
        archive.extractall(tmp_path / "out")
    page.set_viewport_size({"width": 320, "height": 180})
    page.goto(next((tmp_path / "out").rglob("index.html")).as_uri())
    scene = head()
    for scroll in (0.0, 0.5, 1.0):
        page.evaluate(f"scrollTo(0, {scroll * scene.drivers.scroll.length})")
        shot(page)
        seen = quads(page)
        for placement in stage_at(scene, State(scroll)).sheets:
            wanted = project(placement.matrix[0], corners(placement.layer))[0]
            assert np.abs(seen[placement.layer.id] - wanted).max() < 0.1, (placement.layer.id, scroll)


def test_the_editors_view_is_where_the_core_says(visitor) -> None:
    page = visitor
    make_scene(page, "motion", **{"1__back": png(400, 240, 1), "2__front": png(400, 240, 2)})
    page.fill("#end-scroll-x", "60")
    page.keyboard.press("Tab")
    expect(page.locator("#readout .revision")).to_contain_text("Camera x")
    page.locator("#scroll-runner").fill("0.7")
    page.locator("#pointer-pad").focus()
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    expect(page.locator("#pointer-value")).to_have_text("0.25, 0.00")
    shot(page)
    scene, box = head(), page.locator("[class$=-stage]").bounding_box()
    scale, seen = box["width"] / 320, quads(page)
    for placement in stage_at(scene, State(0.7, (0.25, 0.0))).sheets:
        wanted = project(placement.matrix[0], corners(placement.layer))[0] * scale + [box["x"], box["y"]]
        assert np.abs(seen[placement.layer.id] - wanted).max() < 0.1


def test_everything_in_depth_by_keyboard(visitor) -> None:
    page = visitor
    base = make_scene(page, **{"1__back": png(400, 240, 1), "2__front": png(400, 240, 2)})
    page.goto(f"{base}/depth/?layer=back")
    page.locator("#sheet-back").focus()
    rate = float(page.locator("#sheet-back").get_attribute("aria-valuenow"))
    page.keyboard.press("ArrowLeft")
    expect(page.locator("#f-rate")).to_have_value(f"{rate + 0.01:.3f}".rstrip("0"))
    expect(page.locator("#sheet-back")).to_be_focused()
    page.keyboard.press("Control+z")
    expect(page.locator("#f-rate")).to_have_value(f"{rate:.3f}".rstrip("0"))
    page.locator("#f-depth").fill("infinite")
    page.keyboard.press("Enter")
    expect(page.locator("#card-back .place")).to_contain_text("∞")
    page.locator("#f-depth").fill("banana")
    page.keyboard.press("Tab")
    expect(page.locator("#toast")).to_contain_text("is not a number")
    assert page.locator("#f-depth").input_value() == "banana", "what was typed stays"
    page.locator("#card-back").focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#readout h2")).to_have_text("Front")
    page.locator("#f-focal").focus()
    page.keyboard.press("ArrowUp")
    expect(page.locator("#f-focal")).to_have_value("51 mm")
    page.keyboard.press("Escape")
    page.locator(".drawing-note").click()  # out of the field
    page.keyboard.press("4")
    page.wait_for_url("**/motion/**")


def test_a_wrong_file_is_named_and_what_was_typed_is_kept(listed) -> None:
    page = listed
    drop(page, {"notes.png": b"not a picture"})
    expect(page.locator("[data-chosen]")).to_have_text("notes.png")
    page.fill("#title", "Kept")
    page.click("text=Make the scene")
    expect(page.locator(".new-scene .said")).to_contain_text("notes.png: is not a PNG, JPEG")
    assert page.input_value("#title") == "Kept"


def test_two_windows_do_not_overwrite_each_other(visitor) -> None:
    page = visitor
    base = make_scene(page, **{"1__back": png(400, 240, 1), "2__front": png(400, 240, 2)})
    page.goto(f"{base}/depth/?layer=back")
    other = page.context.new_page()
    other.goto(f"{base}/depth/?layer=back")
    for window, depth in ((page, "300"), (other, "700")):
        window.fill("#f-depth", depth)
        window.keyboard.press("Enter")
        expect(window.locator("#readout .revision")).to_contain_text("depth 300")
    expect(other.locator("#toast")).to_contain_text("changed the same meanwhile")
    assert head().layer("back").depth == 300


@pytest.mark.parametrize("width", [1024, 1280])
def test_rooms_fit_the_window_and_pass_the_accessibility_checker(visitor, width: int) -> None:
    page = visitor
    base = make_scene(page, **{"1__back": png(330, 190, 1), "2__front": png(400, 240, 2, clear_left=120)})
    page.set_viewport_size({"width": width, "height": 800})
    axe = (ROOT / "tests/node/node_modules/axe-core/axe.min.js").read_text()
    for room in ("art", "depth", "motion", "proof", "export"):
        page.goto(f"{base}/{room}/")
        expect(page.locator("[class$=-stage]")).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= width, room
        bar = page.locator(".bar").evaluate("(bar) => bar.scrollWidth - bar.clientWidth")
        assert bar <= 0, f"the bar of {room} does not fit in {width} px"
        session = page.context.new_cdp_session(page)
        session.send("Runtime.evaluate", {"expression": axe})
        found = session.send("Runtime.evaluate", {
            "expression": "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']}).then((r) => JSON.stringify(r.violations.map((v) => [v.id, v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160))])))",
            "awaitPromise": True, "returnByValue": True,
        })  # fmt: skip
        assert json.loads(found["result"]["value"]) == [], room
