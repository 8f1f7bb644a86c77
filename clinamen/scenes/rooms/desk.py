"""The desk: what every room shows of one document, worked out by the core, ready for templates. A room adds its own.

A `hasty` desk leaves the proof for later: picture and numbers come first, the verdict when it is known.
"""

import hashlib
import json
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, ClassVar, TypeVar, cast
from urllib.parse import urlencode

from django.conf import settings
from django.urls import reverse

from clinamen.art.models import Picture
from clinamen.art.store import SIZES, STRIP_SIZES
from clinamen.core.bounded import Bounded
from clinamen.core.bounds.needs import Needs
from clinamen.core.bounds.opaque import OpaqueSet
from clinamen.core.cached import cached_property
from clinamen.core.checks import Finding, Subject
from clinamen.core.checks.tally import Tally, tally
from clinamen.core.document import Layer
from clinamen.core.document import Scene as Document
from clinamen.core.drawing import ladder
from clinamen.core.edits.groups import outermost_in
from clinamen.core.edits.sizes import said_size
from clinamen.core.exports.web.css import Stylesheet
from clinamen.core.exports.web.shown import Shown, unit_size
from clinamen.core.finish import brought_together, worn_by
from clinamen.core.look.brought import text_of
from clinamen.core.look.steps import Together
from clinamen.core.motion.hands import Hand, hands
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pictures.showing import Showing, showing
from clinamen.core.pictures.telling import Telling
from clinamen.core.registry import Registry
from clinamen.scenes.actions.revise import own_last, own_taken_back, taken_back
from clinamen.scenes.documents import digest_of, document_of
from clinamen.scenes.models import Revision, Scene
from clinamen.scenes.proving import Asked, ahead, proved
from clinamen.scenes.shelf import lost_of, pictures_behind, pictures_of, shelf_of
from clinamen.shared.memory import Shared

Value = TypeVar("Value")
CARD_ART = SIZES[0]
FINENESS = ("draft", "half", "full")  # how fine the view's art is, coarsest first
USUAL_DRAWING = (688.0, 224.0)  # px: size of the room's drawing in a window of 1280 × 800

ONCE = 250  # what is worked out once for all pages that show a revision, about ten things each

_proofs: Shared[list[Finding]] = Shared("proof", 256)
_once: Bounded[Any] = Bounded(ONCE, lambda worked: 1)


@lru_cache(maxsize=4096)
def address(name: str, *args: Any) -> str:
    """An address by its name; those of a scene's art are asked for again at every answer."""
    return reverse(name, args=args)


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
    drawing: tuple[float, float] = USUAL_DRAWING
    drawn: str = "threads"
    thread: str = ""
    knots: str = ""
    loose: str = ""
    hand: str = "camera"
    lock: str = ""
    fineness: str = "full"
    beside: str = ""
    many: tuple[str, ...] = ()
    stops: bool = True
    lens_keeps: str = "rates"
    folded: tuple[str, ...] = ()
    now: tuple[float, float] = (0.0, 0.0)  # scroll and time at which a drawing is looked at


@dataclass(frozen=True)
class WrongSize:
    """A layer, the size in px of its file, and that which the document says."""

    layer: Layer
    file: tuple[int, int]
    said: tuple[int, int]

    @property
    def taken(self) -> str:
        """The file's size as the edit that takes it over reads it."""
        return f"{self.layer.id}={self.file[0]}x{self.file[1]}"


