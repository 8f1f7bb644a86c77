"""The desk: everything the workspace shows of one document, worked out by the core, ready for templates."""

import hashlib
import json
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.urls import reverse

from clinamen.art.models import Picture
from clinamen.core import document
from clinamen.core.artshelf import ArtShelf
from clinamen.core.bounded import Bounded
from clinamen.core.document import Layer
from clinamen.core.document import Scene as Document
from clinamen.core.drawing import fan, ladder, plan
from clinamen.core.edits import camera_track
from clinamen.core.exchange.css import Picture as Shown
from clinamen.core.exchange.css import Stylesheet, unit_size
from clinamen.core.motion.hands import hands
from clinamen.core.optics import angle_of_view
from clinamen.core.proof import CHECKS, Finding, Subject, prove_subject
from clinamen.core.proof.needs import Needs
from clinamen.core.proof.opaque import OpaqueSet
from clinamen.core.readout import Reading, read_layer
from clinamen.scenes.actions.revise import after, before
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.shelf import pictures_of, shelf_of

ROOMS = ("art", "depth", "motion", "proof", "export")
VIEW_ART = 1600
CARD_ART = 160

_proofs: Bounded[list[Finding]] = Bounded(256, lambda findings: 1)


@dataclass(frozen=True)
class Choice:
    """What the visitor has open: room, layer, and how the drawing is set."""

    room: str = "depth"
    layer: str = ""
    axis: str = "x"
    speed: bool = False
    driver: str = ""
    hold: str = "framing"


@dataclass(frozen=True)
class Travel:
    """One camera channel over a driver: its values at both ends."""

    channel: str
    move: str
    start: float
    end: float
    ease: str
    unit: str
    moved: bool
    inner: int


# film-craft names of the camera's moves
MOVES = {"x": "truck", "y": "pedestal", "z": "dolly", "yaw": "pan", "pitch": "tilt", "roll": "roll", "zoom": "zoom"}


