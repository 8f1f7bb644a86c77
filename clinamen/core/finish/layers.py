"""The finish of a layer: all that its look, its groups', light and air do to its art, none of which changes while it moves.

Steps come in order, the layer's first, then its groups'; then light, then air. What brings layers together comes before all of
that, since it goes by the art's own colours, and fades last. Exports bake it (`work`), the editor shows the same as an SVG
filter and a CSS mask (`worn`). Softness is no part of it: the lens and tracks have a say in that.
"""

import hashlib
import json
import math
from dataclasses import dataclass

import numpy as np

from clinamen.core.air import kept_share
from clinamen.core.arrays import Floats, Pixels
from clinamen.core.bounded import Bounded
from clinamen.core.cached import cached_property
from clinamen.core.document import Layer, Scene, seen_layers, steps_of
from clinamen.core.finish.light import Lit, lit_of
from clinamen.core.look.filters import Filter
from clinamen.core.look.steps import Fade, LookStep, Soft, Together
from clinamen.core.look.working import coded, colour_of, linear, looked_up, ramp
from clinamen.core.pictures.cells import cut, packed

STRIP = 1_500_000  # pixels worked on at a time where nothing reaches across them
WORN = 2000  # finishes whose filters are kept as text
PAD = {"tile": "wrap", "mirror": "symmetric"}


@dataclass(frozen=True)
class Worn:
    """How the editor shows a finish: a filter element of this name, and a value of CSS `mask-image`; both may be empty."""

    svg: str
    mask: str


_worn: "Bounded[Worn]" = Bounded(WORN, lambda worn: 1)