class Desk:
    """One document on the desk. `revision` is what edits are made on; `document` may be a preview beyond it.

    `id` is the room's word in addresses, `name` on its tab; `readout` names the template of its readout.
    """

    id: ClassVar[str] = ""
    name: ClassVar[str] = ""
    readout: ClassVar[str] = "scenes/rooms/layer_readout.html"
    nudge: ClassVar[float] = 0.01  # of rate: how far an arrow key moves a sheet
    shows_proof: ClassVar[bool] = False  # True where there is little to see without the proof

    def __init__(self, scene: Scene, choice: Choice, preview: Document | None = None, hasty: bool = False) -> None:
        self.scene = scene
        assert scene.head is not None
        self.revision: Revision = scene.head
        self.document = self.kept = preview or document_of(self.revision)
        self.previewing, self.hasty = preview is not None, hasty and not self.shows_proof
        self.loosen(choice)
        ids = [layer.id for layer in self.document.layers]
        layer = choice.layer if choice.layer in ids else (ids[-1] if ids else "")
        self.choice = replace(choice, layer=layer)

    def loosen(self, choice: Choice) -> None:
        """A room may show what is posed by hand in the place of what is `kept`."""

    @cached_property
    def pictures(self) -> dict[str, Picture]:
        return pictures_behind(self.scene, self.document)

    @cached_property
    def shelf(self) -> ArtShelf:
        return shelf_of(self.pictures, self.document, draft=True)

    @cached_property
    def sets(self) -> dict[str, OpaqueSet]:
        return self.once("sets", lambda: self.shelf.opaque_sets(self.document))

    def opaque(self, layer_id: str) -> OpaqueSet | None:
        """A layer's opaque set, if its art is ready."""
        layer = next((layer for layer in self.document.layers if layer.id == layer_id), None)
        return self.shelf.opaque(layer) if layer and self.shelf.is_ready(layer) else None

    def showing(self, layer: Layer) -> Showing | None:
        """Where a layer's art shows anything, if it is ready."""
        if not self.shelf.is_ready(layer):
            return None
        return self.once(("showing", layer.as_json), lambda: showing(self.document, layer, self.shelf.alpha(layer)))

    @property
    def rooms(self) -> list[dict[str, Any]]:
        return [{"id": room.id, "name": room.name, "here": room.id == self.choice.room} for room in ROOMS.values()]

    @property
    def drawing(self) -> str:
        """The template of the room's drawing."""
        return f"scenes/rooms/{self.id}.html"

    @cached_property
    def layer(self) -> Layer | None:
        return next((layer for layer in self.document.layers if layer.id == self.choice.layer), None)

    @property
    def layer_number(self) -> int:
        return [layer.id for layer in self.document.layers].index(self.choice.layer) + 1

    def picture_of(self, layer: Layer) -> Picture | None:
        """The file behind a layer; None of what is made."""
        if not layer.art.file:
            return None
        if layer.art.file not in self.pictures:  # that of an older state, which stands beside this one
            self.pictures.update(pictures_of(self.scene))
        return self.pictures[layer.art.file]

    @cached_property
    def art(self) -> dict[str, str]:
        """What tells the document's art from other art, by its file."""
        files = {layer.art.file for layer in self.document.layers if layer.art.file}
        return {file: picture.sha256 for file, picture in self.pictures.items() if file in files}

    @property
    def _as_kept(self) -> bool:
        """True where the revision is shown as it is kept, neither beyond it nor loosened."""
        return not self.previewing and self.document is self.kept

    def once(self, what: Hashable, work: Callable[[], Value]) -> Value:
        """What is the same for all pages that show this revision with this art, worked out for the first of them. `what`: its
        name, and what else it depends on."""
        if not self._as_kept:
            return work()
        key = (self.revision.pk, self._proof_key, tuple(self.lost), what)
        return cast("Value", _once.get(key, work))

    @cached_property
    def lost(self) -> list[str]:
        """Art files that are not in the store any more."""
        return lost_of(self.pictures, self.document)

    @cached_property
    def wrong_sizes(self) -> list[WrongSize]:
        """Layers of which the document says another size than their file has."""
        files = ((layer, self.picture_of(layer)) for layer in self.document.layers)
        told = (
            WrongSize(layer, (picture.width, picture.height), said_size(layer)) for layer, picture in files if picture
        )
        return [each for each in told if each.file != each.said]

    # --- proof -------------------------------------------------------------------------------------------------------

    @cached_property
    def needs(self) -> Needs:
        return self.once("needs", lambda: Needs(self.document))

    @cached_property
    def _proof_key(self) -> str:
        """What tells this document's proof from others: itself, its pictures, and which art is ready."""
        content = [
            digest_of(self.document, self.revision if self._as_kept else None),
            self.art,
            [self.shelf.is_ready(layer) for layer in self.document.layers],
        ]
        return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()

    def _prove(self, with_fixes: bool) -> list[Finding]:
        ease = not self.previewing
        memory = _proofs if ease else _proofs.own  # what is only shown is nobody else's
        asked = self._asks if not with_fixes else self._ask(with_fixes)
        return memory.get(self._proof_name(with_fixes, ease), lambda: proved(asked, lambda: self._subject(with_fixes)))

    def _ask(self, with_fixes: bool) -> Asked:
        return Asked(self._proof_key, self.scene.pk, self.document, self.pictures, with_fixes, ease=not self.previewing)

    @cached_property
    def _asks(self) -> Asked:
        return self._ask(with_fixes=False)

    def prove_ahead(self) -> None:
        """Have the proof begun with that the page will ask for."""
        if settings.PROVERS:
            ahead(self._asks)

    def _proof_name(self, with_fixes: bool, ease: bool) -> str:
        return f"{self._proof_key}{' with fixes' if with_fixes else ''}{' eased' if ease else ''}"

    @property
    def proved(self) -> bool:
        """True where the findings are known already, so that showing them takes no time."""
        return self.proved_here or self._proof_name(False, not self.previewing) in _proofs

    @property
    def proved_here(self) -> bool:
        """The same, where this process knows them: nobody is asked."""
        return bool(self.waiting) or self._proof_name(False, not self.previewing) in _proofs.own

    @property
    def subject(self) -> Subject:
        """What the proof looks at, fixes left out."""
        return self._subject(False)

    def _subject(self, with_fixes: bool) -> Subject:
        return Subject(self.document, self.sets, with_fixes, self.needs, Telling(self.shelf))

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
        return [(n, self.fixed_findings.get(finding.key, finding)) for n, finding in self.shown_findings]

    @property
    def layer_findings(self) -> list[tuple[int, Finding]]:
        """Findings that count and that the chosen layer has or could close."""
        return [(n, f) for n, f in self.numbered if f.counts and self.choice.layer in (f.layer, *f.closers)]

    @property
    def shown_findings(self) -> list[tuple[int, Finding]]:
        """The findings whose fixes this room has buttons for."""
        return self.layer_findings

    @property
    def numbered(self) -> list[tuple[int, Finding]]:
        return list(enumerate(self.findings))

    @property
    def verdict(self) -> list[Tally]:
        """How many findings of each check count."""
        return tally(self.findings)

    @property
    def still(self) -> bool:
        """True where nothing moves, so that there is little to prove."""
        return self.needs.motion.still

    @cached_property
    def worst_by_layer(self) -> dict[str, str]:
        """The gravest severity found on each layer."""
        worst: dict[str, str] = {}
        for finding in reversed([f for f in self.findings if f.counts]):
            for layer_id in (finding.layer, *finding.closers):
                worst[layer_id] = "error" if "error" in (finding.severity, worst.get(layer_id)) else finding.severity
        return worst

    # --- art and its recipes -----------------------------------------------------------------------------------------

    @cached_property
    def waiting(self) -> list[Layer]:
        """Layers whose art is still being prepared at full size."""
        return [layer for layer in self.document.layers if not self.shelf.is_ready(layer)]

    def art_address(self, layer: Layer, longest: int, mirrored: str = "") -> str:
        """Address of a layer's art, reduced; another one when it is ready than while its preview stands in."""
        together = brought_together(self.document, layer)
        picture = self.picture_of(layer)
        if picture is None:
            return self._made_address(layer, longest, mirrored, together)
        if layer.recipe is None and not together:
            sha256 = picture.sha256
            if mirrored:
                return address("art-mirrored", sha256, longest, mirrored)
            return address("art", sha256, longest)
        state = "done" if self.shelf.is_ready(layer) else "draft"
        where = address("scene-art", self.scene.pk, layer.id, self.shelf.key_of(layer), state, longest)
        asked = ({"mirrored": mirrored} if mirrored else {}) | ({"look": text_of(together)} if together else {})
        return f"{where}?{urlencode(asked)}" if asked else where

    def _made_address(self, layer: Layer, longest: int, mirrored: str, together: list[Together]) -> str:
        """Address of made art: what is made stands in it, so that what is only shown yet can be fetched too."""
        told = {"art": json.dumps(layer.art.model_dump(mode="json"), separators=(",", ":"))}
        told |= {"grid": f"{layer.frames.columns}x{layer.frames.rows}"} if layer.frames else {}
        told |= {"mirrored": mirrored} if mirrored else {}
        told |= {"look": text_of(together)} if together else {}
        key = self.shelf.key_of(layer)[:16]  # another one when what it is made from is another
        return f"{address('scene-made', self.scene.pk, key, longest)}?{urlencode(told)}"

    def card_address(self, layer: Layer) -> str:
        """The small picture of a layer; an actor's is its strip, of which one cell is shown."""
        return self.art_address(layer, STRIP_SIZES[0] if layer.frames else CARD_ART)

    # --- drawings ----------------------------------------------------------------------------------------------------

    @cached_property
    def ladder(self) -> ladder.Ladder:
        folded = {layer.id for layer in self.document.layers if outermost_in(layer.group, self.choice.folded)}
        return self.once(("ladder", *sorted(folded)), lambda: ladder.draw(self.document, frozenset(folded)))

    @property
    def folded_count(self) -> int:
        return sum(not rung.card for rung in self.ladder.rungs)

    @cached_property
    def _addresses(self) -> list[str]:
        return [self.card_address(rung.layer) for rung in self.ladder.rungs]

    @property
    def cards(self) -> list[dict[str, Any]]:
        """A card for each rung; `says`: all that its markup depends on."""
        worst = {} if self.hasty else self.worst_by_layer
        cards = []
        for rung, art in zip(self.ladder.rungs, self._addresses, strict=True):
            id = rung.layer.id
            how = {
                "severity": worst.get(id, ""), "chosen": id == self.choice.layer, "among": id in self.choice.many
            }  # fmt: skip
            cards.append({"rung": rung, "art": art, **how, "says": (art, *how.values(), *rung.says)})
        return cards

    @cached_property
    def hands(self) -> list[Hand]:
        return hands(self.document)

    # --- history -----------------------------------------------------------------------------------------------------

    @cached_property
    def undo_says(self) -> str:
        """What undo takes back: the visitor's own last change."""
        own = own_last(self.scene, self.scene.visitor or self.scene.owner)
        return own.says if own else ""

    @cached_property
    def redo_says(self) -> str:
        own = own_taken_back(self.scene, self.scene.visitor or self.scene.owner)
        return taken_back(own) if own else ""

    @cached_property
    def kept_aside(self) -> list[Revision]:
        """Versions that could not be merged, the newest first, without their documents."""
        if not self.scene.keeps_aside:
            return []
        return list(self.scene.revisions.filter(refused=True).defer("document").order_by("-pk"))

    # --- the view ----------------------------------------------------------------------------------------------------

    @property
    def stage(self) -> dict[str, Any]:
        """Style sheet and markup of the view, and what the drivers' controls need: for the player in the page."""
        return self._staged if self.hasty else {**self._staged, "findings": self.marks}

    @cached_property
    def _staged(self) -> dict[str, Any]:
        if self.viewed is not self.document or self.choice.beside:
            return self._stage()
        return self.once(("stage", self.choice.fineness), self._stage)

    def _stage(self) -> dict[str, Any]:
        sheet = self._sheet(self.viewed, "c")
        drivers = self.document.drivers
        return {
            "css": sheet.parts(),
            "filters": {name: worn.svg for name, worn in sheet.worn.items() if worn.svg},
            "markup": sheet.markup(fit="contain", held="edit"),
            "prefix": sheet.prefix,
            "view": [self.document.view.width, self.document.view.height],
            "drivers": {name: getattr(drivers, name) is not None for name in ("scroll", "pointer", "time")},
            "duration": drivers.time.duration if drivers.time else 0,
            "fps": drivers.time.fps if drivers.time else 25,
            "revision": self.revision.pk,
            "title": self.document.title,
            "beside": self.beside,
        }

    def _sheet(self, made: Document, first: str) -> Stylesheet:
        shown = {layer.id: self._shown(layer) for layer in made.layers}
        prefix = f"{first}{self.scene.pk.hex[:8]}"
        return Stylesheet(made, shown, prefix=prefix, worn=worn_by(made, prefix))

    @property
    def viewed(self) -> Document:
        """What the view shows of the document."""
        return self.document

    @property
    def beside(self) -> dict[str, str] | None:
        """Style sheet, markup and name of what stands beside the view, driven with it."""
        return None

    def _beside(self, made: Document, says: str, now: str) -> dict[str, str]:
        """What a page needs to show a scene beside the view: what is said over the one and the other."""
        sheet = self._sheet(made, "b")
        filters = "".join(worn.svg for worn in sheet.worn.values())
        markup = f'<svg width="0" height="0" aria-hidden="true">{filters}</svg>' if filters else ""
        markup = sheet.markup(fit="contain", held="edit") + markup
        return {"css": sheet.css(), "markup": markup, "says": says, "now": now}

    @property
    def marks(self) -> list[dict[str, Any]]:
        """What the view needs to mark a finding at its worst moment."""
        return [finding.mark for finding in self.findings]

    @property
    def recordings(self) -> dict[str, Any]:
        return {hand.id: {"moves": hand.moves, "rows": hand.rows} for hand in self.hands}

    def _shown(self, layer: Layer) -> Shown:
        mirrored = "".join(axis for axis in "xy" if getattr(layer.repeat, axis) == "mirror")
        plain = not mirrored and not brought_together(self.document, layer)
        picture = self.picture_of(layer)
        if picture is not None and self.shelf.vector(layer) and plain and not self.shelf.lettered(layer):
            where = address("art-vector", picture.sha256)
        else:
            sizes = STRIP_SIZES if layer.frames else SIZES[1:]
            where = self.art_address(layer, sizes[FINENESS.index(self.choice.fineness)], mirrored)
        return Shown((), where, (0, 0, *(unit_size(layer) if mirrored else (layer.art.width, layer.art.height))))


ROOMS: Registry[type[Desk]] = Registry("rooms")


def room(presenter: type[Desk]) -> type[Desk]:
    """Class decorator: put a room into the registry, in working order."""
    ROOMS.add(presenter.id, presenter)
    return presenter
