"""Bring in: any file a user drops becomes pieces of art, or a whole scene; what cannot be used is named, the rest kept.

A piece is a picture file that can become a layer. Pages of a TIFF, groups of an SVG and members of a ZIP are pieces of
their own; a ZIP's folders become groups.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

from clinamen.core.boundary import within
from clinamen.core.document.carrying import WITHIN
from clinamen.core.errors import BadArt, BadDocument, ClinamenError
from clinamen.core.exchange import openraster
from clinamen.core.exchange.names import name_from_file
from clinamen.core.exchange.unpacking import all_members
from clinamen.core.parts import without_controls
from clinamen.core.pictures.limits import is_tiff, is_vector
from clinamen.core.pictures.orastack import MIMETYPE
from clinamen.core.pictures.reading import Laying, inspect, tiff_pages, vector_groups

MOST_PIXELS = 640_000_000  # of all pictures in one batch, unpacked
MOST_BYTES = 800_000_000  # of all pictures in one batch, as files
ACCEPTED = ".png,.jpg,.jpeg,.webp,.avif,.tif,.tiff,.svg,.ora,.zip"


@dataclass(frozen=True)
class Piece:
    """A picture to become a layer: `file` names it in messages and in the order, `name` and `group` on the layer; `laid` says how
    it is laid on what is behind it."""

    file: str
    name: str
    data: bytes
    group: str = ""
    laid: Laying = Laying()


@dataclass
class Brought:
    """What came of files: pieces in the order they were found, at most one whole scene, a sentence for each refusal and
    for what will look otherwise here."""

    pieces: list[Piece] = field(default_factory=list)
    scene: openraster.Opened | None = None
    scene_from: str = ""
    refused: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    pixels_left: int = MOST_PIXELS
    bytes_left: int = MOST_BYTES

    def allow(self, sizes: list[tuple[int, int]], where: str) -> None:
        """Take pictures of these sizes from the batch's budget; BadArt where it does not reach."""
        wanted = sum(width * height for width, height in sizes)
        if wanted > self.pixels_left:
            raise BadArt(
                f"{where}: with it the batch holds more than {MOST_PIXELS / 1e6:.0f} megapixels; bring it in by itself, "
                "or in parts"
            )
        self.pixels_left -= wanted

    def _keep(self, piece: Piece) -> None:
        self.bytes_left -= len(piece.data)
        if self.bytes_left < 0:
            raise BadArt(f"{piece.file}: with it the batch is too large; bring the rest in as another batch")
        name, group = without_controls(piece.name), without_controls(piece.group)
        if (name, group) != (piece.name, piece.group):
            self.notes.append(f"{piece.file}: its name holds characters that cannot be shown; they are left out")
        self.pieces.append(replace(piece, name=name, group=group))

    def take(self, data: bytes, name: str) -> None:
        """Add one file."""
        name = PurePosixPath(name.replace("\\", "/")).name
        try:
            within(name, lambda: self._take(data, name, ""))
        except BadDocument as error:
            self.refused.append(f"{error.source}: {error.problems[0]}")
        except ClinamenError as error:
            self.refused.append(str(error))

    def _take(self, data: bytes, name: str, group: str) -> None:
        if name.lower().endswith(".ora") or (data[:2] == b"PK" and _is_openraster(data)):
            self._take_scene(data, name)
        elif data[:2] == b"PK" or name.lower().endswith(".zip"):
            self._take_archive(data, name)
        else:
            for piece in pieces_of(data, name, self):
                self._keep(replace(piece, group=piece.group or group))

    def _take_scene(self, data: bytes, name: str) -> None:
        if self.scene is not None:
            raise BadArt(f"{name}: a scene in OpenRaster is already in this batch; bring this one in by itself")
        self.scene, self.scene_from = openraster.read(data, name), name
        self.notes += self.scene.notes

    def _take_archive(self, data: bytes, name: str) -> None:
        unpacked = list[tuple[str, bytes | BadArt]]()
        try:  # the child is let go before what it unpacked is read, which wants a child too
            for found in all_members(data, name, self.bytes_left):
                unpacked.append(found)  # those that came before a refusal stay
        except BadArt as error:
            if not unpacked:
                raise
            self.refused.append(str(error))
        for member, inner in unpacked:
            path = PurePosixPath(member)
            where = f"{name}: {member}"
            try:
                if isinstance(inner, BadArt):
                    raise inner
                if inner[:2] == b"PK" and not _is_openraster(inner):
                    raise BadArt(f"{where}: is an archive within an archive; unpack it first")
                self._take_member(inner, path, where)
            except ClinamenError as error:
                self.refused.append(str(error))

    def _take_member(self, data: bytes, path: PurePosixPath, where: str) -> None:
        if data[:2] == b"PK":
            self._take_scene(data, where)
            return
        group = " / ".join(path.parts[:-1])[:200]
        for piece in pieces_of(data, path.name, self, where):
            self._keep(replace(piece, file=f"{path.parent}/{piece.file}", group=piece.group or group))


def _is_openraster(data: bytes) -> bool:
    return MIMETYPE.encode() in data[:200]


def pieces_of(data: bytes, name: str, batch: Brought, where: str = "") -> Iterator[Piece]:
    """The pieces of one file, within what the batch's budget still allows; BadArt names it as `where`."""
    where, label = where or name, name_from_file(name)
    stem = PurePosixPath(name).stem
    if is_tiff(data):
        sizes: list[tuple[int, int]] = []

        def allow(found: list[tuple[int, int]]) -> None:
            batch.allow(found, where)
            sizes.extend(found)

        for number, page in enumerate(tiff_pages(data, where, allow), 1):
            own = page.name or (label if len(sizes) == 1 else f"{label} {number}")
            file = f"{stem}.png" if len(sizes) == 1 else f"{stem}-{number}.png"
            yield Piece(file, own, page.data, label if len(sizes) > 1 else "")
    elif is_vector(data):
        groups = vector_groups(data, where)
        for number, group in enumerate(groups, 1):
            head = inspect(group.data, where)
            batch.allow([(head.width, head.height)], where)
            batch.notes += group.notes
            alone = len(groups) == 1
            file = f"{stem}.svg" if alone else f"{stem}-{number}.svg"
            around = WITHIN.join(part for part in ("" if alone else label, group.within) if part)[:200]
            yield Piece(file, label if alone else group.name, group.data, around, group.laid)
    else:
        head = inspect(data, where)
        batch.allow([(head.width, head.height)], where)
        yield Piece(name, label, data)