class Desk:
    """One document on the desk. `revision` is what edits are made on; `document_` may be a preview beyond it."""

    def __init__(self, scene: Scene, choice: Choice, preview: Document | None = None) -> None:
        self.scene = scene
        assert scene.head is not None
        self.revision: Revision = scene.head
        self.document = preview or document.parse(self.revision.document)
        self.previewing = preview is not None
        ids = [layer.id for layer in self.document.layers]
        layer = choice.layer if choice.layer in ids else (ids[-1] if ids else "")
        self.choice = Choice(choice.room, layer, choice.axis, choice.speed, choice.driver, choice.hold)

    @cached_property
    def pictures(self) -> dict[str, Picture]:
        return pictures_of(self.scene)

    @cached_property
    def shelf(self) -> ArtShelf:
        return shelf_of(self.pictures)

    @cached_property
    def sets(self) -> dict[str, OpaqueSet]:
        return self.shelf.opaque_sets(self.document)

    @property
    def rooms(self) -> list[dict[str, Any]]:
        return [{"id": room, "name": room.capitalize(), "here": room == self.choice.room} for room in ROOMS]

    @cached_property
    def layer(self) -> Layer | None:
        return next((layer for layer in self.document.layers if layer.id == self.choice.layer), None)

    @property
    def layer_number(self) -> int:
        return [layer.id for layer in self.document.layers].index(self.choice.layer) + 1

    def picture_of(self, layer: Layer) -> Picture:
        return self.pictures[layer.art.file]

    @property
    def rows(self) -> list[dict[str, Any]]:
        """Layers as the room Art lists them, last drawn first."""
        numbered = list(enumerate(self.document.layers, 1))
        return [{"number": n, "layer": layer, "picture": self.picture_of(layer)} for n, layer in reversed(numbered)]

    # --- proof -------------------------------------------------------------------------------------------------------

    @cached_property
    def needs(self) -> Needs:
        return Needs(self.document)

    def _prove(self, with_fixes: bool) -> list[Finding]:
        content = [
            self.document.to_json(),
            {f: p.sha256 for f, p in self.pictures.items()},
            with_fixes,
            self.previewing,
        ]
        key = hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
        return _proofs.get(key, lambda: self._proved(with_fixes))

    def _proved(self, with_fixes: bool) -> list[Finding]:
        return prove_subject(Subject(self.document, self.sets, with_fixes, self.needs, not self.previewing))

    @cached_property
    def findings(self) -> list[Finding]:
        """Findings without their fixes: quick enough for every edit."""
        return self._prove(with_fixes=False)

    @cached_property
    def fixed_findings(self) -> dict[tuple[str, str, str], Finding]:
        """Findings with their fixes, by check, layer and side."""
        return {_name(finding): finding for finding in self._prove(with_fixes=True)}

    @property
    def wanted_fixes(self) -> list[tuple[int, Finding]]:
        """The numbered findings on show, with fixes."""
        shown = self.numbered if self.choice.room == "proof" else self.layer_findings
        return [(n, self.fixed_findings.get(_name(finding), finding)) for n, finding in shown]

    @property
    def numbered(self) -> list[tuple[int, Finding]]:
        return list(enumerate(self.findings))

    @property
    def verdict(self) -> list[dict[str, Any]]:
        """How many findings of each check."""
        counts = []
        for check in CHECKS.values():
            found = [finding for finding in self.findings if finding.check == check.id]
            if found:
                name = check.name if len(found) == 1 else check.plural
                worst = "error" if any(f.severity == "error" for f in found) else found[0].severity
                counts.append({"count": len(found), "name": name, "severity": worst})
        return sorted(counts, key=lambda count: count["severity"] != "error")

    @property
    def worst_by_layer(self) -> dict[str, str]:
        """The gravest severity found on each layer."""
        worst: dict[str, str] = {}
        for finding in reversed(self.findings):
            for layer_id in (finding.layer, *finding.closers):
                worst[layer_id] = "error" if "error" in (finding.severity, worst.get(layer_id)) else finding.severity
        return worst

    @property
    def layer_findings(self) -> list[tuple[int, Finding]]:
        """Findings that the chosen layer has or could close."""
        return [(n, f) for n, f in self.numbered if self.choice.layer in (f.layer, *f.closers)]

    # --- drawings ----------------------------------------------------------------------------------------------------

    @cached_property
    def ladder(self) -> ladder.Ladder:
        return ladder.draw(self.document)

    @cached_property
    def cards(self) -> list[dict[str, Any]]:
        worst = self.worst_by_layer
        return [
            {"rung": rung, "picture": self.picture_of(rung.layer), "severity": worst.get(rung.layer.id, "")}
            for rung in self.ladder.rungs
        ]

    @cached_property
    def plan(self) -> plan.Plan:
        return plan.draw(self.document, self.sets, "y" if self.choice.axis == "y" else "x", needs=self.needs)

    @cached_property
    def fan(self) -> fan.Fan:
        return fan.draw(self.document, self.choice.driver, "", self.choice.speed)

    @cached_property
    def reading(self) -> Reading | None:
        return read_layer(self.document, self.layer, self.sets[self.layer.id], self.needs) if self.layer else None

    @property
    def angle(self) -> float:
        return angle_of_view(self.document.lens.focal_length, self.document.lens.sensor_width)

    # --- motion ------------------------------------------------------------------------------------------------------

    def travels(self, driver: str) -> list[Travel]:
        rows = []
        for channel, move in MOVES.items():
            track = camera_track(self.document, driver, channel)
            rest = 1.0 if channel == "zoom" else 0.0
            start, end = (track.keys[0].value, track.keys[-1].value) if track else (rest, rest)
            ease = track.keys[0].ease if track else "ease-in-out"
            unit = "px" if channel in "xyz" else "×" if channel == "zoom" else "°"
            named = ease if isinstance(ease, str) else "cubic-bezier"
            inner = max(0, len(track.keys) - 2) if track else 0
            rows.append(Travel(channel, move, start, end, named, unit, track is not None, inner))
        return rows

    @property
    def scroll_travels(self) -> list[Travel]:
        return self.travels("scroll")

    @property
    def time_travels(self) -> list[Travel]:
        return self.travels("time")

    @property
    def easings(self) -> tuple[str, ...]:
        return document.EASING_NAMES

    @property
    def blends(self) -> tuple[str, ...]:
        return document.BLEND_MODES

    @cached_property
    def hands(self) -> list[Any]:
        return hands(self.document)

    # --- history -----------------------------------------------------------------------------------------------------

    @property
    def undo_says(self) -> str:
        return self.revision.says if before(self.scene) else ""

    @property
    def redo_says(self) -> str:
        target = after(self.scene)
        return target.says if target else ""

    # --- the view ----------------------------------------------------------------------------------------------------

    @cached_property
    def stage(self) -> dict[str, Any]:
        """Style sheet and markup of the view, and what the drivers' controls need: for the player in the page."""
        shown = {layer.id: self._shown(layer) for layer in self.document.layers}
        sheet = Stylesheet(self.document, shown, prefix=f"c{self.scene.pk.hex[:8]}")
        drivers = self.document.drivers
        return {
            "css": sheet.css(),
            "markup": sheet.markup(fit="contain", held="edit"),
            "prefix": sheet.prefix,
            "view": [self.document.view.width, self.document.view.height],
            "drivers": {name: getattr(drivers, name) is not None for name in ("scroll", "pointer", "time")},
            "duration": drivers.time.duration if drivers.time else 0,
            "revision": self.revision.pk,
            "findings": [
                {
                    "severity": finding.severity,
                    "state": finding.state.to_json(),
                    "where": finding.where.to_json(),
                    "label": f"{finding.amount:.0f} {finding.unit}",
                }
                for finding in self.findings
            ],
        }

    @property
    def recordings(self) -> dict[str, Any]:
        return {hand.id: {"moves": hand.moves, "rows": hand.rows} for hand in self.hands}

    def _shown(self, layer: Layer) -> Shown:
        picture = self.picture_of(layer)
        address = reverse("art", args=[picture.sha256, VIEW_ART])
        part = (0, 0, layer.art.width, layer.art.height)
        if layer.repeat.x == "mirror" or layer.repeat.y == "mirror":
            axes = f"{'x' if layer.repeat.x == 'mirror' else ''}{'y' if layer.repeat.y == 'mirror' else ''}"
            address = reverse("art-mirrored", args=[picture.sha256, VIEW_ART, axes])
            part = (0, 0, *unit_size(layer))
        return Shown((), address, "", part)


def _name(finding: Finding) -> tuple[str, str, str]:
    """What tells one finding of a scene from another, with or without fixes."""
    return finding.check, "" if finding.check == "gap" else finding.layer, finding.side
