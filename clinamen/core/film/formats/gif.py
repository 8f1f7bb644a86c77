"""GIF: 256 colours chosen for the whole film, dithered; pixels are seen or not."""

from clinamen.core.film.formats.base import Format, Strip


class Gif(Format):
    id = "gif"
    ending = ".gif"
    name = "GIF"
    alpha = True
    shown = "picture"
    most_rate = 50  # browsers slow down what is quicker
    most_side = 65535

    def join(self, strip: Strip) -> list[str]:
        reserved = ":reserve_transparent=1" if strip.transparent else ":reserve_transparent=0"
        chosen = f"palettegen=stats_mode=full{reserved}"
        used = "paletteuse=dither=sierra2_4a:alpha_threshold=128"
        return ["-filter_complex", f"[0:v]split[a][b];[a]{chosen}[p];[b][p]{used}", "-loop", "0"]
