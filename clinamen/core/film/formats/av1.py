"""MP4 with AV1: half as large as H.264, coded by SVT-AV1."""

from clinamen.core.film.formats.base import BT709, TAGS, Format, Quality, Strip, quicktime, stamped, ticks_of

CRF: dict[Quality, tuple[str, str]] = {
    "draft": ("12", "40"), "small": ("8", "32"), "usual": ("9", "18"), "fine": ("7", "12"),
}  # fmt: skip


class Av1(Format):
    id = "av1"
    ending = ".av1.mp4"
    name = "MP4, AV1"
    even = True
    part = ".mp4"
    copies = True
    plays = True

    def encode(self, strip: Strip) -> list[str]:
        preset, crf = CRF[strip.quality]
        coded = ["-c:v", "libsvtav1", "-preset", preset, "-crf", crf, "-pix_fmt", "yuv420p"]
        return ["-vf", BT709, *coded, *TAGS, *quicktime(strip)]

    def join(self, strip: Strip) -> list[str]:
        return ["-c", "copy", *stamped(strip, ticks_of(strip)), *quicktime(strip)]
