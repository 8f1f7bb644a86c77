"""MP4 with H.264: what plays everywhere."""

from typing import ClassVar

from clinamen.core.film.formats.base import BT709, TAGS, Format, Quality, Strip, quicktime, stamped, ticks_of


class Mp4(Format):
    id = "mp4"
    ending = ".mp4"
    name = "MP4, H.264"
    even = True
    part = ".mp4"
    copies = True
    shown = "video"
    coder: ClassVar[tuple[str, ...]] = ("libx264", "-flags", "+cgop")
    # preset and rate factor
    how: ClassVar[dict[Quality, tuple[str, str]]] = {
        "draft": ("ultrafast", "26"), "small": ("medium", "23"), "usual": ("veryfast", "12"), "fine": ("medium", "9"),
    }  # fmt: skip

    def encode(self, strip: Strip) -> list[str]:
        preset, factor = self.how[strip.quality]
        coded = ["-c:v", *self.coder, "-preset", preset, "-crf", factor, "-pix_fmt", "yuv420p"]
        return ["-vf", BT709, *coded, *TAGS, *quicktime(strip)]

    def join(self, strip: Strip) -> list[str]:
        return ["-c", "copy", *stamped(strip, ticks_of(strip)), *quicktime(strip)]
