"""Numbered PNGs, a file a frame: what every program takes."""

from clinamen.core.film.formats.base import Format, Strip


class Pngs(Format):
    id = "png"
    ending = "/"
    name = "numbered PNGs"
    alpha = True
    many = True

    def join(self, strip: Strip) -> list[str]:
        kind = "rgba" if strip.transparent else "rgb24"
        return ["-c:v", "png", "-pred", "up", "-pix_fmt", kind, "-f", "image2"]
