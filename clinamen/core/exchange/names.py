"""Names to ids and to an order: what people call their files becomes layer names, ids and a drawing order."""

import re
import unicodedata
from collections.abc import Iterable
from pathlib import PurePosixPath

from clinamen.core.quantities import whole

LONGEST_ID = 60


def natural_key(name: str) -> list[tuple[int, int | str]]:
    """Sort key in which "layer 2" comes before "layer 10"."""
    parts = re.split(r"(\d+)", name.casefold())
    numbers = [(part, whole(part)) for part in parts if part]
    return [(1, part) if number is None else (0, number) for part, number in numbers]


def name_from_file(file: str) -> str:
    """A layer name from a file name: "03_far-kelp.png" becomes "Far kelp"."""
    stem = PurePosixPath(file.replace("\\", "/")).stem
    words = re.sub(r"[_\-\s]+", " ", re.sub(r"^\d+[\s._-]+(?=\D)", "", stem)).strip() or stem
    return (words[:1].upper() + words[1:])[:200]


def known_as(name: str) -> str:
    """A name as names are compared: Unicode normalised, case folded, blanks, hyphens and underscores all one blank."""
    return re.sub(r"[_\-\s]+", " ", unicodedata.normalize("NFKC", name).casefold()).strip()


def file_stem(name: str, taken: Iterable[str]) -> str:
    """The stem of a file's name within a scene: letters of every script stay, so that the file is known by it again."""
    base = re.sub(r"[\W_]+", "-", unicodedata.normalize("NFC", name).casefold()).strip("-")[:LONGEST_ID].strip("-")
    return numbered(base or "picture", set(taken))


def numbered(base: str, used: set[str]) -> str:
    """`base`, with a number after it where that is used already."""
    number, found = 2, base
    while found in used:
        found, number = f"{base}-{number}", number + 1
    return found


def id_from_name(name: str, taken: Iterable[str]) -> str:
    """An id of plain letters, digits and hyphens that is not yet taken and is not "camera"."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    base = re.sub(r"[^a-z0-9]+", "-", plain.casefold()).strip("-")[:LONGEST_ID].strip("-") or "layer"
    return numbered(base, {*taken, "camera"})
