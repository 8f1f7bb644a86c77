"""Two windows on one scene: what one does shows in the other, with who is there; what is typed there stays."""

import pytest
from playwright.sync_api import expect

from clinamen.scenes.models import Scene, Share
from clinamen.shared import live
from tests.browser.conftest import Held
from tests.conftest import fresh_context, until
from tests.web.conftest import png, upload

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def lines(settings):
    """Pages hear of what others do."""
    settings.LIVE = True
    yield
    live.stop()


@pytest.fixture
def windows(visitor, chromium, live_server, lines, django_user_model, client):
    """Ada's and Ben's windows on a scene of Ada's."""
    ada = django_user_model.objects.get()
    ben = django_user_model.objects.create_user("ben", password="another-passphrase")
    client.force_login(ada)
    files = [upload(f"{n}-layer.png", png(seed=n)) for n in (1, 2)]
    client.post("/scenes/new/", {"title": "Two", "width": "320", "height": "180", "files": files})
    scene = Scene.objects.get()
    Share.objects.create(scene=scene, account=ben, may="edit")
    client.force_login(ben)
    context = fresh_context(chromium, viewport={"width": 1280, "height": 800})
    context.add_cookies([{"name": "sessionid", "value": client.cookies["sessionid"].value, "url": live_server.url}])
    other = context.new_page()
    for page in (visitor, other):
        page.goto(f"{live_server.url}/scenes/{scene.pk}/depth/")
        page.wait_for_selector("#desk[data-live=heard]")
    yield visitor, other, scene
    context.close()


def test_a_change_shows_in_the_other_window_with_whose_it_is(windows) -> None:
    ada, ben, _ = windows
    ada.wait_for_selector("#present .present >> text=Be")
    ben.fill("input.title", "Of Ben")
    ben.keyboard.press("Tab")
    until(ada, "() => document.getElementById('heard').textContent.includes('ben: Renamed to Of Ben')")
    assert ada.locator("#undo").is_disabled(), "it is not Ada's to take back"
    assert not ben.locator("#undo").is_disabled()
    ben.locator(".rung").first.click()
    until(ada, "() => document.querySelector('#present .present').title.includes('at ')")


def test_what_is_being_typed_is_not_taken_away(windows) -> None:
    ada, ben, scene = windows
    field = ada.locator("input.title")
    field.click()
    ada.keyboard.type(" and more")
    ben.locator(".rung").first.focus()
    ben.keyboard.press("ArrowUp")
    until(ben, "() => !document.getElementById('undo').disabled")
    ada.wait_for_timeout(600)
    assert field.input_value() == "Two and more"
    ada.keyboard.press("Tab")
    until(ada, "() => document.getElementById('undo').title.includes('Two and more')")
    scene.refresh_from_db()
    assert scene.title == "Two and more" and scene.revisions.filter(refused=False).count() == 3, "both stand"


def test_a_hand_does_not_wait_for_what_others_did(windows) -> None:
    ada, ben, scene = windows
    Held(ada, "**/desk/?**follows=1**")
    ben.fill("input.title", "Of Ben")
    with ada.expect_request("**/desk/?**follows=1**"):
        ben.keyboard.press("Tab")
    ada.locator(".rung").first.focus()
    ada.keyboard.press("ArrowUp")
    until(ada, "() => !document.getElementById('undo').disabled")
    until(ada, "() => document.querySelector('input.title').value === 'Of Ben'")
    scene.refresh_from_db()
    assert scene.title == "Of Ben" and scene.revisions.filter(refused=False).count() == 3, "both stand"


