"""Where in a page a scene moves: pinned or going by, down or across, begun early or late, several on one page; and how pointer
and clock are taken up there. Measured in Chromium against the core."""

import numpy as np
import pytest

from clinamen.core.errors import BadEdit
from clinamen.core.exports import EXPORTS, Told
from clinamen.core.motion.settling import aimed
from clinamen.core.motion.states import State
from tests.browser.test_exported_page import NO_TIMELINES, without_timelines
from tests.conftest import page_files, shelf_of
from tests.outside.test_css import ART, SLIDES, expected, made_scene
from tests.seen import quads

FRAME = "() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"


def driven(**drivers):
    """The measured scene with these drivers alone."""
    made = made_scene([track for track in SLIDES if track["driver"] in drivers])
    return type(made).model_validate({**made.to_json(), "drivers": drivers})


def put(folder, files):
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    return (folder / "index.html").as_uri()


def among(folder, lead: int, trail: int, axis: str = "y") -> None:
    """Other sections of the page before and after the scene."""
    size = "width:{0}px;height:800px" if axis == "x" else "height:{0}px"
    page = folder / "index.html"
    text = page.read_text().replace("<main>", f'<main><div style="{size.format(lead)};flex:none"></div>')
    page.write_text(text.replace("</main>", f'<div style="{size.format(trail)};flex:none"></div></main>'))


CASES = [
    {"length": 2000},
    {"length": 1500, "begin": 300, "end": 200},
    {"length": 1500, "begin": -400, "end": -300},
    {"length": 1000, "pinned": False, "begin": -500},
    {"length": 2000, "axis": "x", "begin": 100},
]


@pytest.mark.parametrize("timelines", [True, False], ids=["timelines", "script"])
@pytest.mark.parametrize("scroll", CASES, ids=["pinned", "late", "early", "going by", "across"])
def test_the_motion_begins_and_ends_where_the_document_says(page, tmp_path, scroll: dict, timelines: bool) -> None:
    made = driven(scroll=scroll)
    address = put(tmp_path, page_files(made, ART))
    driver, lead = made.drivers.scroll, 1700
    across = driver.axis == "x"
    among(tmp_path, lead, 3000, driver.axis)
    if not timelines:
        without_timelines(tmp_path)
        page.add_init_script(NO_TIMELINES)
    page.goto(address)
    page.wait_for_selector("[data-loaded]")
    for share in (-0.1, 0.0, 0.37, 0.8, 1.0, 1.1):
        at = lead + driver.begin + share * driver.length  # of the page, when the motion is this far
        page.evaluate("([x, y]) => scrollTo(x, y)", [at, 0] if across else [0, at])
        page.evaluate(FRAME)
        gone = at - lead  # past where the scene fills the window
        moved = -gone if gone < 0 else min(0.0, driver.held - gone)  # how far the page has carried the scene itself
        seen, wanted = quads(page), expected(made, State(min(1.0, max(0.0, share))))
        for name, corner in wanted.items():
            carried = corner + ([moved, 0] if across else [0, moved])
            assert np.abs(seen[name] - carried).max() < 0.1, (name, share)


def test_the_player_goes_to_a_place_of_the_scroll(page, tmp_path) -> None:
    made = driven(scroll={"length": 1000, "pinned": False, "begin": -300})
    address = put(tmp_path, page_files(made, ART))
    among(tmp_path, 2000, 2000)
    page.goto(address)
    page.evaluate("document.querySelector('[data-scene]').player.seek({scroll: 0.6})")
    page.wait_for_function("scrollY === 2300")
    assert page.evaluate("document.querySelector('[data-scene]').player.progress") == pytest.approx(0.6, abs=1e-3)


def test_a_plain_wheel_scrolls_a_page_that_goes_across(page, tmp_path) -> None:
    page.goto(put(tmp_path, page_files(driven(scroll={"length": 2000, "axis": "x"}), ART)))
    page.mouse.move(600, 400)
    page.mouse.wheel(0, 500)
    page.wait_for_function("scrollX === 500")


def test_who_wants_less_motion_scrolls_no_way_across(page, tmp_path) -> None:
    page.emulate_media(reduced_motion="reduce")
    page.goto(put(tmp_path, page_files(driven(scroll={"length": 2000, "axis": "x"}), ART)))
    assert page.evaluate("document.documentElement.scrollWidth") == 1280


