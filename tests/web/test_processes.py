"""What processes share: what a page holds, findings, opaque sets; proofs worked out elsewhere."""

import re
import shutil
import threading
import time
from contextlib import nullcontext
from datetime import timedelta
from pathlib import Path

import pytest
from django.db import OperationalError, transaction
from django.http import HttpResponse
from django.urls import resolve
from django.utils import timezone

from clinamen.core.bounds import opaque as opaque_sets
from clinamen.core.checks import prove_subject
from clinamen.core.pictures import shelf
from clinamen.scenes import answering, documents, presence, proving
from clinamen.scenes.models import Presence, Scene
from clinamen.scenes.rooms import desk
from clinamen.shared import hearing, turns
from clinamen.shared.memory import Shared, forget, opened, sealed
from clinamen.shared.models import Remembered
from clinamen.site.patient.base import STILL
from tests.web.test_answers import Page, crowd, swapped  # noqa: F401

pytestmark = pytest.mark.django_db


@pytest.fixture
def shares(settings) -> None:
    settings.SHARES = True


def as_another_process() -> None:
    """What this process keeps itself is gone."""
    answering._held.own.clear()
    desk._proofs.own.clear()
    proving._found.clear()
    documents.forget()


def test_what_a_page_holds_is_known_to_every_process(visitor, crowd, shares) -> None:  # noqa: F811
    page = Page(visitor, crowd)
    page.edit("depth", layer="layer-12", rate="0.31")
    as_another_process()
    ids = swapped(page.edit("depth", layer="layer-12", rate="0.32"))
    assert "row-layer-12" in ids and "ladder" not in ids, "only what changed"


def test_a_proof_that_one_process_made_is_not_made_by_another(visitor, crowd, shares, monkeypatch) -> None:  # noqa: F811
    Page(visitor, crowd)
    as_another_process()

    def never(subject):
        raise AssertionError("proved twice")

    monkeypatch.setattr(proving, "prove_subject", never)
    assert "verdict" in visitor.get(f"/scenes/{crowd.pk}/proof/").content.decode()


def test_the_others_are_told_what_a_page_holds_when_that_is_something_else(made, monkeypatch) -> None:
    told: list[str] = []
    monkeypatch.setattr(presence.live, "tell", lambda about, kind: told.append(kind))
    Presence.objects.create(scene=made, page="a", room="depth", layer="front", seen=timezone.now())
    for layer, process in (("front", 1), ("front", 2), ("middle", 2), ("middle", 2), ("middle", 3)):
        if process != 2:
            presence._held.clear()
        presence.holds(made, "a", desk.Choice("depth", layer))
    assert told == ["present"]


def test_what_a_page_holds_is_told_though_the_first_answer_was_overtaken(transactional_db, made) -> None:
    Presence.objects.create(scene=made, page="late", room="depth", layer="front", seen=timezone.now())
    with pytest.raises(LookupError), transaction.atomic():
        presence.holds(made, "late", desk.Choice("depth", "middle"))
        raise LookupError
    assert Presence.objects.get(page="late").layer == "front"
    presence.holds(made, "late", desk.Choice("depth", "middle"))
    assert Presence.objects.get(page="late").layer == "middle"


def test_what_others_wrote_into_the_table_is_not_opened() -> None:
    data = sealed("page/1", {"a": "b"})
    assert opened("page/1", data) == {"a": "b"}
    assert (
        opened("page/2", data) is None and opened("page/1", data[:-1] + b"x") is None and opened("page/1", b"") is None
    )


def test_what_is_remembered_is_forgotten(shares) -> None:
    memory: Shared[int] = Shared("test", 10)
    memory.put("one", 1, "group", timedelta(0))
    memory.put("two", 2, "group", timedelta(0))
    assert [row.key for row in Remembered.objects.filter(belongs="group")] == ["test/two"], (
        "the older of the group went"
    )
    Remembered.objects.update(made="2020-01-01T00:00Z")
    assert forget() == 1
    memory.own.clear()
    assert memory.found("two") is None


@pytest.fixture
def prover(settings, tmp_path):
    """A prover at work, in a thread of its own."""
    settings.PROVERS, settings.VAR = 1, tmp_path
    threading.Thread(target=proving.serve, args=(0,), daemon=True).start()
    while not Path(proving.address(0)).exists():
        threading.Event().wait(0.01)


def test_a_prover_finds_what_is_found_here(visitor, made, prover, monkeypatch) -> None:
    asked, worked = [], proving._worked_out

    def told(what, subject):
        asked.append(threading.current_thread().name)
        return worked(what, subject)

    monkeypatch.setattr(proving, "_worked_out", told)
    as_another_process()
    elsewhere = desk.Desk(made, desk.Choice()).findings
    assert asked and asked[0] != threading.current_thread().name
    subject = desk.Desk(made, desk.Choice())._subject(False)
    assert [f.key for f in elsewhere] == [f.key for f in prove_subject(subject)]


