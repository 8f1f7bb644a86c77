"""Archives in: unpacked in the child that reads pictures, within its limits of memory and time, as much as is asked for."""

from collections.abc import Iterator, Sequence

from clinamen.core.errors import BadArt
from clinamen.core.pictures.archive import UNPACKED
from clinamen.core.pictures.limits import check_file
from clinamen.core.pictures.orastack import Entry, Fold, Listed, Stack
from clinamen.core.pictures.pool import POOL


def listed_in(data: bytes, name: str) -> Listed:
    """What an OpenRaster file holds; BadArt where it is none, or damaged."""
    check_file(data, name)
    said, text = POOL.ask("listed", data, name)
    stack = said.get("stack")
    if stack is None:
        return Listed(frozenset(said["names"]), text)
    entries = tuple(Entry(**entry) for entry in stack["entries"])
    folds = tuple(Fold(**fold) for fold in stack["folds"])
    made = Stack(stack["width"], stack["height"], entries, folds, tuple(stack["notes"]))
    return Listed(frozenset(said["names"]), made)


def members_of(data: bytes, name: str, wanted: Sequence[str], most: int = UNPACKED) -> Iterator[tuple[str, bytes]]:
    """Those members of an archive and their bytes; BadArt names the first that is damaged or not there, and says where all
    together are more than `most` bytes."""
    for member, found in _unpacked(data, name, most, list(wanted)):
        if isinstance(found, BadArt):
            raise found
        yield member, found


def all_members(data: bytes, name: str, most: int = UNPACKED) -> Iterator[tuple[str, bytes | BadArt]]:
    """Every file of an archive and its bytes, or why they cannot be had; BadArt where the archive itself cannot be read, and
    after the last that `most` bytes have room for."""
    return _unpacked(data, name, most, None)


def _unpacked(data: bytes, name: str, most: int, wanted: list[str] | None) -> Iterator[tuple[str, bytes | BadArt]]:
    check_file(data, name)
    for said, payload in POOL.stream("members", data, name, {"members": wanted}):
        if "member" not in said:
            return
        most -= len(payload)
        if most < 0:
            raise BadArt(
                f"{name}: {said['member']}: with it the batch is too large; bring the rest in as another batch"
            )
        yield str(said["member"]), BadArt(str(said["bad"])) if "bad" in said else payload