@pytest.mark.parametrize("returns", [True, False])
def test_the_pointer_has_a_dead_zone_and_stays_or_goes_back(page, tmp_path, returns: bool) -> None:
    pointer = {"reach_x": 40, "reach_y": 25, "settle": 0.05, "dead_zone": 0.25, "returns": returns}
    made = driven(pointer=pointer)
    page.goto(put(tmp_path, page_files(made, ART)))
    page.wait_for_selector("[data-loaded]")
    aim = "() => { const {tu, tv, busy} = document.querySelector('[data-scene]').player.spring; return busy ? null : [tu, tv]; }"
    for u, v in ((0.1, -0.2), (0.5, -0.25), (-0.95, 0.75)):
        page.mouse.move((u + 1) * 640, (v + 1) * 400)
        wanted = aimed(np.array([u, v]), 0.25)
        page.wait_for_function(
            f"(wanted) => {{ const at = ({aim})(); return at && Math.hypot(at[0] - wanted[0], at[1] - wanted[1]) < 0.003; }}",
            arg=wanted.tolist(),
        )
        seen = quads(page)
        for name, corner in expected(made, State(pointer=tuple(page.evaluate(aim)))).items():
            assert np.abs(seen[name] - corner).max() < 0.1, name
    page.evaluate("document.documentElement.dispatchEvent(new PointerEvent('pointerleave'))")
    page.wait_for_function(f"() => !!({aim})()")
    assert (page.evaluate(aim) == [0, 0]) == returns


@pytest.mark.parametrize("timelines", [True, False], ids=["timelines", "script"])
def test_the_clock_waits_until_the_scene_is_seen(page, tmp_path, timelines: bool) -> None:
    made = driven(time={"duration": 8, "start": "seen"})
    address = put(tmp_path, page_files(made, ART))
    among(tmp_path, 3000, 0)
    if not timelines:
        without_timelines(tmp_path)
        page.add_init_script(NO_TIMELINES)
    page.goto(address)
    page.wait_for_selector("[data-loaded]")
    for _ in range(10):  # frames that must not count
        page.evaluate(FRAME)
    down = np.array([0, 3000])
    for name, corner in expected(made, State()).items():
        assert np.abs(quads(page)[name] - corner - down).max() < 0.1, name
    page.evaluate("scrollTo(0, 2900)")
    page.wait_for_selector("[data-scene]:not([data-unseen])")
    turned = "document.querySelector('[data-layer=isle]').getBoundingClientRect().width"
    before = page.evaluate(turned)
    page.wait_for_function(f"(before) => Math.abs({turned} - before) > 0.2", arg=before)


def test_several_scenes_share_a_page_each_with_its_own_way(page, tmp_path) -> None:
    one, two = driven(scroll={"length": 1000}), driven(scroll={"length": 600, "begin": 100})
    web = EXPORTS["web"]
    files = web.build(one, shelf_of(ART), web.options(), Told(), [(two, shelf_of(ART)), (one, shelf_of(ART))])
    page.goto(put(tmp_path, files))
    page.wait_for_function("document.querySelectorAll('[data-loaded]').length === 3")
    assert page.evaluate("[...document.images].every((image) => image.complete && image.naturalWidth > 0)")
    assert (
        len(
            {own for own in page.evaluate("[...document.querySelectorAll('[data-scene]')].map((s) => s.dataset.scene)")}
        )
        == 3
    )
    tops = [0, 1000 + 800, 1000 + 800 + 700 + 800]
    for number, (made, top) in enumerate(zip((one, two, one), tops, strict=True)):
        driver = made.drivers.scroll
        page.evaluate("(at) => scrollTo(0, at)", top + driver.begin + 0.45 * driver.length)
        page.evaluate(FRAME)
        place = page.evaluate(
            f"() => {{ const box = document.querySelectorAll('[data-scene]')[{number}].querySelector('[data-layer=back]').getBoundingClientRect(); return [box.x, box.y]; }}"
        )
        assert np.abs(np.array(place) - expected(made, State(0.45))["back"][0]).max() < 0.1
    names = [row["layer"] for row in web.budget(files)[0]["layers"]]
    assert len(names) == 12 and "isle" in names and "isle (Measured)" in names


def test_scenes_that_scroll_different_ways_cannot_share_a_page() -> None:
    web, down, across = EXPORTS["web"], driven(scroll={"length": 900}), driven(scroll={"length": 900, "axis": "x"})
    with pytest.raises(BadEdit, match="let both scroll the same way to share a page"):
        web.build(down, shelf_of(ART), web.options(), Told(), [(across, shelf_of(ART))])


def test_a_scene_without_a_scroll_stands_beside_one_that_goes_across(page, tmp_path) -> None:
    still, across = driven(time={"duration": 8}), driven(scroll={"length": 600, "axis": "x"})
    web = EXPORTS["web"]
    page.goto(put(tmp_path, web.build(still, shelf_of(ART), web.options(), Told(), [(across, shelf_of(ART))])))
    boxes = "[...document.querySelectorAll('[data-scene]')].map((each) => { const box = each.getBoundingClientRect(); return [box.x, box.y, box.width, box.height]; })"
    assert page.evaluate(boxes) == [[0, 0, 1280, 800], [1280, 0, 1880, 800]]
    assert page.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]") == [3160, 800]
