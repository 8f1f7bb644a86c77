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


def id_from_name(name: str, taken: Iterable[str]) -> str:
    """An id of plain letters, digits and hyphens that is not yet taken and is not "camera"."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    base = re.sub(r"[^a-z0-9]+", "-", plain.casefold()).strip("-")[:LONGEST_ID].strip("-") or "layer"
    used = {*taken, "camera"}
    if base not in used:
        return base
    number = 2
    while f"{base}-{number}" in used:
        number += 1
    return f"{base}-{number}"
