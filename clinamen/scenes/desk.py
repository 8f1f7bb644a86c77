"""The desk: everything the workspace shows of one document, worked out by the core, ready for templates."""

import hashlib
import json
from collections import Counter
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from django.urls import reverse

from clinamen.art.models import Picture
from clinamen.core import document
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import Needs
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.checks import CHECKS, Finding, Subject, prove_subject
from clinamen.core.document import Channel, Layer, channels_of
from clinamen.core.document import Scene as Document
from clinamen.core.drawing import fan, ladder, plan
from clinamen.core.edits import camera_track
from clinamen.core.exchange.stack import too_small
from clinamen.core.exports import EXPORTS
from clinamen.core.exports.base import fields_of
from clinamen.core.exports.web.css import Shown, Stylesheet, unit_size
from clinamen.core.motion.hands import hands
from clinamen.core.optics import angle_of_view
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.readout import Reading, read_layer
from clinamen.core.recipes import recipe_of
from clinamen.scenes import lighttable
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.shelf import pictures_of, shelf_of

ROOMS = ("art", "prepare", "depth", "motion", "proof", "export")
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
    step: int = -1


@dataclass(frozen=True)
class Travel:
    """One camera channel over a driver: its row of the table of channels, and its values at both ends."""

    channel: Channel
    start: float
    end: float
    ease: str
    moved: bool
    inner: int

    @property
    def ends(self) -> tuple[tuple[str, float], tuple[str, float]]:
        return ("start", self.start), ("end", self.end)


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
        self.choice = replace(choice, layer=layer)

    @cached_property
    def pictures(self) -> dict[str, Picture]:
        return pictures_of(self.scene)

    @cached_property
    def shelf(self) -> ArtShelf:
        return shelf_of(self.pictures, self.document, draft=True)

    @cached_property
    def sets(self) -> dict[str, OpaqueSet]:
        return self.shelf.opaque_sets(self.document)

    def opaque(self, layer_id: str) -> OpaqueSet | None:
        """A layer's opaque set, if its art is ready."""
        layer = next((layer for layer in self.document.layers if layer.id == layer_id), None)
        return self.shelf.opaque(layer) if layer and self.shelf.is_ready(layer) else None

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
        """Layers as the room Art lists them, last drawn first, a heading before each group."""
        uses = Counter(layer.art.file for layer in self.document.layers)
        rows, group = [], ""
        for number, layer in reversed(list(enumerate(self.document.layers, 1))):
            rows.append({
                "number": number, "layer": layer, "picture": self.picture_of(layer),
                "art": self.art_address(layer, CARD_ART), "heading": layer.group if layer.group != group else "",
                "steps": len(recipe_of(layer).steps), "uses": uses[layer.art.file], "soft": too_small(layer),
                "coverage": self.sets[layer.id].area,
            })  # fmt: skip
            group = layer.group
        return rows

    @property
    def groups(self) -> list[str]:
        return sorted({layer.group for layer in self.document.layers if layer.group})

    @property
    def sources(self) -> Any:
        """Files that layers of this scene were taken out of."""
        return self.scene.sources.all()

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
            [self.shelf.is_ready(layer) for layer in self.document.layers],
        ]
        key = hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
        return _proofs.get(key, lambda: self._proved(with_fixes))

    def _proved(self, with_fixes: bool) -> list[Finding]:
        return prove_subject(Subject(self.document, self.sets, with_fixes, self.needs, not self.previewing))

    @cached_property
    def findings(self) -> list[Finding]:
        """Findings without their fixes: quick enough for every edit. While art is being prepared the proof waits for
        it: what it said of a preview might not hold."""
        return [] if self.waiting else self._prove(with_fixes=False)

    @cached_property
    def fixed_findings(self) -> dict[tuple[str, str, str], Finding]:
        """Findings with their fixes, by check, layer and side."""
        return {} if self.waiting else {finding.key: finding for finding in self._prove(with_fixes=True)}

    @property
    def wanted_fixes(self) -> list[tuple[int, Finding]]:
        """The numbered findings on show, with fixes."""
        shown = self.numbered if self.choice.room == "proof" else self.layer_findings
        return [(n, self.fixed_findings.get(finding.key, finding)) for n, finding in shown]

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

    # --- art and its recipes -----------------------------------------------------------------------------------------

    @cached_property
    def waiting(self) -> list[Layer]:
        """Layers whose art is still being prepared at full size."""
        return [layer for layer in self.document.layers if not self.shelf.is_ready(layer)]

    def art_address(self, layer: Layer, longest: int, mirrored: str = "") -> str:
        """Address of a layer's art, reduced; another one when it is ready than while its preview stands in."""
        if layer.recipe is None:
            sha256 = self.picture_of(layer).sha256
            if mirrored:
                return reverse("art-mirrored", args=[sha256, longest, mirrored])
            return reverse("art", args=[sha256, longest])
        state = "done" if self.shelf.is_ready(layer) else "draft"
        address = reverse("scene-art", args=[self.scene.pk, layer.id, self.shelf.key_of(layer), state, longest])
        return f"{address}?mirrored={mirrored}" if mirrored else address

    @property
    def drawn_anew(self) -> bool:
        return self.layer is not None and self.shelf.vector(self.layer)

    @cached_property
    def recipe_cards(self) -> list[lighttable.Card]:
        return lighttable.cards(self.document, self.layer, self.needs, self.opaque) if self.layer else []

    @property
    def step_card(self) -> lighttable.Card | None:
        """The chosen step; the last one where none is."""
        found = [card for card in self.recipe_cards if card.index == self.choice.step]
        return found[0] if found else (self.recipe_cards[-1] if self.recipe_cards else None)

    @property
    def step_groups(self) -> Any:
        return lighttable.offered()

    @property
    def table_key(self) -> str:
        return self.shelf.key_of(self.layer) if self.layer else ""

    @property
    def table(self) -> dict[str, Any]:
        """What the light table draws: pictures before and after the chosen step, sizes, and the step itself."""
        layer = self.layer
        if layer is None:
            return {}
        card, frames = self.step_card, list(recipe_of(layer).frames())
        index = card.index if card else 0
        before, after = frames[index], frames[index + 1] if card else frames[0]
        key = self.shelf.key_of(layer)

        last = card is not None and card.index == len(frames) - 2

        def shown(steps: int) -> str:
            address = reverse("scene-table", args=[self.scene.pk, layer.id, key, steps])
            return f"{address}?ready=1" if last and steps == index + 1 and self.shelf.is_ready(layer) else address

        band = reverse("scene-band", args=[self.scene.pk, layer.id, key, index]) if card and card.fills else ""
        return {
            "layer": layer.id,
            "index": index if card else None,
            "step": card.step.model_dump(mode="json") if card else None,
            "tool": card.tool if card else "",
            "size": [before.width, before.height],
            "after_size": [after.width, after.height],
            "before": shown(index),
            "after": shown(index + 1) if card and card.step.on else shown(index),
            "band": band,
            "keeps_frame": before == after,
        }

    # --- drawings ----------------------------------------------------------------------------------------------------

    @cached_property
    def ladder(self) -> ladder.Ladder:
        return ladder.draw(self.document)

    @cached_property
    def cards(self) -> list[dict[str, Any]]:
        worst = self.worst_by_layer
        return [
            {"rung": rung, "art": self.art_address(rung.layer, CARD_ART), "severity": worst.get(rung.layer.id, "")}
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

    @property
    def export_cards(self) -> list[dict[str, Any]]:
        """Every export with its options and what it cannot carry of this scene."""
        return [
            {"export": export, "fields": fields_of(export.options), "leaves_out": export.leaves_out(self.document)}
            for export in EXPORTS.values()
        ]

    # --- motion ------------------------------------------------------------------------------------------------------

    def travels(self, driver: str) -> list[Travel]:
        rows = []
        for channel in channels_of("camera").values():
            track = camera_track(self.document, driver, channel.name)
            start, end = (track.keys[0].value, track.keys[-1].value) if track else (channel.rest, channel.rest)
            ease = track.keys[0].ease if track else "ease-in-out"
            named = ease if isinstance(ease, str) else "cubic-bezier"
            inner = max(0, len(track.keys) - 2) if track else 0
            rows.append(Travel(channel, start, end, named, track is not None, inner))
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
        return self.revision.says if self.revision.parent_id else ""

    @property
    def redo_says(self) -> str:
        return self.revision.ahead.says if self.revision.ahead else ""

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
        mirrored = "".join(axis for axis in "xy" if getattr(layer.repeat, axis) == "mirror")
        if self.shelf.vector(layer) and not mirrored:
            address = reverse("art-vector", args=[self.picture_of(layer).sha256])
        else:
            address = self.art_address(layer, VIEW_ART, mirrored)
        return Shown((), address, "", (0, 0, *(unit_size(layer) if mirrored else (layer.art.width, layer.art.height))))
