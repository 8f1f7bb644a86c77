"""Pressing whatever a page offers: every control once in every kind of place, and what came of each press.

A control is known by its signature: what it is and what it does, without the names and numbers of what it does it to. A press is a
real one, by mouse or keyboard; what came of it is what was asked of the server and whether anything on the page changed.
"""

import json
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urlparse

from playwright.sync_api import TimeoutError

from clinamen.scenes.models import Scene

FIND = Path(__file__).with_suffix(".js").read_text()
WHOLE, OWN = ("body",), ("#drawing", "#readout", ".surround", "#preparing")  # a page; what is a room's own
OPEN = "() => document.querySelectorAll('#desk details:not([open])').forEach((each) => { each.open = true; })"
COME = "() => !document.querySelector('#spots:empty')"  # what is asked for a little later is there
WATCH = """() => { window.walkedChanges = []; window.walkedWatch?.disconnect();
  window.walkedWatch = new MutationObserver((all) => { for (const each of all) {
    const element = each.target.nodeType === 1 ? each.target : each.target.parentElement;
    if (!element || element.closest('#asks-in-line, #asks-beside, #asks-following, #asks-fixes') || ['aria-busy', 'data-walked'].includes(each.attributeName)) continue;
    if (each.attributeName === 'class' && /htmx-/.test(`${each.oldValue} ${element.className?.baseVal ?? element.className}`)) continue;
    window.walkedChanges.push(`${each.type} ${each.attributeName ?? ''} ${element.id || element.tagName}`); } });
  window.walkedWatch.observe(document.documentElement, {subtree: true, childList: true, attributes: true, attributeOldValue: true, characterData: true}); }"""
# nobody looks at the pages of a walk, and shadows and filters are half of what painting them costs
PLAIN = """{ const sheet = new CSSStyleSheet();
  sheet.replaceSync('*, ::before, ::after { box-shadow: none !important; filter: none !important; backdrop-filter: none !important }');
  document.adoptedStyleSheets = [sheet]; }"""
SAID = """() => [...document.querySelectorAll('#toast, #refused, [role=alert], [role=status].wrong, .wrong-line, #largest-says, #stride-says, dialog[open]')].map((each) => each.textContent.trim()).filter(Boolean).join(' | ')"""
QUIET = re.compile(r"/(line|fixes|loops|comments|preparing|seen|present|verdict)/|verdict=1|follows=")
WRONG = "banana"
HELD = [
    "hand",
    "tie-thread",
    "picking",
    "fitting",
    "trim",
    "actor-files",
]  # what stands by until something beside it is pressed
TRIES = 3  # presses of a control that is drawn again while it is pressed, as a row that tells how far an export is
PATIENT = 40  # looks until a press that nothing came of is silent
NUDGED = 250  # ms until what arrow keys make of a number is sent


@dataclass
class Outcome:
    """What came of a press."""

    asked: list[tuple[str, str, int]] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    said: str = ""
    saved: bool = False

    @property
    def edits(self) -> set[str]:
        """Names of the edits that were made or refused."""
        paths = (urlparse(url).path.strip("/").split("/") for method, url, _ in self.asked if method == "POST")
        return {path[3] for path in paths if len(path) == 4 and path[2] == "edit"}

    @property
    def failed(self) -> list[str]:
        return [
            f"{status} from {method} {urlparse(url).path}"
            for method, url, status in self.asked
            if status >= 400 and status != 422
        ]


