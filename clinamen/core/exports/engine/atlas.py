"""Atlas pages: layers' trimmed art packed side by side, each with a frame of its own edge colours against bleeding."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from rectpack import SORT_AREA, MaxRectsBssf, PackingBin, PackingMode, newPacker

from clinamen.core.arrays import Pixels
from clinamen.core.errors import BadEdit

PADDING = 4  # pixels around each sprite, filled from its edge: enough for bilinear filtering and two mipmap levels


@dataclass(frozen=True)
class Sprite:
    """One picture to pack: the rectangle `box` (left, top, right, bottom) of `pixels` [h, w, 4], all of it where there is none.
    It is framed by what lies around it, by its own edge where nothing does."""

    id: str
    pixels: Pixels
    box: tuple[int, int, int, int] | None = None

    @property
    def place(self) -> tuple[int, int, int, int]:
        return self.box or (0, 0, self.pixels.shape[1], self.pixels.shape[0])

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        left, top, right, bottom = self.place
        return right - left, bottom - top

    def framed(self) -> Pixels:
        left, top, right, bottom = self.place
        rows = np.clip(np.arange(top - PADDING, bottom + PADDING), 0, self.pixels.shape[0] - 1)
        columns = np.clip(np.arange(left - PADDING, right + PADDING), 0, self.pixels.shape[1] - 1)
        return self.pixels[np.ix_(rows, columns)]


@dataclass(frozen=True)
class Spot:
    """Where a sprite's own pixels stand: page index and top left corner."""

    page: int
    x: int
    y: int


def pack(sprites: Sequence[Sprite], page_size: int, power_of_two: bool) -> tuple[list[Pixels], dict[str, Spot]]:
    """Pages [h, w, 4] and each sprite's spot; BadEdit names a sprite that no page can hold."""
    if not sprites:
        return [], {}
    packer = newPacker(mode=PackingMode.Offline, bin_algo=PackingBin.BFF, pack_algo=MaxRectsBssf, sort_algo=SORT_AREA,
                       rotation=False)  # fmt: skip
    for index, sprite in enumerate(sprites):
        width, height = sprite.size
        if max(width, height) + 2 * PADDING > page_size:
            raise BadEdit(
                f"{sprite.id.partition('/')[0]}: is {width} × {height} px, more than an atlas page of {page_size} px holds; "
                "choose a larger page size"
            )
        packer.add_rect(width + 2 * PADDING, height + 2 * PADDING, index)
    packer.add_bin(page_size, page_size, count=float("inf"))
    packer.pack()
    placed = packer.rect_list()
    pages = []
    for page in range(max(item[0] for item in placed) + 1):
        mine = [item for item in placed if item[0] == page]
        width = _side(max(item[1] + item[3] for item in mine), power_of_two)
        height = _side(max(item[2] + item[4] for item in mine), power_of_two)
        pages.append(np.zeros((height, width, 4), np.uint8))
    spots = {}
    for page, x, y, width, height, index in placed:
        pages[page][y : y + height, x : x + width] = sprites[index].framed()
        spots[sprites[index].id] = Spot(page, x + PADDING, y + PADDING)
    return pages, spots


def _side(length: int, power_of_two: bool) -> int:
    return 1 << (length - 1).bit_length() if power_of_two else length