def test_the_proof_of_an_edit_is_begun_before_the_page_asks_for_it(
    visitor, made, prover, monkeypatch, django_capture_on_commit_callbacks
) -> None:
    begun, worked = [], proving._worked_out

    def told(what, subject):
        begun.append((what.key, threading.current_thread() is not threading.main_thread()))
        return worked(what, subject)

    page = Page(visitor, made)
    monkeypatch.setattr(proving, "_worked_out", told)
    with django_capture_on_commit_callbacks(execute=True):
        page.edit("depth", layer="front", rate="0.43")
        assert not begun, "not while the scene is locked"
    wait_until(lambda: begun)
    page.look(verdict="1")
    assert {key for key, _ in begun} == {desk.Desk(Scene.objects.get(), desk.Choice())._proof_key}
    assert all(elsewhere for _, elsewhere in begun)


def test_without_a_prover_the_proof_is_made_here_and_a_page_does_not_wait_for_it(visitor, made, settings) -> None:
    settings.PROVERS = 2
    desk._proofs.own.clear()
    page = Page(visitor, made)
    assert "data-unproved" in page.text and "Holds everywhere" not in page.text
    verdict = page.look(verdict="1")
    assert "verdict" in swapped(verdict) and re.search(r'class="verdict (holds|warns|fails)"', verdict)
    assert "data-unproved" not in visitor.get(f"/scenes/{made.pk}/depth/").content.decode(), "known now"


@pytest.fixture
def worked(monkeypatch) -> list:
    """The opaque sets that are worked out where pages are made."""
    worked = []

    def counted(*asked):
        worked.append(asked)
        return opaque_sets.opaque_set(*asked)

    monkeypatch.setattr(shelf, "opaque_set", counted)
    return worked


def test_a_page_finds_the_opaque_sets_of_art_that_came_in(visitor, made, worked, monkeypatch) -> None:
    monkeypatch.setattr(shelf, "decode", lambda *_: pytest.fail("no picture is read for them"))
    shelf._pixels.clear()
    for _ in range(2):
        shelf._sets.clear()
        sets = desk.Desk(made, desk.Choice()).sets
    assert worked == [] and [opaque.full for opaque in sets.values()] == [True] * 3


def test_an_opaque_set_that_is_not_kept_any_more_is_worked_out_once_for_all_processes(made, worked, settings) -> None:
    shutil.rmtree(Path(settings.VAR) / "sets")
    for _ in range(3):
        shelf._sets.clear()
        desk.Desk(made, desk.Choice()).sets  # noqa: B018
    assert 0 < len(worked) <= len(desk.Desk(made, desk.Choice()).document.layers)


@pytest.fixture
def asked(rf):
    """Asks for an address behind the turns, and says what came of it."""
    reached, may_end, order = threading.Event(), threading.Event(), []
    proofs: Shared[bool] = Shared("tried", 10)

    def hang(rests: bool) -> bool:
        with turns.resting() if rests else nullcontext():
            reached.set()
            return may_end.wait(30)

    def view(request):
        order.append(request.path)
        if "proof" in request.GET:
            assert proofs.get("one", lambda: hang(rests=True))
        elif "hangs" in request.GET:
            assert hang("rests" in request.GET)
        order.append(f"{request.path} done")
        return HttpResponse()

    middle = turns.Turns(lambda request: middle.process_view(request) or view(request))

    def ask(path: str) -> threading.Thread:
        request = rf.post(path) if "/edit/" in path else rf.get(path)
        request.resolver_match = resolve(request.path)
        thread = threading.Thread(target=middle, args=(request,))
        thread.start()
        return thread

    yield ask, reached, may_end, order
    may_end.set()


def wait_until(true) -> None:
    """Until something is so; at most half a minute."""
    until = time.monotonic() + 30
    while not true():
        assert time.monotonic() < until
        time.sleep(0.001)


SCENE = "/scenes/3f0a5a3e-8a53-4a4f-9d0c-000000000000"


def test_short_answers_are_made_one_after_the_other_and_others_pass(asked, monkeypatch) -> None:
    ask, reached, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 30.0)
    first = ask(f"{SCENE}/desk/?hangs=1")
    assert reached.wait(30)
    second = ask(f"{SCENE}/edit/depth/")
    for passing in ("/alive/", f"{SCENE}/picture.webp"):
        ask(passing).join(30)
    assert f"{SCENE}/edit/depth/" not in order and "/alive/ done" in order and f"{SCENE}/picture.webp done" in order
    may_end.set()
    first.join(30)
    second.join(30)
    assert order[-2:] == [f"{SCENE}/edit/depth/", f"{SCENE}/edit/depth/ done"]


