"""What a page shows, asked of the browser itself: its pixels, and where its layers stand."""

import base64
import io
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from PIL import Image
from playwright.sync_api import CDPSession, Page

_lines: WeakKeyDictionary[Page, CDPSession] = WeakKeyDictionary()


def _asked(page: Page, what: str, **how: Any) -> dict[str, Any]:
    """An answer of the DevTools protocol."""
    if page not in _lines:
        _lines[page] = page.context.new_cdp_session(page)
        _lines[page].send("DOM.enable")
    answer: dict[str, Any] = _lines[page].send(what, how)
    return answer


def shot(page: Page, clip: dict[str, float] | None = None) -> np.ndarray:
    """The page's pixels [h, w, 3] in a frame drawn from now on, or those of a `clip` of it. Packed in haste, which takes a third
    of the time of Playwright's own and shows the same."""
    part = {"clip": {**clip, "scale": 1}} if clip else {}
    data = _asked(page, "Page.captureScreenshot", format="png", optimizeForSpeed=True, **part)["data"]
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data))).convert("RGB"))


def quads(page: Page) -> dict[str, np.ndarray]:
    """The corners [4, 2] of every layer's content in px of the window, after layout and transforms."""
    root = _asked(page, "DOM.getDocument", depth=0)["root"]["nodeId"]
    nodes = _asked(page, "DOM.querySelectorAll", nodeId=root, selector="[data-layer]")["nodeIds"]
    names = page.evaluate("() => [...document.querySelectorAll('[data-layer]')].map((layer) => layer.dataset.layer)")
    corners = [_asked(page, "DOM.getContentQuads", nodeId=node)["quads"][0] for node in nodes]
    return {name: np.array(found).reshape(4, 2) for name, found in zip(names, corners, strict=True)}
