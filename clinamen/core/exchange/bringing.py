"""Bring in: any file a user drops becomes pieces of art, or a whole scene; what cannot be used is named, the rest kept.

A piece is a picture file that can become a layer. Pages of a TIFF, groups of an SVG and members of a ZIP are pieces of
their own; a ZIP's folders become groups.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

from clinamen.core.artwork import encode_png, inspect, is_vector
from clinamen.core.errors import BadArt, BadDocument, ClinamenError
from clinamen.core.exchange import openraster, svg, tiff
from clinamen.core.exchange.archive import open_archive, read_member
from clinamen.core.exchange.names import name_from_file

LEFT_OUT = ("__MACOSX/", ".")  # what archives carry besides their files
ACCEPTED = ".png,.jpg,.jpeg,.webp,.avif,.tif,.tiff,.svg,.ora,.zip"


@dataclass(frozen=True)
class Piece:
    """A picture to become a layer: `file` names it in messages and in the order, `name` and `group` on the layer."""

    file: str
    name: str
    data: bytes
    group: str = ""


@dataclass
class Brought:
    """What came of files: pieces in the order they were found, at most one whole scene, a sentence for each refusal."""

    pieces: list[Piece] = field(default_factory=list)
    scene: openraster.Opened | None = None
    scene_from: str = ""
    refused: list[str] = field(default_factory=list)

    def take(self, data: bytes, name: str) -> None:
        """Add one file."""
        try:
            self._take(data, PurePosixPath(name.replace("\\", "/")).name, "")
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
            self.pieces += [replace(piece, group=piece.group or group) for piece in pieces_of(data, name)]

    def _take_scene(self, data: bytes, name: str) -> None:
        if self.scene is not None:
            raise BadArt(f"{name}: a scene in OpenRaster is already in this batch; bring this one in by itself")
        self.scene, self.scene_from = openraster.read(data, name), name

    def _take_archive(self, data: bytes, name: str) -> None:
        archive = open_archive(data, name)
        members = [m for m in archive.namelist() if not m.endswith("/") and not _left_out(m)]
        if not members:
            raise BadArt(f"{name}: holds no file; pack the pictures again")
        for member in members:
            path = PurePosixPath(member)
            where = f"{name}: {member}"
            try:
                inner = read_member(archive, member, name)
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
        found = pieces_of(data, path.name, where)
        self.pieces += [
            replace(piece, file=f"{path.parent}/{piece.file}", group=piece.group or group) for piece in found
        ]


def _left_out(member: str) -> bool:
    path = PurePosixPath(member)
    return member.startswith(LEFT_OUT[0]) or path.name.startswith(LEFT_OUT[1])


def _is_openraster(data: bytes) -> bool:
    return openraster.MIMETYPE.encode() in data[:200]


def pieces_of(data: bytes, name: str, where: str = "") -> Iterator[Piece]:
    """The pieces of one file; BadArt names it as `where`."""
    where, label = where or name, name_from_file(name)
    stem = PurePosixPath(name).stem
    if tiff.is_tiff(data):
        found = list(tiff.pages(data, where))
        for number, page in enumerate(found, 1):
            own = page.name or (label if len(found) == 1 else f"{label} {number}")
            file = f"{stem}.png" if len(found) == 1 else f"{stem}-{number}.png"
            yield Piece(file, own, encode_png(page.pixels, level=2), label if len(found) > 1 else "")
    elif is_vector(data):
        groups = svg.groups(data, where)
        for number, group in enumerate(groups, 1):
            inspect(group.data, where)
            alone = len(groups) == 1
            file = f"{stem}.svg" if alone else f"{stem}-{number}.svg"
            yield Piece(file, label if alone else group.name, group.data, "" if alone else label)
    else:
        inspect(data, where)
        yield Piece(name, label, data)
