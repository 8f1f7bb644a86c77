"""Films in Chromium: files play to their end, frames are those of the exported page, and a film is asked for and seen in the room."""

import pytest
from playwright.sync_api import expect

from clinamen.core.motion.states import State
from tests.agreement.cases import Case
from tests.agreement.hands import PageHand
from tests.browser.test_whole_job import make_scene
from tests.browser.test_workspace import TWO
from tests.conftest import psnr
from tests.films import HEIGHT, WIDTH, art, decoded, made, shoot

PLAYED = """(source) => new Promise((done) => {
  const film = document.createElement('video');
  Object.assign(film, {muted: true, src: source, playbackRate: 4});
  film.onended = () => done(['ended', film.videoWidth, film.videoHeight, film.duration]);
  film.onerror = () => done(['broken', film.error.message]);
  document.body.append(film);
  film.play();
})"""


@pytest.mark.parametrize(("word", "transparent"), [("mp4", False), ("webm", False), ("webm", True), ("av1", False)])
def test_films_play_to_their_end_in_chromium(page, tmp_path, folder_server, word: str, transparent: bool) -> None:
    name = f"film.{ {'av1': 'av1.mp4'}.get(word, word) }"
    shoot(tmp_path / name, made(), format=word, transparent=transparent)
    (tmp_path / "index.html").write_text("<!doctype html><link rel=icon href=data:,><title>Film</title>")
    page.goto(folder_server(tmp_path))
    ended, width, height, seconds = page.evaluate(PLAYED, name)
    assert (ended, width, height) == ("ended", WIDTH, HEIGHT) and seconds == pytest.approx(2, abs=0.005)


def test_frames_are_what_the_exported_page_shows_at_their_times(page, tmp_path) -> None:
    scene = made()
    case = Case("film", scene, tuple(State(time=number / 25) for number in (0, 7, 19, 25, 38, 49)), art=art())
    shoot(tmp_path / "film.mkv", scene, format="mkv")
    frames, hand = decoded(tmp_path / "film.mkv"), PageHand(page, tmp_path)
    page.set_viewport_size({"width": WIDTH, "height": HEIGHT})
    hand.take(case)
    for state in case.states:
        seen, _ = hand.at(state)
        assert psnr(frames[round(state.time * 25)][..., :3], seen) >= 38, state


@pytest.mark.django_db(transaction=True)
def test_a_film_is_asked_for_watched_and_played_in_the_room(visitor, worker) -> None:
    page = visitor
    make_scene(page, "export", **TWO)
    card = page.locator("form.export-card:has(input[value=film])")
    card.locator(".choices summary").click()
    assert card.locator("#film-over").input_value() == "scroll", "a scene that only scrolls is played over that"
    card.locator("#film-over").select_option("time")
    card.locator("#film-seconds").fill("")
    card.locator("button.main-button").click()
    expect(page.locator("#exports")).to_contain_text("seconds: the scene has no time; say how many seconds to film")
    card.locator("#film-seconds").fill("many")
    card.locator("button.main-button").click()
    expect(page.locator("#exports")).to_contain_text("Seconds: 'many' is not a number")
    assert card.locator("#film-seconds").input_value() == "many", "what was typed stays"
    card.locator("#film-seconds").fill("1.2")
    card.locator("#film-format").select_option("webm")
    card.locator("button.main-button").click()
    expect(page.locator(".export-row.done")).to_contain_text("30 frames, 1.2 s at 25 frames a second")
    film = page.locator(".export-row.done video")
    film.evaluate("(film) => { film.loop = false; film.play(); }")
    expect(film).to_have_js_property("ended", True)
    film.evaluate("(film) => { film.currentTime = 0.4; }")
    expect(film).to_have_js_property("currentTime", 0.4)
    assert film.evaluate("(film) => film.duration") == pytest.approx(1.2, abs=0.005)
    card.locator("button[name=draft]").click()
    expect(page.locator(".export-row.done")).to_have_count(2)
    expect(page.locator(".export-row.done").first).to_contain_text("a draft")
    page.on("dialog", lambda asked: asked.accept())
    page.locator(".export-row.done").first.locator("button[aria-label='Take this export away']").click()
    expect(page.locator(".export-row")).to_have_count(1)
