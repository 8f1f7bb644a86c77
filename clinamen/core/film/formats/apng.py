"""APNG: every pixel as it was drawn, in a file that browsers show as a picture."""

from clinamen.core.film.formats.base import Format, Strip


class Apng(Format):
    id = "apng"
    ending = ".apng"
    name = "APNG"
    alpha = True
    shown = "picture"

    def join(self, strip: Strip) -> list[str]:
        kind = "rgba" if strip.transparent else "rgb24"
        return ["-c:v", "apng", "-pred", "mixed", "-pix_fmt", kind, "-plays", "0", "-f", "apng"]
