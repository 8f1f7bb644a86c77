"""Animated WebP."""

from clinamen.core.film.formats.base import Format, Quality, Strip

QUALITY: dict[Quality, str] = {"draft": "60", "small": "75", "usual": "90", "fine": "97"}


class WebP(Format):
    id = "webp"
    ending = ".webp"
    name = "animated WebP"
    alpha = True
    shown = "picture"
    most_side = 16383

    def join(self, strip: Strip) -> list[str]:
        kind = "yuva420p" if strip.transparent else "yuv420p"
        return [
            "-c:v",
            "libwebp_anim",
            "-quality",
            QUALITY[strip.quality],
            "-compression_level",
            "4",
            "-pix_fmt",
            kind,
            "-loop",
            "0",
        ]
