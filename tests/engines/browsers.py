"""Firefox and WebKit behind one small interface: open an address, run a script in the page, set the window's inner size.

Firefox ESR is driven by Mozilla's own client, since Debian packages no geckodriver; WebKitGTK by Selenium and Debian's driver, with
its MiniBrowser in a window on a virtual screen. Both want a writable home folder.
"""

import base64
import gc
import io
import os
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from PIL import Image

FIREFOX_AT = "/usr/bin/firefox-esr"
STARTED = 60.0  # s for a browser to start, on a busy machine
SCRIPT = 45.0  # s for a script to answer
SCREEN = "2200x1300x24"
RESIZES = 8  # times that a window is told its size
TWO_FRAMES = "await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));"


class Browser(Protocol):
    """One window of one engine."""

    def open(self, address: str) -> None: ...

    def run(self, script: str, *arguments: Any) -> Any:
        """What a function body returns or promises; it reads `arguments`."""

    def sign_in(self, address: str, name: str, value: str) -> None:
        """Set a cookie for the site at an address."""

    def resize(self, width: int, height: int) -> None:
        """Set the inner size of the window, CSS px."""

    def picture(self) -> np.ndarray:
        """The page's pixels, [h, w, 3]."""

    def until(self, script: str, *arguments: Any) -> Any:
        """What a function body comes to once that is something."""


class _Waiting:
    def run(self, script: str, *arguments: Any) -> Any:
        raise NotImplementedError

    def until(self, script: str, *arguments: Any) -> Any:
        deadline = time.monotonic() + SCRIPT
        while not (found := self.run(script, *arguments)):
            assert time.monotonic() < deadline, f"did not come: {script}"
            time.sleep(0.03)
        return found


def _promised(script: str) -> str:
    """A function body as WebDriver's asynchronous script, whose last argument takes the answer."""
    return (
        "const done = arguments[arguments.length - 1], given = [...arguments].slice(0, -1);"
        f"(async function () {{ {script} }}).apply(null, given).then((value) => done({{value}}), (error) => done({{error: String(error)}}));"
    )


def _answered(answer: dict[str, Any]) -> Any:
    assert "error" not in answer, answer["error"]
    return answer.get("value")


def _decoded(png: str) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(png))).convert("RGB"))


class Firefox(_Waiting):
    """Firefox ESR without a window."""

    def __init__(self, client: Any) -> None:
        self.client = client
        client.timeout.script = SCRIPT

    def open(self, address: str) -> None:
        self.client.navigate(address)

    def run(self, script: str, *arguments: Any) -> Any:
        return _answered(self.client.execute_async_script(_promised(script), script_args=arguments, sandbox=None))

    def sign_in(self, address: str, name: str, value: str) -> None:
        self.open(address)
        self.client.add_cookie({"name": name, "value": value, "path": "/"})

    def resize(self, width: int, height: int) -> None:
        inner = self.run("return [outerWidth - innerWidth, outerHeight - innerHeight]")
        self.client.set_window_rect(width=width + inner[0], height=height + inner[1])

    def picture(self) -> np.ndarray:
        return _decoded(self.client.screenshot(full=False))


class WebKit(_Waiting):
    """WebKitGTK's MiniBrowser."""

    def __init__(self, driver: Any) -> None:
        self.driver = driver
        driver.set_script_timeout(SCRIPT)

    def open(self, address: str) -> None:
        self.driver.get(address)

    def run(self, script: str, *arguments: Any) -> Any:
        return _answered(self.driver.execute_async_script(_promised(script), *arguments))

    def sign_in(self, address: str, name: str, value: str) -> None:
        self.open(address)
        self.driver.add_cookie({"name": name, "value": value, "path": "/"})

    def resize(self, width: int, height: int) -> None:
        for _ in range(RESIZES):  # the window takes up its size some frames after it was told
            inner = self.run(f"{TWO_FRAMES} return [innerWidth, innerHeight]")
            if inner == [width, height]:
                return
            outer = self.driver.get_window_size()
            self.driver.set_window_size(outer["width"] + width - inner[0], outer["height"] + height - inner[1])
        self.until("return innerWidth === arguments[0] && innerHeight === arguments[1]", width, height)

    def picture(self) -> np.ndarray:
        return _decoded(self.driver.get_screenshot_as_base64())


@contextmanager
def screen() -> Iterator[str]:
    """A virtual screen; its name, as DISPLAY takes it."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", SCREEN, "-nolisten", "tcp"],
        pass_fds=[write], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write)
    try:
        with os.fdopen(read) as told:
            yield f":{told.readline().strip()}"
    finally:
        server.terminate()
        server.wait(timeout=10)


@contextmanager
def firefox() -> Iterator[Browser]:
    from marionette_driver.marionette import Marionette

    with tempfile.TemporaryDirectory(prefix="clinamen-firefox-") as home:
        client = Marionette(
            bin=FIREFOX_AT,
            headless=True,
            startup_timeout=STARTED,
            port=0,
            workspace=home,
            gecko_log=f"{home}/gecko.log",
        )
        client.start_session()
        try:
            yield Firefox(client)
        finally:
            client.cleanup()
            del client
            gc.collect()  # it tidies up when it is collected, which at the interpreter's end is too late


def mini_browser() -> str:
    """Where Debian's package puts WebKit's browser for tests."""
    return str(next(Path("/usr/lib").glob("*/webkit2gtk-4.1/MiniBrowser")))


@contextmanager
def webkit() -> Iterator[Browser]:
    from selenium import webdriver

    options = webdriver.WebKitGTKOptions()
    options.binary_location = mini_browser()
    options.add_argument("--automation")
    # processes of its own may still be writing there when it has ended
    folder = tempfile.TemporaryDirectory(prefix="clinamen-webkit-", ignore_cleanup_errors=True)
    with screen() as display, folder as home:
        own = {"DISPLAY": display, "XDG_DATA_HOME": home, "XDG_CACHE_HOME": home, "GDK_BACKEND": "x11"}
        service = webdriver.WebKitGTKService(
            executable_path="/usr/bin/WebKitWebDriver",
            env={**os.environ, **own, "WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS": "1"},
        )
        driver = webdriver.WebKitGTK(options=options, service=service)
        try:
            yield WebKit(driver)
        finally:
            driver.quit()
