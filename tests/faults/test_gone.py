"""What stands around the application goes away: the answer names the cause and what is safe, and what was sent can be sent again."""

import errno
import logging
import re
import socket
from types import SimpleNamespace
from typing import Any

import psycopg
import pytest
from django.db import InterfaceError, OperationalError, connections
from django.test import Client, override_settings

from clinamen.exports import views as export_views
from clinamen.scenes import views
from clinamen.shared import hearing
from clinamen.site import ready as readiness
from clinamen.site.faults import cause_of
from clinamen.site.logs import NoTrail, SaidOnce
from clinamen.site.patient import base
from clinamen.site.patient.base import STILL, DatabaseWrapper

SAFE = "All that was saved is safe"


def raises(error: BaseException):
    def view(*args: object, **kwargs: object) -> None:
        raise error

    return view


def state(code: str) -> OperationalError:
    error = OperationalError("no")
    error.__cause__ = psycopg.errors.lookup(code)("no")
    return error


@pytest.mark.parametrize(
    ("error", "title", "status"),
    [
        (OperationalError("connection refused"), "The database does not answer", 503),
        (InterfaceError("the connection is closed"), "The database does not answer", 503),
        (state("57014"), "That took too long", 503),
        (state("55P03"), "Somebody else is at it", 503),
        (state("53100"), "The disk is full", 507),
        (OSError(errno.ENOSPC, "No space left on device"), "The disk is full", 507),
        (OSError(errno.EDQUOT, "Disk quota exceeded"), "The disk is full", 507),
        (KeyError("depth"), "Something went wrong", 500),
    ],
)
def test_every_cause_is_said_in_words_on_a_page_and_to_a_page(visitor, made, monkeypatch, error, title, status) -> None:
    visitor.raise_request_exception = False
    monkeypatch.setattr(views, "desk_of", raises(error))
    page = visitor.get(f"/scenes/{made.pk}/depth/")
    text = page.content.decode()
    assert page.status_code == status and f"<h1>{title}</h1>" in text and SAFE in text and "Try again" in text
    assert "Traceback" not in text and type(error).__name__ not in text
    said = visitor.get(f"/scenes/{made.pk}/desk/", headers={"HX-Request": "true"})
    assert (
        said.status_code == status and said.content.decode().startswith(f"{title}. ") and SAFE in said.content.decode()
    )


def test_a_cause_is_found_beneath_what_was_made_of_it() -> None:
    try:
        try:
            raise OperationalError("gone")
        except OperationalError as error:
            raise ValueError("could not read") from error
    except ValueError as error:
        assert cause_of(error).title == "The database does not answer"


def test_what_a_form_sent_can_be_sent_again_but_no_password_is_put_into_a_page(visitor, made, monkeypatch) -> None:
    visitor.raise_request_exception = False
    with monkeypatch.context() as broken:
        broken.setattr(export_views, "scene_of", raises(OperationalError("gone")))
        page = visitor.post(f"/scenes/{made.pk}/exports/new/", {"kind": "web", "note": "a <b> & c"}).content.decode()
    assert "Send it again" in page and 'name="note" value="a &lt;b&gt; &amp; c"' in page
    sent = dict(re.findall(r'type="hidden" name="(\w+)" value="([^"]*)"', page))
    assert sent["kind"] == "web" and sent["csrfmiddlewaretoken"]
    assert visitor.post(f"/scenes/{made.pk}/exports/new/", sent).status_code == 200
    with monkeypatch.context() as broken:
        broken.setattr("django.contrib.auth.authenticate", raises(OperationalError("gone")))
        broken.setattr("django.contrib.auth.forms.authenticate", raises(OperationalError("gone")))
        page = Client(raise_request_exception=False).post(
            "/sign-in/", {"username": "ada", "password": "a-long-passphrase"}
        )
    assert page.status_code == 503 and "a-long-passphrase" not in page.content.decode()
    assert "Go back in your browser" in page.content.decode()


@pytest.fixture
def patient(db, monkeypatch) -> Any:
    """A connection that waits for 0.3 s."""
    monkeypatch.setattr(hearing, "_heard", hearing._Heard())
    with override_settings(PATIENCE=0.3):
        made = DatabaseWrapper({**connections["default"].settings_dict, "CONN_HEALTH_CHECKS": True})
        yield made
        made.close()


