"""MP4 with AV1: half as large as H.264, coded by SVT-AV1."""

from typing import ClassVar

from clinamen.core.film.formats.base import Quality
from clinamen.core.film.formats.mp4 import Mp4


class Av1(Mp4):
    id = "av1"
    ending = ".av1.mp4"
    name = "MP4, AV1"
    coder: ClassVar[tuple[str, ...]] = ("libsvtav1",)
    how: ClassVar[dict[Quality, tuple[str, str]]] = {
        "draft": ("12", "40"), "small": ("8", "32"), "usual": ("9", "12"), "fine": ("7", "8"),
    }  # fmt: skip
