"""MP4 with H.264: what plays everywhere."""

from clinamen.core.film.formats.base import BT709, TAGS, Format, Quality, Strip, quicktime, stamped, ticks_of

CRF: dict[Quality, tuple[str, str]] = {
    "draft": ("ultrafast", "26"), "small": ("medium", "23"), "usual": ("veryfast", "15"), "fine": ("medium", "12"),
}  # fmt: skip


class Mp4(Format):
    id = "mp4"
    ending = ".mp4"
    name = "MP4, H.264"
    even = True
    part = ".mp4"
    copies = True
    plays = True

    def encode(self, strip: Strip) -> list[str]:
        preset, crf = CRF[strip.quality]
        coded = ["-c:v", "libx264", "-preset", preset, "-crf", crf, "-pix_fmt", "yuv420p", "-flags", "+cgop"]
        return ["-vf", BT709, *coded, *TAGS, *quicktime(strip)]

    def join(self, strip: Strip) -> list[str]:
        return ["-c", "copy", *stamped(strip, ticks_of(strip)), *quicktime(strip)]
