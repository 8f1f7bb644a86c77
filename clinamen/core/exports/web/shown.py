"""What a page shows of a layer's art: the addresses of its pictures and the part that they hold."""

from dataclasses import dataclass, replace

from clinamen.core.document import Layer


@dataclass(frozen=True)
class Shown:
    """What an element shows of a layer's art: image addresses, the trimmed part (left, top, width, height), how wide it is in the
    window (HTML's `sizes`), and how urgently it is fetched."""

    sources: tuple[tuple[str, str], ...]  # (media type, srcset)
    src: str
    part: tuple[int, int, int, int]
    sizes: str = ""
    priority: str = ""

    def within(self, folder: str) -> "Shown":
        """The same, its addresses seen from above the folder it lies in (which ends in a slash, or is empty)."""
        moved = tuple((kind, ", ".join(folder + part for part in srcset.split(", "))) for kind, srcset in self.sources)
        return replace(self, sources=moved, src=folder + self.src)


def unit_size(layer: Layer) -> tuple[int, int]:
    """Size in art pixels of what a repeating layer repeats: a mirror's unit holds the art and its reflection."""
    return (
        layer.art.width * (2 if layer.repeat.x == "mirror" else 1),
        layer.art.height * (2 if layer.repeat.y == "mirror" else 1),
    )
