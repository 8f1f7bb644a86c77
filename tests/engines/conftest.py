"""One browser of each engine for all tests of a process."""

from collections.abc import Iterator

import pytest

from tests.browser.conftest import answered as answered
from tests.engines.browsers import Browser, firefox, webkit
from tests.web.conftest import own_store as own_store


@pytest.fixture(scope="session")
def firefox_browser() -> Iterator[Browser]:
    with firefox() as browser:
        yield browser


@pytest.fixture(scope="session")
def webkit_browser() -> Iterator[Browser]:
    with webkit() as browser:
        yield browser


@pytest.fixture(params=["firefox", "webkit"])
def browser(request: pytest.FixtureRequest) -> Browser:
    made: Browser = request.getfixturevalue(f"{request.param}_browser")
    made.resize(1280, 800)
    return made
