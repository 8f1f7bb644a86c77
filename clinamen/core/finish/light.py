"""Light: how much falls on each place of a sheet at rest, and what it does to coded colours.

E = ambient · C0 + level · C1 / (1 + (d / reach)²), per channel, C0 and C1 the colours in linear light and d the true distance
from the key light to the place. A coded value is multiplied by E^(1/2.2): light is a factor in linear light, and 2.2 the exponent
that a coded value stands for nearly everywhere (IEC 61966-2-1), so that a browser's own multiply draws the same. Art that repeats
would show a seam at every joint: all of it gets the mean of what falls on the one that is framed.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import cv2
import numpy as np

from clinamen.core.arrays import Floats, Pixels, Planes
from clinamen.core.bounded import Bounded
from clinamen.core.document import Layer, Light, Scene
from clinamen.core.look.filters import Filter
from clinamen.core.look.working import colour_of, linear
from clinamen.core.motion.states import State
from clinamen.core.quantities import plain
from clinamen.core.stage import stage_at
from clinamen.core.stage.formula import shape_of

EXPONENT = 1 / 2.2
SPREAD = 65  # places a side that a mean is taken of
KEPT = 2000  # sheets whose light is kept as it was worked out
FALLS = 1024  # entries of the table that compiled code goes by
STOPS = 48  # of the gradient that a browser draws


@dataclass(frozen=True)
class Lit:
    """What falls on one sheet, `even`: alike on all of it, per channel. Otherwise the key light stands `away` true pixels off its
    plane over the place (a, b) of the stretched art, counted from its middle; `size`: true pixels an art pixel; no key where
    only ambient light reaches it."""

    light: Light
    key: tuple[float, float, float, float] | None  # a, b, away, size
    shape: tuple[float, float]
    even: tuple[float, ...] | None = None

    def _factor(self, squared: Floats) -> Floats:
        """What coded values [..., 3] are multiplied by at squared true distances [...] from the key light."""
        return self._falls(squared) ** EXPONENT

    def _falls(self, squared: Floats) -> Floats:
        if self.even is not None:
            return np.broadcast_to(np.array(self.even), (*squared.shape, 3))
        ambient, key = self._colours()
        falls = ambient if self.key is None else ambient + self._near(squared)[..., None] * key
        return np.broadcast_to(falls, (*squared.shape, 3))

    def _colours(self) -> tuple[Floats, Floats]:
        """What falls everywhere, and of what colour the key light is, both in linear light."""
        light = self.light
        key = np.zeros(3) if light.key is None else linear(np.array(colour_of(light.key.colour)))
        return light.ambient * linear(np.array(colour_of(light.colour))), key

    def _near(self, squared: Any) -> Any:
        """How much of the key light falls at squared true distances from it, in their own precision."""
        assert self.light.key is not None
        return self.light.key.level / (1 + squared / self.light.key.reach**2)

    def _squared(self, a: Any, b: Any) -> Any:
        """Squared true distances from the key light to places of the art, from its middle, in their own precision."""
        assert self.key is not None
        at_a, at_b, away, size = self.key
        across, stretch = self.shape
        return away**2 + size**2 * ((a + across * b - at_a) ** 2 + (stretch * b - at_b) ** 2)

    def spread(self, width: float, height: float) -> "Lit":
        """The same light, all of it alike on art of this size."""
        a, b = (np.linspace(-0.5, 0.5, SPREAD) * side for side in (width, height))
        mean = self._falls(self._squared(a[None, :], b[:, None])).mean(axis=(0, 1))
        return replace(self, key=None, even=tuple(float(value) for value in mean))

    def work(self, planes: Planes, a: Planes, b: Planes) -> Planes:
        """Straight planes lit; `a` and `b` [h, w] are places of the art from its middle."""
        out = planes.copy()
        if self.key is None:
            factor = self._factor(np.zeros(1))[0].astype(np.float32)
            out[..., :3] = np.clip(planes[..., :3] * factor, 0, 1)
            return out
        near = self._near(self._squared(a, b))
        for channel, (ambient, key) in enumerate(zip(*self._colours(), strict=True)):
            factor = cv2.pow(float(ambient) + near * float(key), EXPONENT)
            out[..., channel] = np.clip(planes[..., channel] * factor, 0, 1)
        return out

    def shone(self, pixels: Pixels, grid: tuple[float, float, float], air: Floats, clear: bool) -> Pixels | None:
        """Straight pixels [h, w, 4] uint8 as `work` lights them and then through tables [3, n] of what the air makes of coded
        values; None where compiled code cannot be had. `grid`: art pixels from the art's middle to the first pixel, across and
        down, and from one pixel to the next. Clear pixels lose their colours unless `clear`."""
        kernel = compiled()
        if kernel is None:
            return None
        place, falls = (0.0,) * 6, np.zeros(FALLS)
        if self.key is not None and self.light.key is not None:
            at_a, at_b, away, size = self.key
            reach = self.light.key.reach**2
            place = (at_a, at_b, *self.shape, away**2 / reach, size**2 / reach)
            with np.errstate(divide="ignore"):  # no light at all falls infinitely far away
                falls = reach * (1 / np.linspace(0, 1, FALLS) ** 2 - 1)
        factors = self._factor(falls).astype(np.float32)
        out = np.empty(pixels.shape, np.uint8)
        tables = np.ascontiguousarray(255 * air.T, np.float32)
        pixels = np.ascontiguousarray(pixels)
        kernel(pixels, np.array(grid, np.float32), np.array(place, np.float32), factors, tables, clear, out)
        return out

    def filter(self, made: Filter, width: float, height: float, margin: float) -> None:
        """The same as primitives, on a box of this size with a margin all round."""
        squared = np.zeros(1)
        if self.key is None:
            made.matrix(np.column_stack([np.diag(self._factor(squared)[0]), np.zeros(3)]))
            return
        assert self.light.key is not None
        a, b, away, size = self.key
        across, stretch = self.shape
        wide, high = width + 2 * margin, height + 2 * margin
        corners = np.array([[x, y] for x in (-wide / 2, wide / 2) for y in (-high / 2, high / 2)])
        far = float(np.hypot(corners[:, 0] + across * corners[:, 1] - a, stretch * corners[:, 1] - b).max())
        # stops lie where the falling off is bent: even in the angle under which the light is seen
        scale = np.sqrt(away**2 + self.light.key.reach**2) / size
        at = np.tan(np.linspace(0, np.arctan(far / scale), STOPS)) * scale
        factor = self._factor(away**2 + (size * at) ** 2)
        most = max(1.0, float(factor.max()))
        stops = "".join(
            f"<stop offset='{plain(place / far)}' stop-color='#{_hex(value / most)}'/>"
            for place, value in zip(at, factor, strict=True)
        )
        turn = f"matrix(1,0,{plain(-across / stretch)},{plain(1 / stretch)},{plain(wide / 2)},{plain(high / 2)})"
        drawn = (
            f"<svg xmlns='http://www.w3.org/2000/svg' width='{plain(wide)}' height='{plain(high)}'><radialGradient id='g' "
            f"gradientUnits='userSpaceOnUse' cx='{plain(a)}' cy='{plain(b)}' r='{plain(far)}' gradientTransform='{turn}'>"
            f"{stops}</radialGradient><rect width='100%' height='100%' fill='url(#g)'/></svg>"
        )
        art = made.last
        place = {"x": -margin, "y": -margin, "width": wide, "height": high, "preserveAspectRatio": "none"}
        light = made.add("feImage", attributes={**place, "href": f"data:image/svg+xml,{_quoted(drawn)}"})
        made.sum(art, light, 0.0, k1=1.0, k2=0.0)
        if most > 1:
            made.matrix(np.eye(3, 4) * most)


@cache
def compiled() -> "Callable[..., None] | None":
    """The kernel, tried once; None where compiled code cannot be had, of which the raster tells."""
    try:
        from clinamen.core.compiled.lighting import shone

        one, two = np.zeros((1, 1, 4), np.uint8), np.zeros((2, 3), np.float32)
        shone(one, np.zeros(3, np.float32), np.zeros(6, np.float32), two, two, True, one.copy())
        return shone
    except Exception:  # whatever keeps numba from compiling or from keeping what it compiled
        return None


Stands = tuple[float, float, float, float] | None
_stands: "Bounded[Stands]" = Bounded(KEPT, lambda stands: 1)


def lit_of(scene: Scene, layer: Layer) -> Lit | None:
    """How a layer is lit at rest; None where light changes nothing."""
    light, key = scene.light, scene.light.key
    if not layer.takes.light or light == Light():
        return None
    stands: Stands = None
    if key is not None:  # how bright it is has no say in where it stands
        told = (key.x, key.y, key.depth, scene.lens, scene.view.width, scene.carriers, scene.groups, layer)
        stands = _stands.get(told, lambda: _key_over(scene, layer))
    lit = Lit(light, stands, shape_of(layer))
    return lit.spread(layer.art.width, layer.art.height) if stands and layer.repeats else lit


def _key_over(scene: Scene, layer: Layer) -> Stands:
    """Where the key light stands over a layer's art, and what an art pixel measures; None over what lies without end."""
    key = scene.light.key
    assert key is not None
    still = {"camera": type(scene.camera)(), "drivers": type(scene.drivers)(), "tracks": (), "layers": (layer,)}
    # what carries it does nothing at rest but by itself
    sheet = stage_at(scene.model_copy(update=still), State()).sheets[0]
    if sheet.rate[0] <= 0:
        return None
    at, stand, size = (value[0] for value in sheet.standing())
    distance = scene.lens_distance
    place = np.array([key.x, key.y, distance]) * (1 + key.depth / distance)
    a, b, away = (place - at) @ stand
    return float(a / size), float(b / size), float(away), float(size)


def _hex(colour: Floats) -> str:
    return "".join(f"{round(255 * float(value)):02x}" for value in np.clip(colour, 0, 1))


def _quoted(text: str) -> str:
    return text.replace("#", "%23").replace("<", "%3C").replace(">", "%3E")
