"""A live server with a worker beside it, and a signed-in visitor in Chromium."""

import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from typing import Any

import pytest
from django.conf import settings as django_settings
from django.core.signals import request_finished, request_started
from django.db import connection
from django.test import Client
from django.test.client import ClientHandler

from tests.conftest import ROOT
from tests.web.conftest import own_store as own_store


class Requests:
    """How many requests the live server is answering."""

    def __init__(self) -> None:
        self.open, self.lock = 0, threading.Lock()

    def begun(self, sender: Any, **_: Any) -> None:
        self._count(sender, 1)

    def ended(self, sender: Any, **_: Any) -> None:
        self._count(sender, -1)

    def _count(self, sender: Any, by: int) -> None:
        if sender is not ClientHandler:  # the test's own client is no browser
            with self.lock:
                self.open += by


@pytest.fixture(autouse=True)
def answered(request: Any) -> Iterator[None]:
    """The database is emptied when the server has answered all that a page asked for last, as a verdict."""
    if "live_server" not in request.fixturenames:
        yield
        return
    request.getfixturevalue("live_server")
    requests = Requests()
    request_started.connect(requests.begun)
    request_finished.connect(requests.ended)
    yield
    deadline = time.monotonic() + 30
    while requests.open > 0 and time.monotonic() < deadline:
        time.sleep(0.02)
    request_started.disconnect(requests.begun)
    request_finished.disconnect(requests.ended)


@pytest.fixture
def visitor(page: Any, live_server: Any, django_user_model: Any) -> Any:
    """A page of somebody who is signed in, on the least that the server has: most tests go on to a scene of their own."""
    ada = django_user_model.objects.create_user("ada", password="a-long-passphrase")
    client = Client()
    client.force_login(ada)
    cookie = {
        "name": django_settings.SESSION_COOKIE_NAME,
        "value": client.cookies[django_settings.SESSION_COOKIE_NAME].value,
    }
    page.context.add_cookies([{**cookie, "url": live_server.url}])
    page.goto(f"{live_server.url}/alive/")
    return page


@pytest.fixture
def listed(visitor: Any, live_server: Any) -> Any:
    """The list of his scenes."""
    visitor.goto(f"{live_server.url}/")
    return visitor


@pytest.fixture
def newcomer(page: Any, live_server: Any, django_user_model: Any) -> Any:
    """A page of somebody who has just signed in through the form."""
    django_user_model.objects.create_user("ada", password="a-long-passphrase")
    page.goto(f"{live_server.url}/sign-in/")
    page.fill("#id_username", "ada")
    page.fill("#id_password", "a-long-passphrase")
    page.click("button:has-text('Sign in')")
    page.wait_for_url(f"{live_server.url}/")
    return page


@pytest.fixture
def worker(tmp_path: Any, own_store: None, live_server: Any) -> Iterator[None]:
    """The real worker, on the test's database and store."""
    environment = {
        **os.environ, "CLINAMEN_DB_NAME": connection.settings_dict["NAME"], "CLINAMEN_VAR": str(tmp_path),
        "CLINAMEN_DB_HOST": str(connection.settings_dict["HOST"]), "CLINAMEN_DB_PORT": str(connection.settings_dict["PORT"]),
        "CLINAMEN_SECRET": django_settings.SECRET_KEY,
    }  # fmt: skip
    process = subprocess.Popen([sys.executable, "manage.py", "work"], cwd=ROOT, env=environment)
    yield
    process.terminate()
    process.wait(timeout=30)


class Held:
    """The first request of a page to an address, held back until `answer`; later ones pass."""

    def __init__(self, page: Any, address: str) -> None:
        self.page, self.routes = page, list[Any]()
        page.route(address, self._hold)

    def _hold(self, route: Any) -> None:
        if self.routes:
            route.continue_()
        self.routes.append(route)

    def answer(self) -> None:
        """Let it through, once it has come."""
        while not self.routes:
            self.page.wait_for_timeout(10)
        self.routes[0].continue_()