def asks(patient: DatabaseWrapper, question: str) -> Any:
    with patient.cursor() as cursor:
        cursor.execute(question)
        return cursor.fetchone()


@pytest.mark.django_db(transaction=True)
def test_a_database_that_stands_still_is_given_up_on(patient, monkeypatch) -> None:
    monkeypatch.setattr(base, "takes_connections", lambda known: False)
    with pytest.raises(OperationalError, match=STILL):
        asks(patient, "SELECT pg_sleep(1)")
    with pytest.raises(
        OperationalError
    ):  # before the next request: it does not wait for a new connection as long again
        patient.is_usable()
    with pytest.raises(OperationalError, match=STILL):  # nor does anybody else, for a moment
        connections["default"].cursor()
    monkeypatch.setattr(hearing, "_heard", hearing._Heard())
    assert asks(patient, "SELECT 1") == (1,), "a new connection is made for the next"


@pytest.mark.django_db(transaction=True)
def test_one_slow_question_is_said_to_be_slow_and_is_nobody_elses_trouble(patient) -> None:
    with pytest.raises(OperationalError) as slow:
        asks(patient, "SELECT pg_sleep(1)")
    assert cause_of(slow.value).title == "That took too long"
    other = DatabaseWrapper(dict(connections["default"].settings_dict))
    assert asks(other, "SELECT 2") == (2,), "others are answered"
    other.close()
    assert not patient.is_usable()
    patient.close()
    assert asks(patient, "SELECT 1") == (1,)


@pytest.mark.django_db(transaction=True)
def test_whether_a_database_takes_connections(patient) -> None:
    """A socket that is listened on and never answered on stands for a server that stands still."""
    patient.ensure_connection()
    assert base.takes_connections(patient.connection.pgconn)
    with socket.create_server(("127.0.0.1", 0)) as silent:
        known = SimpleNamespace(
            host=b"127.0.0.1", port=str(silent.getsockname()[1]).encode(), db=b"x", user=b"x", password=b""
        )
        assert not base.takes_connections(known)
    assert not base.takes_connections(known), "nor does one that is gone"


def test_ready_names_what_is_not_well(client, db, monkeypatch) -> None:
    assert client.get("/alive/").content == b"alive"
    answer = client.get("/ready/")
    assert answer.status_code == 503
    assert answer.json() == {"database": "well", "store": "well", "worker": "no worker is running"}
    monkeypatch.setattr(readiness, "anybody_works", lambda: True)
    assert client.get("/ready/").status_code == 200
    monkeypatch.setattr(readiness, "LEAST", 10**18)
    assert "MB left" in client.get("/ready/").json()["store"]
    monkeypatch.setattr(readiness, "connection", None)
    told = client.get("/ready/").json()
    assert told["database"].startswith("does not answer") and told["worker"] == "not known without the database"


def test_the_same_fault_is_logged_once_in_a_while_with_how_often_it_came() -> None:
    sieve = SaidOnce(again=1e9)

    def said(error: Exception | None, words: str = "failed", level: int = logging.ERROR) -> logging.LogRecord | None:
        record = logging.LogRecord(
            "site", level, __file__, 1, words, (), (type(error), error, error.__traceback__) if error else None
        )
        return record if sieve.filter(record) else None

    def fault(kind: type[Exception]) -> Exception:
        try:
            raise kind("x")
        except Exception as error:
            return error

    assert said(fault(ValueError)) and not any(said(fault(ValueError)) for _ in range(1000))
    assert said(fault(KeyError)), "another fault"
    assert said(None, "the disk is full") and not said(None, "the disk is full")
    assert said(None, "started", logging.INFO) and said(None, "started", logging.INFO)
    sieve.again = -1
    assert said(fault(ValueError)).left_out == 1000


def test_a_database_that_went_away_is_a_line_and_not_a_trail() -> None:
    for error, trail in ((OperationalError("refused"), False), (ValueError("x"), True)):
        record = logging.LogRecord("site", logging.ERROR, __file__, 1, "failed", (), (type(error), error, None))
        assert NoTrail().filter(record) and bool(record.exc_info) is trail