def test_an_edit_goes_before_what_one_looks_at_and_that_before_what_others_changed(asked, monkeypatch) -> None:
    ask, reached, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 30.0)
    first = ask(f"{SCENE}/desk/?hangs=1")
    assert reached.wait(30)
    waiting = []
    for path in (f"{SCENE}/desk/?follows=1", f"{SCENE}/depth/", f"{SCENE}/edit/depth/"):
        waiting.append(ask(path))
        wait_until(lambda: len(turns._short.waiting) == len(waiting))
    may_end.set()
    for thread in (first, *waiting):
        thread.join(30)
    assert order[2::2] == [f"{SCENE}/edit/depth/", f"{SCENE}/depth/", f"{SCENE}/desk/"]


def test_some_pass_one_that_hangs_but_never_all_at_once(asked, monkeypatch) -> None:
    ask, _, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 0.01)
    monkeypatch.setattr(turns, "PASS", 2)
    hanging = [ask(f"{SCENE}/desk/?hangs=1") for _ in range(5)]
    wait_until(lambda: len(turns._short.passing) == 2)
    hanging[0].join(0.2)
    assert len(order) == 3, "the others wait"
    may_end.set()
    for thread in hanging:
        thread.join(30)
    assert len(order) == 10 and not turns._short.have and not turns._short.passing


def test_what_is_asked_within_another_ones_answer_leaves_no_turn_taken(rf, monkeypatch) -> None:
    monkeypatch.setattr(turns._short, "patient", 0.01)

    def view(request):
        if "within" in request.GET:
            asked(rf.get(f"{SCENE}/desk/"))
        return HttpResponse()

    def asked(request):
        request.resolver_match = resolve(request.path)
        return middle(request)

    middle = turns.Turns(lambda request: middle.process_view(request) or view(request))
    asked(rf.get(f"{SCENE}/desk/?within=1"))
    assert not turns._short.have and not turns._short.passing, "who comes next would wait for nobody"


def test_where_the_database_stands_still_nobody_passes_to_wait_for_it_too(asked, monkeypatch) -> None:
    ask, reached, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 0.01)
    monkeypatch.setattr(turns, "SILENT", 0.0)
    with hearing.asked():
        first = ask(f"{SCENE}/desk/?hangs=1")
        assert reached.wait(30)
        second = ask(f"{SCENE}/edit/depth/")
        second.join(0.2)
        assert order == [f"{SCENE}/desk/"]
    second.join(30)
    assert order[-1] == f"{SCENE}/edit/depth/ done", "an answer came to somebody: it is not the database"
    may_end.set()
    first.join(30)


def test_when_one_has_given_up_on_the_database_others_are_told_without_waiting(monkeypatch) -> None:
    monkeypatch.setattr(hearing, "_heard", hearing._Heard())
    hearing.gave_up()
    with pytest.raises(OperationalError, match=STILL):
        Remembered.objects.count()
    monkeypatch.setattr(hearing, "_heard", hearing._Heard())
    assert Remembered.objects.count() >= 0


def test_who_waits_for_what_another_asks_a_prover_keeps_nobody_waiting(asked, monkeypatch) -> None:
    ask, reached, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 30.0)
    both = [ask(f"{SCENE}/desk/?proof=1")]
    assert reached.wait(30)
    both.append(ask(f"{SCENE}/desk/?proof=1"))
    wait_until(lambda: len(order) == 2)
    ask(f"{SCENE}/edit/depth/").join(30)
    assert order[-1] == f"{SCENE}/edit/depth/ done"
    may_end.set()
    for thread in both:
        thread.join(30)
    assert order[-2:] == [f"{SCENE}/desk/ done"] * 2


def test_who_waits_for_a_prover_keeps_nobody_waiting_and_waits_for_a_turn_after(asked, monkeypatch) -> None:
    ask, reached, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 30.0)
    verdict = ask(f"{SCENE}/desk/?hangs=1&rests=1")
    assert reached.wait(30)
    ask(f"{SCENE}/edit/depth/").join(30)
    assert order[-1] == f"{SCENE}/edit/depth/ done" and f"{SCENE}/desk/ done" not in order
    anothers = turns._short.take(turns.EDITS)
    may_end.set()
    verdict.join(0.2)
    assert f"{SCENE}/desk/ done" not in order, "another has the turn"
    turns._short.give_back(anothers)
    verdict.join(30)
    assert order[-1] == f"{SCENE}/desk/ done"


def test_behind_an_answer_that_hangs_nobody_hangs_for_long(asked, monkeypatch) -> None:
    ask, reached, may_end, order = asked
    monkeypatch.setattr(turns._short, "patient", 0.01)
    first = ask(f"{SCENE}/desk/?hangs=1")
    assert reached.wait(30)
    ask(f"{SCENE}/edit/depth/").join(30)
    assert order[-1] == f"{SCENE}/edit/depth/ done" and f"{SCENE}/desk/ done" not in order
    may_end.set()
    first.join(30)
    monkeypatch.setattr(turns._short, "patient", 30.0)
    ask(f"{SCENE}/desk/").join(30)
    assert order[-1] == f"{SCENE}/desk/ done", "each turn was given back once"