def test_presses_before_and_after_what_others_did_are_all_kept(windows) -> None:
    ada, ben, _ = windows
    rung, answers = ada.locator(".rung").first, []
    before = float(rung.get_attribute("aria-valuenow"))

    def answered(route) -> None:
        answers.append((route, route.fetch()))
        if len(answers) > 1:
            route.fulfill(response=answers[-1][1])

    ada.route("**/edit/depth/", answered)
    Held(ada, "**/desk/?**follows=**")
    rung.focus()
    ada.keyboard.press("ArrowUp")
    until(
        ben,
        "(before) => Math.abs(document.querySelector('.rung').getAttribute('aria-valuenow') - before) > 0.005",
        before,
    )
    ben.fill("input.title", "Of Ben")
    ben.keyboard.press("Tab")
    until(ben, "() => !document.getElementById('undo').disabled")
    ada.wait_for_timeout(600)  # the word of it stands in the line, behind the answer to the first press
    ada.keyboard.press("ArrowUp")
    route, answer = answers[0]
    route.fulfill(response=answer)
    ada.wait_for_timeout(200)
    ada.keyboard.press("ArrowUp")
    until(ada, "() => document.querySelector('input.title').value === 'Of Ben'")
    until(
        ada,
        "(before) => Math.abs(document.querySelector('.rung').getAttribute('aria-valuenow') - before) > 0.025",
        before,
    )
    assert len(answers) == 3, "three presses, three edits"


def test_a_window_that_nobody_sees_catches_up_when_it_is_looked_at(windows) -> None:
    ada, ben, _ = windows
    asked: list[str] = []
    ada.on("request", lambda request: asked.append(request.url))
    hide = """(hidden) => { Object.defineProperty(document, 'hidden', {value: hidden, configurable: true});
                            document.dispatchEvent(new Event('visibilitychange')); }"""
    ada.evaluate(hide, True)
    ben.fill("input.title", "Of Ben")
    ben.keyboard.press("Tab")
    until(ben, "() => !document.getElementById('undo').disabled")
    ada.wait_for_timeout(600)
    assert not [url for url in asked if "/desk/" in url]
    ada.evaluate(hide, False)
    until(ada, "() => document.querySelector('input.title').value === 'Of Ben'")


def comment(page, text: str) -> None:
    page.click("#comments-fold summary")
    page.fill("#comment-text", text)
    page.click("[data-comment-form] button")
    page.wait_for_selector(f".comment >> text={text}")


def test_comments_are_counted_where_they_are_not_written(windows) -> None:
    ada, ben, _ = windows
    comment(ada, "Too near")
    until(ben, "() => document.getElementById('comments-count').textContent.includes('1')")


def test_what_is_being_written_stays_while_something_else_is_answered(windows) -> None:
    ada, ben, _ = windows
    comment(ada, "Too near")
    ada.fill("#comment-text", "Half a sent")
    reply = ada.locator(".comment-does [name=text]")
    reply.fill("It is mended")
    reply.press("Enter")
    expect(ada.locator(".reply")).to_contain_text("It is mended")
    expect(ada.locator("#comment-text")).to_have_value("Half a sent")
    expect(ada.locator(".comment-does [name=text]")).to_have_value("")
    ada.evaluate("document.activeElement.blur()")
    ben.click("#comments-fold summary")
    ben.locator(".comment-does [name=text]").fill("x")
    ben.locator(".comment-does [name=text]").press("Enter")
    expect(ada.locator(".reply")).to_have_count(2)
    expect(ada.locator("#comment-text")).to_have_value("Half a sent")


def test_what_is_said_of_a_finding_stands_beside_it_until_it_is_settled(windows) -> None:
    ada, ben, scene = windows
    ada.goto(f"{ada.url.split('/scenes/')[0]}/scenes/{scene.pk}/depth/?layer={scene.head.document['layers'][-1]['id']}")
    finding = ada.locator("[data-finding]").first
    finding.locator("[data-go]").first.click()
    ada.click("#comments-fold summary")
    ada.fill("#comment-text", "Meant to be open here")
    ada.check("[data-comment-form] input[value=finding]")
    ada.click("[data-comment-form] button")
    expect(finding.locator(".said-here")).to_contain_text("ada Meant to be open here")
    ben.goto(ada.url.replace("/depth/", "/proof/"))
    named = finding.get_attribute("data-finding")
    expect(ben.locator(f'.findings [data-finding="{named}"] .said-here')).to_contain_text("Meant to be open here")
    ada.click("#comments button:has-text('Settled')")
    expect(finding.locator(".said-here")).to_have_count(0)
