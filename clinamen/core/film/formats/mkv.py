"""Matroska with FFV1: every pixel as it was drawn."""

from clinamen.core.film.formats.base import Format, Strip, stamped


class Mkv(Format):
    id = "mkv"
    ending = ".mkv"
    name = "Matroska, FFV1 without loss"
    alpha = True
    copies = True

    def join(self, strip: Strip) -> list[str]:
        return ["-c", "copy", *stamped(strip, 1000)]
