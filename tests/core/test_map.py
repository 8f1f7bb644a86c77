"""The map and the report page: where each check fails along a driver, and the proof as a page that stands by itself."""

import re
from html.parser import HTMLParser

import numpy as np
import pytest

from clinamen.core.checks import CHECKS, Subject, prove_subject, prove_whole
from clinamen.core.drawing import map
from clinamen.core.edits import apply
from clinamen.core.pictures.telling import Telling
from clinamen.core.reports import REPORTS, Proved
from tests.conftest import full_sets, layer, noise, scene, shelf_of, track

VIEW = {"width": 320, "height": 180}


def leaving(**fields):
    """A wall that a truck leaves on the right from half of the scroll on, and a card that is cut at its end."""
    return scene(
        layer("wall", 380, 240), layer("card", 60, 60), view=VIEW,
        drivers={"scroll": {}, "pointer": {"reach_x": 4, "reach_y": 0}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 52)), track("card", "x", "scroll", (0, 0), (1, 200))], **fields,
    )  # fmt: skip


def drawn(made, axis: str):
    subject = Subject(made, full_sets(made), False)
    return {row.check.id: row for row in map.draw(subject, prove_subject(subject), axis).rows}


def test_the_map_shows_where_along_the_driver_a_check_fails_and_how_badly() -> None:
    rows = drawn(leaving(), "scroll")
    spots = rows["gap"].spots
    places = np.array([spot.finding.state.scroll for spot in spots])
    lacks = np.array([spot.finding.amount for spot in spots])
    assert lacks == pytest.approx(52 * places + 4 - 30, abs=0.6), (
        "what the truck and the pointer uncover beyond 30 px to spare"
    )
    first = next(place for place in np.linspace(0, 1, map.PLACES) if 52 * place + 4 - 30 > 0.5)
    assert places.min() == pytest.approx(first) and len(spots) == np.sum(np.linspace(0, 1, map.PLACES) >= first - 1e-9)
    assert spots[-1].share == 1.0 and spots[0].share == pytest.approx(lacks[0] / lacks[-1])
    assert not rows["soft"].spots and rows["soft"].says.startswith("no soft layer")
    assert rows["cut"].spots[0].index > rows["gap"].spots[0].index


def test_over_a_driver_that_does_not_matter_it_fails_everywhere() -> None:
    made = leaving()
    rows = drawn(made, "u")
    assert len(rows["gap"].spots) == map.PLACES, "somewhere over the scroll it fails, wherever the pointer is"
    assert [axis for axis, _ in map.axes_of(made)] == ["scroll", "u"]
    still = scene(layer("wall", 380, 240), view=VIEW)
    assert map.draw(Subject(still, full_sets(still)), []) is None


def test_what_holds_all_along_and_what_holds_at_a_moment() -> None:
    made = scene(
        layer("long", 5000, 240), view=VIEW, drivers={"scroll": {}},
        tracks=[track("long", "x", "scroll", (0, 0, "hold"), (0.5, 40), (1, 60))],
    )  # fmt: skip
    rows = drawn(made, "scroll")
    assert len(rows["weight"].spots) == map.PLACES
    (spot,) = rows["jump"].spots
    assert spot.index == map.PLACES // 2
    xs = [spot.x for spot in rows["weight"].spots]
    assert np.diff(xs) == pytest.approx(np.full(map.PLACES - 1, np.diff(xs).mean()), abs=0.02)


class Read(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict]] = []
        self.words = ""

    def handle_starttag(self, tag, attributes):
        self.tags.append((tag, dict(attributes)))

    def handle_data(self, data):
        self.words += data


def test_the_report_stands_by_itself_and_says_what_was_found_and_what_was_accepted() -> None:
    art = {"wall": noise(380, 240, 1), "card": noise(60, 60, 2)}
    made = leaving(title="Wall & <card>")
    shelf = shelf_of(art, made)

    def told(made):
        shelf.scene = made
        subject = Subject(made, shelf.opaque_sets(made), art=Telling(shelf))
        findings = prove_whole(subject)
        return findings, REPORTS["html"].write(Proved(made, findings, "wall/scene.json", subject)).decode()

    findings, page = told(made)
    read = Read()
    read.feed(page)
    assert "<title>Proof of Wall &amp; &lt;card&gt;</title>" in page and "wall/scene.json" in read.words
    for finding in findings:
        assert (
            finding.message[1:] in read.words
            and f"How sure: {finding.sure}." in read.words
            and all(fix.text in read.words for fix in finding.fixes)
        )
    for check in CHECKS.values():
        assert check.name in read.words.lower()
    fetched = [value for tag, told_ in read.tags for name, value in told_.items() if name in ("src", "href")]
    assert fetched and all(value.startswith("data:image/webp;base64,") for value in fetched)
    assert not any(tag == "script" for tag, _ in read.tags) and not re.search(r"url\(|@import", page)
    assert sum(tag == "img" for tag, _ in read.tags) == 1 + len(findings), "the scene, and each moment"
    assert sum(tag == "svg" for tag, _ in read.tags) == 3
    edge = next(finding for finding in findings if finding.check == "gap")
    accepted, _ = apply(
        made, "accept", {"finding": edge.named, "amount": str(edge.amount), "note": "the wall ends <there>"}
    )
    _, page = told(accepted)
    assert "Accepted: the wall ends &lt;there&gt;" in page and "Accepted as intended" in page
