"""A look as an SVG filter (Filter Effects Level 1), primitive by primitive: how the editor shows at once what exports bake.

All of it works on coded sRGB values. Each primitive takes what the one before it made; `source` is the art itself.
"""

from collections.abc import Mapping
from html import escape

from clinamen.core.arrays import Floats
from clinamen.core.look.weights import LUMINANCE
from clinamen.core.quantities import plain


class Filter:
    """The primitives of one filter, and the name of what the last of them made."""

    def __init__(self) -> None:
        self.parts: list[str] = []
        self.last = "SourceGraphic"

    def add(
        self,
        primitive: str,
        into: str = "",
        inside: str = "",
        attributes: Mapping[str, object] | None = None,
        **more: object,
    ) -> str:
        """Add a primitive that works on `into` (what was made last), and give its result's name."""
        name = f"r{len(self.parts)}"
        told = {"in": into or self.last, **(attributes or {}), **more}
        written = "".join(f' {key}="{escape(_text(value))}"' for key, value in told.items())
        self.parts.append(f'<{primitive}{written} result="{name}">{inside}</{primitive}>')
        self.last = name
        return name

    def matrix(self, matrix: Floats, into: str = "") -> str:
        """Colours under a matrix [3, 4]; alpha stays."""
        rows = [f"{plain(r[0])} {plain(r[1])} {plain(r[2])} 0 {plain(r[3])}" for r in matrix]
        return self.add("feColorMatrix", into, type="matrix", values=" ".join([*rows, "0 0 0 1 0"]))

    def tables(self, tables: Floats, kind: str = "table", into: str = "") -> str:
        """Colours through tables [3, n]."""
        functions = "".join(
            f'<feFunc{name} type="{kind}" tableValues="{" ".join(_short(v) for v in table)}"/>'
            for name, table in zip("RGB", tables, strict=True)
        )
        return self.add("feComponentTransfer", into, inside=functions)

    def blur(self, sigma: float, into: str = "") -> str:
        return self.add("feGaussianBlur", into, stdDeviation=sigma)

    def offset(self, dx: float, dy: float, into: str = "") -> str:
        return self.add("feOffset", into, dx=dx, dy=dy)

    def flood(self, colour: str, opacity: float = 1.0) -> str:
        return self.add("feFlood", attributes={"flood-color": colour, "flood-opacity": opacity})

    def composite(self, front: str, back: str, operator: str) -> str:
        return self.add("feComposite", front, in2=back, operator=operator)

    def sum(self, one: str, other: str, share: float, k1: float = 0.0, k2: float = 1.0) -> str:
        """k1·one·other + k2·one + share·other, premultiplied."""
        return self.add("feComposite", one, in2=other, operator="arithmetic", k1=k1, k2=k2, k3=share, k4=0)

    def luminance_mask(self, gain: float, shift: float, into: str) -> str:
        """Alpha = gain · luminance + shift, whatever the alpha was; colour black."""
        row = " ".join(plain(gain * weight) for weight in LUMINANCE)
        return self.add("feColorMatrix", into, type="matrix", values=f"{'0 ' * 15}{row} 0 {plain(shift)}")

    def written(self, name: str, reach: tuple[float, float]) -> str:
        """The filter as an element; `reach`: how far it goes beyond the box, as shares of its width and height."""
        x, y = (plain(share) for share in reach)
        w, h = (plain(1 + 2 * share) for share in reach)
        head = f'<filter id="{escape(name)}" x="-{x}" y="-{y}" width="{w}" height="{h}" color-interpolation-filters="sRGB">'
        return f"{head}{''.join(self.parts)}</filter>"


def _text(value: object) -> str:
    return plain(float(value)) if isinstance(value, (int, float)) else str(value)


def _short(value: float) -> str:
    return f"{float(value):.4f}".rstrip("0").rstrip(".").removeprefix("0") or "0"
