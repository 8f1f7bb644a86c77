"""WebM with VP9, transparent where that is asked for."""

from clinamen.core.film.formats.base import BT709, TAGS, Format, Quality, Strip, stamped

CRF: dict[Quality, tuple[str, str]] = {
    "draft": ("8", "40"), "small": ("4", "32"), "usual": ("5", "12"), "fine": ("2", "8"),
}  # fmt: skip
MILLISECONDS = 1000  # what Matroska counts in


class WebM(Format):
    id = "webm"
    ending = ".webm"
    name = "WebM, VP9"
    alpha = True
    even = True
    part = ".webm"
    copies = True
    shown = "video"

    def encode(self, strip: Strip) -> list[str]:
        speed, crf = CRF[strip.quality]
        coded = [
            "-c:v",
            "libvpx-vp9",
            "-b:v",
            "0",
            "-crf",
            crf,
            "-row-mt",
            "1",
            "-deadline",
            "good",
            "-cpu-used",
            speed,
        ]
        clear = ["-pix_fmt", "yuva420p", "-auto-alt-ref", "0"] if strip.transparent else ["-pix_fmt", "yuv420p"]
        return ["-vf", BT709, *coded, *clear, *TAGS]

    def join(self, strip: Strip) -> list[str]:
        return ["-c", "copy", *stamped(strip, MILLISECONDS)]