@dataclass(frozen=True)
class Finish:
    """`scale`: art pixels a scene pixel. `kept` and `air`: the share of own colour and the colour that takes the rest."""

    layer: Layer
    steps: tuple[LookStep, ...]
    lit: Lit | None
    kept: float
    air: str
    scale: float

    @cached_property
    def key(self) -> str:
        """Names what it does, for pictures that are kept."""
        told = [
            [step.model_dump(mode="json") for step in self.steps], repr(self.lit), self.kept, self.air, self.scale,
            self.layer.repeat.model_dump(), self.layer.art.width, self.layer.art.height,
        ]  # fmt: skip
        return hashlib.blake2b(json.dumps(told).encode(), digest_size=12).hexdigest()

    @cached_property
    def margin(self) -> int:
        """Art pixels that it needs all round the art; repeating art shines into its neighbours instead."""
        return 0 if self.layer.repeats else self._reach

    @cached_property
    def _reach(self) -> int:
        return math.ceil(sum(step.reach() for step in self.steps) * self.scale)

    @property
    def fades(self) -> list[Fade]:
        return [step for step in self.steps if isinstance(step, Fade)]

    # --- baked -------------------------------------------------------------------------------------------------------

    def strip(self, pixels: Pixels) -> Pixels:
        """All cells of an actor finished, or plain art; the cells, or the picture, with its margin all round."""
        frames = self.layer.frames
        if frames is None:
            return self.work(pixels)
        cells = cut(pixels, frames.columns, frames.rows)
        return packed(np.stack([self.work(cell) for cell in cells]), frames.columns, frames.rows)

    def work(self, pixels: Pixels, clear: bool = True) -> Pixels:
        """The art, or one cell, [h, w, 4] uint8 at any size, finished: larger by its margin all round. Without `clear`,
        clear pixels may lose their colours, which is quicker."""
        finer = pixels.shape[1] / self.layer.art.width
        pad = round(self._reach * finer)
        if not pad:
            rows = max(1, STRIP // pixels.shape[1])
            parts = [self._worked(pixels[y : y + rows], finer, clear, y) for y in range(0, len(pixels), rows)]
            return np.concatenate(parts)
        repeat = self.layer.repeat
        padded = pixels
        for axis, how in ((0, repeat.y), (1, repeat.x)):
            width = [(pad, pad) if axis == at else (0, 0) for at in range(3)]
            padded = np.pad(padded, width, mode=PAD.get(how, "constant"))  # type: ignore[call-overload]
        done = self._worked(padded, finer, clear, -pad, -pad)
        return done[pad:-pad, pad:-pad].copy() if self.layer.repeats else done

    def _worked(self, pixels: Pixels, finer: float, clear: bool, top: int, left: int = 0) -> Pixels:
        steps, art = [step for step in self.steps if not isinstance(step, Fade)], self.layer.art
        first = (left + 0.5) / finer - art.width / 2, (top + 0.5) / finer - art.height / 2
        if self.lit is not None and not steps and not self.fades:  # straight from bytes, the quickest way
            done = self.lit.shone(pixels, (*first, 1 / finer), self._air_tables(), clear)
            if done is not None:
                return done
        planes = pixels.astype(np.float32) / np.float32(255)
        for step in steps:
            planes = step.work(planes, self.scale * finer)
        if self.lit is not None or self.fades:
            a = (np.arange(planes.shape[1], dtype=np.float32) / finer + first[0])[None, :]
            b = (np.arange(planes.shape[0], dtype=np.float32) / finer + first[1])[:, None]
            planes = planes if self.lit is None else self.lit.work(planes, a, b)
            for fade in self.fades:
                planes = planes.copy()
                planes[..., 3] *= fade.shares(a / self.scale, b / self.scale)
        if self.kept < 1:
            planes = looked_up(planes, self._air_tables())
        return np.rint(planes * 255).astype(np.uint8)

    def _air_tables(self) -> Floats:
        """Mixed in linear light, told of coded values."""
        air = linear(np.array(colour_of(self.air)))
        return coded(self.kept * linear(ramp()) + (1 - self.kept) * air[:, None])

    # --- shown -------------------------------------------------------------------------------------------------------

    def worn(self, name: str) -> Worn:
        """As the editor shows it, on a box as large as the art (of an actor, one cell)."""
        return _worn.get((self.key, name), lambda: self._filtered(name))

    def _filtered(self, name: str) -> Worn:
        made, art = Filter(), self.layer.art
        for step in self.steps:
            step.filter(made, self.scale)
        if self.lit is not None:
            self.lit.filter(made, art.width, art.height, self.margin)
        if self.kept < 1:
            made.tables(self._air_tables())
        reach = self.margin / art.width, self.margin / art.height
        svg = made.written(name, reach) if made.parts else ""
        return Worn(svg, ",".join(fade.mask(art.width, art.height, self.scale) for fade in self.fades))


def finished_cells(finish: Finish | None, cells: Pixels) -> Pixels:
    """An actor's cells [n, h, w, 4], each finished."""
    return cells if finish is None else np.stack([finish.work(cell) for cell in cells])


def brought_together(scene: Scene, layer: Layer) -> list[Together]:
    """The steps that no filter has words for, so that the editor's art has them baked: each pixel's colour alone."""
    return [step for step in steps_of(scene, layer) if isinstance(step, Together)]


def finish_of(scene: Scene, layer: Layer) -> Finish | None:
    """A layer's finish; None where its art is shown as it is."""
    worn = [step for step in steps_of(scene, layer) if not isinstance(step, Soft)]
    steps = tuple(sorted(worn, key=lambda step: not isinstance(step, Together)))
    kept, lit = kept_share(scene, layer), lit_of(scene, layer)
    if not steps and lit is None and kept == 1:
        return None
    return Finish(layer, steps, lit, kept, scene.air.colour, 1 / layer.framing.scale)


def worn_by(scene: Scene, prefix: str) -> dict[str, Worn]:
    """How the editor shows every layer that is not shown as it is, by layer id; names of filters begin with `prefix`."""
    seen = seen_layers(scene)
    finishes = [(number, layer, finish_of(scene, layer)) for number, layer in enumerate(seen)]
    return {layer.id: made.worn(f"{prefix}-f{number}") for number, layer, made in finishes if made is not None}