class Walk:
    """A walk over the controls of one scene; what is wrong is collected in `wrong`, edits in `edits`."""

    def __init__(self, page: Any, scene: Scene, names: list[str]) -> None:
        self.page, self.scene, self.names = page, scene, names
        self.within = WHOLE
        self.pressed: set[str] = set()
        self.edits: set[str] = set()
        self.wrong: list[str] = []
        self.open = 0
        self.asked: list[tuple[str, str, int]] = []
        page.on("request", lambda request: self._count(request, 1))
        page.on("requestfinished", self._finished)
        page.on("requestfailed", lambda request: self._count(request, -1))
        page.on("dialog", lambda dialog: dialog.accept())
        page.add_init_script(PLAIN)
        self.errors: list[str] = []
        page.on("pageerror", lambda error: self.errors.append(str(error)))

    def _count(self, request: Any, by: int) -> None:
        if not QUIET.search(request.url):  # nobody's hand waits for those
            self.open += by

    def _finished(self, request: Any) -> None:
        self._count(request, -1)
        if request.resource_type in ("xhr", "fetch", "document"):
            asked = request.post_data or ""
            if not QUIET.search(f"{request.url} {asked}") or "preview" in asked:
                response = request.response()
                self.asked.append((request.method, request.url, response.status if response else 0))

    def settle(self) -> None:
        """Wait until nothing is asked and nothing waits to be asked."""
        still = 0
        while still < 2:
            self.page.wait_for_timeout(20)
            still = 0 if self.open > 0 else still + 1

    def go(self, address: str) -> None:
        self.page.goto(address)
        self.page.evaluate(OPEN)
        self.settle()

    def found(self) -> dict[str, dict[str, Any]]:
        self.page.wait_for_function(COME)
        self.page.evaluate(OPEN)
        return dict(json.loads(self.page.evaluate(FIND, [self.names, self.within])))

    def over(self, address: str, within: tuple[str, ...] = WHOLE, without: str = "(?!)") -> None:
        """Press every control of a page, or of parts of it, whose like was not pressed before and whose name has nothing of
        the pattern `without` in it."""
        self.within = within
        self.go(address)
        while left := {
            name: told
            for name, told in self.found().items()
            if name not in self.pressed and not re.search(without, name)
        }:
            name, told = next(iter(left.items()))
            self.pressed.add(name)
            before = self.page.url
            for number, (way, press) in enumerate(ways(told)):
                if number and name not in self.found():
                    self.go(address)
                    if name not in self.found():
                        break  # it stood there for a choice that the first press ended
                self._try(name, way, press)
            if self.page.url.split("?")[0] != before.split("?")[0] or self.page.locator("dialog[open]").count():
                self.go(address)

    def _try(self, name: str, way: str, press: "Press") -> None:
        kept = self._document()
        self.page.evaluate(WATCH)
        self.asked.clear()
        self.errors.clear()
        element = self.page.locator(f"[data-walked={_quoted(name)}]").first
        for left in reversed(range(TRIES)):
            try:
                press(self.page, element)
                break
            except Exception as error:
                if name not in self.found():  # also marks it anew, where what it stands in was drawn again meanwhile
                    return
                if not left:
                    self.wrong.append(f"{name} ({way}): cannot be pressed, {str(error).splitlines()[0]}")
                    return
        self.settle()
        for _ in range(PATIENT):  # a busy machine may be slow to begin
            if self.asked or self.page.evaluate("() => !window.walkedChanges || window.walkedChanges.length > 0"):
                break
            self.settle()
        outcome = Outcome(
            list(self.asked),
            self.page.evaluate("() => window.walkedChanges ?? ['another page']"),
            self.page.evaluate(SAID),
        )
        outcome.saved = self._document() != kept
        self.edits |= outcome.edits
        self.wrong += [f"{name} ({way}): {what}" for what in self._faults(way, outcome)]
        if outcome.saved:
            self._undo(name, way, kept)

    def _faults(self, way: str, outcome: Outcome) -> Iterator[str]:
        yield from outcome.failed
        yield from (f"script error {error}" for error in self.errors)
        if any(status == 422 for *_, status in outcome.asked) and not outcome.said:
            yield "was refused without a word"
        if not outcome.asked and not outcome.changed:
            yield "is silent"
        made = {name for name in outcome.edits if not any("preview" in url for _, url, _ in outcome.asked)}
        if made and not outcome.saved and not outcome.said:
            yield f"{', '.join(made)}: neither changes anything nor says why"
        if way == "wrong":
            if outcome.saved:
                yield f"{WRONG!r} was saved"
            if not outcome.said:
                yield f"takes {WRONG!r} without a word"

    def _undo(self, name: str, way: str, kept: Any) -> None:
        for _ in range(4):  # keys make several changes
            if self._document() == kept:
                return
            if self.page.locator("#undo").is_disabled():
                break
            self.page.locator("#undo").click()
            self.settle()
        if self._document() != kept:
            self.wrong.append(f"{name} ({way}): undo does not take it back")

    def _document(self) -> Any:
        return Scene.objects.select_related("head").get(pk=self.scene.pk).head.document  # type: ignore[union-attr]


Press = Callable[[Any, Any], None]


def _quoted(name: str) -> str:
    return '"' + name.replace("\\", "\\\\").replace('"', '\\"') + '"'


