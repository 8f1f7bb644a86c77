"""MOV with ProRes 4444: for compositing, transparency whole."""

from clinamen.core.film.formats.base import BT709, TAGS, Format, Strip, quicktime, stamped, ticks_of


class Mov(Format):
    id = "mov"
    ending = ".mov"
    name = "MOV, ProRes 4444"
    alpha = True
    even = True
    part = ".mov"
    copies = True

    def encode(self, strip: Strip) -> list[str]:
        alpha = ["-pix_fmt", "yuva444p10le", "-alpha_bits", "16"] if strip.transparent else ["-pix_fmt", "yuv444p10le"]
        coded = ["-c:v", "prores_ks", "-profile:v", "4444", "-vendor", "apl0", "-qscale:v", "4"]
        return ["-vf", BT709, *coded, *alpha, *TAGS, *quicktime(strip)]

    def join(self, strip: Strip) -> list[str]:
        return ["-c", "copy", *stamped(strip, ticks_of(strip)), *quicktime(strip)]
