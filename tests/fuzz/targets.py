"""What is fed with any bytes: each target reads them or refuses them in one sentence; everything else is a fault of the program."""

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from clinamen.core.boundary import within
from clinamen.core.document import parse, parse_text
from clinamen.core.errors import ClinamenError
from clinamen.core.pictures import svggroups, vector
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.orastack import listed
from clinamen.core.quantities import number, whole

SEEDS = Path(__file__).parent / "seeds"


def document(data: bytes) -> None:
    """A scene document; what is read is written and read again as the same."""
    made = parse_text(data, "scene.json")
    assert parse(made.to_json()) == made


def stack(data: bytes) -> None:
    """An OpenRaster file's stack, packed with one small layer."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", data)
        archive.writestr("data/0.png", PIXEL)
    listed(out.getvalue(), "a.ora")


def openraster_file(data: bytes) -> None:
    """Bytes that say they are an OpenRaster file, read as the child reads them; those that are no archive are taken for its stack."""
    if data[:2] == b"PK":
        listed(data, "a.ora")
    else:
        stack(data)


def vector_file(data: bytes) -> None:
    """An SVG: its size, its groups, what there is to say of it; it is not drawn, that is done in a child."""
    for ask in (vector.size, svggroups.groups, vector.notes):
        ask(data, "a.svg")


def quantity(data: bytes) -> None:
    """What somebody types into a number field."""
    text = data.decode("utf-8", "replace")
    whole(text)
    number(text, "field", -1e6, 1e6, "px")


TARGETS: dict[str, Callable[[bytes], None]] = {
    "document": document, "openraster": openraster_file, "vector": vector_file, "quantity": quantity,
}  # fmt: skip
PIXEL = encode_png(np.full((1, 1, 4), 255, np.uint8))


def fed(target: str, data: bytes) -> None:
    """Feed a target; raises what is a fault of the program."""
    try:
        within("input", lambda: TARGETS[target](data))
    except ClinamenError as error:
        assert all(line.strip() for line in str(error).split("\n")), repr(str(error))  # a line for each problem


def seeds(target: str) -> list[Path]:
    """The inputs kept for a target."""
    return sorted(path for path in (SEEDS / target).iterdir() if path.is_file())