def ways(told: dict[str, Any]) -> Iterator[tuple[str, Press]]:
    """The ways in which a control of a kind is pressed, by name."""
    kind, type_ = told["kind"], told["type"]
    if kind == "a":
        yield "link", lambda page, element: _follows(page, told["href"])
    elif kind in ("button", "summary") or type_ in ("checkbox", "radio"):
        yield "mouse", lambda page, element: _click(page, element, told["submits"] and type_ in ("checkbox", "radio"))
    elif kind == "select":
        yield "another", _choose_another
    elif type_ == "range":
        yield ("mouse", _slide) if told["hidden"] else ("keys", _press_range)
    elif type_ == "color":
        yield "colour", lambda page, element: element.fill("#336699")
    elif type_ == "file":
        yield "wrong file", _choose_wrong_file
    elif kind in ("input", "textarea"):
        number = bool(re.fullmatch(r"[-−+]?[\d\s.,\u202f]*\D{0,6}", told["value"])) and kind == "input"
        sends = told["submits"] and not told["sends"]
        yield (
            "value",
            lambda page, element: _type(
                page, element, _other_value(told["value"]) if number else f"{told['value']} b", sends
            ),
        )
        if number and told["id"] and "name" not in told["id"]:
            yield "wrong", lambda page, element: _type(page, element, WRONG, sends)
    else:
        yield "keys", _press_keys


def _follows(page: Any, href: str) -> None:
    answer = page.request.get(href)
    assert answer.status < 400, f"{answer.status} behind the link"
    page.evaluate("() => window.walkedChanges.push('link')")


def _choose_wrong_file(page: Any, element: Any) -> None:
    held = element.get_attribute("id") in HELD
    element.set_input_files({"name": "notes.png", "mimeType": "image/png", "buffer": b"no picture"})
    if held:
        page.evaluate("() => window.walkedChanges.push('chosen')")


def _click(page: Any, element: Any, held: bool) -> None:
    held = held or (element.get_attribute("id") or element.get_attribute("name")) in HELD
    try:
        element.click(timeout=2000)
    except TimeoutError:  # another of its kind lies over it: the keyboard reaches it
        element.focus(timeout=500)
        page.keyboard.press("Enter")
    if held:  # sent with its form
        page.evaluate("() => window.walkedChanges.push('chosen')")


def _choose_another(page: Any, element: Any) -> None:
    others = element.evaluate(
        "(e) => [...e.options].filter((o) => !o.disabled && o.value !== e.value).map((o) => o.value)"
    )
    if others:
        element.select_option(others[0])
        if element.evaluate(
            "(e, held) => held.includes(e.id || e.name) || (!!e.closest('form') && !e.dataset.edit)", HELD
        ):
            page.evaluate("() => window.walkedChanges.push('chosen')")
    else:
        page.evaluate("() => window.walkedChanges.push('only one choice')")


def _slide(page: Any, element: Any) -> None:
    element.scroll_into_view_if_needed()
    box = element.bounding_box()
    share = element.evaluate("(e) => (e.value - e.min) / (e.max - e.min)")
    page.mouse.click(box["x"] + box["width"] * (0.3 if share > 0.5 else 0.7), box["y"] + box["height"] / 2)


def _press_range(page: Any, element: Any) -> None:
    """The way there is room."""
    element.press("ArrowLeft" if element.evaluate("(e) => +e.value > (+e.min + +e.max) / 2") else "ArrowRight")


def _other_value(text: str) -> str:
    """Another number with the same unit."""
    match = re.match(r"[-−+]?[\d.,]+", text.replace("\u202f", ""))
    if not match or not match[0]:
        return "1"
    value = float(match[0].replace("−", "-").replace(",", "."))
    return f"{value + (1 if abs(value) >= 2 else 0.1 if value < 1 else -0.1):g}{text.replace(chr(0x202F), '')[match.end() :]}"


def _type(page: Any, element: Any, text: str, submits: bool) -> None:
    element.fill(text)
    page.evaluate("() => window.walkedChanges.push('typed')")
    if submits:  # it is sent with its form
        element.press("Enter")
    else:
        element.press("Tab")


def _press_keys(page: Any, element: Any) -> None:
    element.focus()
    for key in ("ArrowRight", "ArrowUp", "Enter"):
        page.keyboard.press(key)
        page.wait_for_timeout(30)
    page.wait_for_timeout(NUDGED)
