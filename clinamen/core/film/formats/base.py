"""What a film's format is. A new one is one module: subclass Format, say how frames become a part and parts the file, and name it
in the package's list.

A film is made in parts, a range of frames each, by whoever has time; then they are put together. Where a part's coding can stand
in the file as it is (`copies`), parts are put one after the other and stamped anew, frame n at n / rate; elsewhere they are
kept without loss and coded once, when they are put together.
"""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from fractions import Fraction
from typing import ClassVar, Literal

from clinamen.core.errors import BadEdit
from clinamen.core.registry import Registry

Quality = Literal["draft", "small", "usual", "fine"]
# RGB into Y'CbCr by BT.709 in its narrow range, rounded rather than cut off, and every frame says so
BT709 = (
    "scale=out_color_matrix=bt709:out_range=tv:flags=lanczos+accurate_rnd+full_chroma_int+full_chroma_inp+bitexact,"
    "setparams=range=tv:color_primaries=bt709:color_trc=bt709:colorspace=bt709"
)
TAGS = ["-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "bt709", "-color_range", "tv"]
LOSSLESS = ["-c:v", "ffv1", "-level", "3", "-g", "1", "-slices", "4", "-slicecrc", "0"]


@dataclass(frozen=True)
class Strip:
    """What every frame of a film has in common: size in px, rate, whether it is transparent, and how well it is coded."""

    width: int
    height: int
    rate: Fraction
    transparent: bool = False
    quality: Quality = "usual"


class Format(ABC):
    """One format. `id` is its word, `ending` that of its files, `name` what people call it; `alpha`: it can be transparent;
    `even`: sides must be; `most_side` in px and `most_rate` in frames a second, as far as it can; `part`: ending of its parts'
    files, `copies`: parts stand in the file as they were coded; `many`: a file for each frame, in a folder."""

    id: ClassVar[str]
    ending: ClassVar[str]
    name: ClassVar[str]
    alpha: ClassVar[bool] = False
    even: ClassVar[bool] = False
    most_side: ClassVar[int] = 16384
    most_rate: ClassVar[int] = 240
    part: ClassVar[str] = ".mkv"
    copies: ClassVar[bool] = False
    many: ClassVar[bool] = False
    shown: ClassVar[str] = ""  # how a page shows it: "video", "picture", or not at all

    def encode(self, strip: Strip) -> list[str]:
        """How frames become a part: options of the encoder."""
        return [*LOSSLESS, "-pix_fmt", "bgra" if strip.transparent else "bgr0"]

    @abstractmethod
    def join(self, strip: Strip) -> list[str]:
        """How parts become the file, after they are put one after the other."""

    def padded(self, width: int, height: int) -> tuple[int, int]:
        """The size that is coded: sides that must be even are made so by one pixel more."""
        return (width + width % 2, height + height % 2) if self.even else (width, height)

    def check(self, strip: Strip) -> None:
        """BadEdit where a film cannot be in this format."""
        if strip.transparent and not self.alpha:
            able = ", ".join(each.name if each.many else each.ending for each in FORMATS.values() if each.alpha)
            raise BadEdit(f"transparent: {self.name} holds no transparency; choose one of {able}")
        if max(strip.width, strip.height) > self.most_side:
            raise BadEdit(
                f"scale: {self.name} holds at most {self.most_side} px a side, not {strip.width} × {strip.height}"
            )
        if strip.rate > self.most_rate:
            raise BadEdit(f"fps: {self.name} holds at most {self.most_rate} frames a second, not {float(strip.rate):g}")


FORMATS: Registry[Format] = Registry("film formats")


def stamped(strip: Strip, ticks: int) -> list[str]:
    """A bitstream filter that stamps packets anew, the nearest frame n at n / rate, in a time base of 1 / `ticks` seconds."""
    n, d = strip.rate.numerator, strip.rate.denominator
    frame = f"round({{0}}*{n}/({d}*{ticks}))"
    told = f"round({frame}*{d}*{ticks}/{n})"
    return ["-bsf:v", f"setts=pts={told.format('PTS')}:dts={told.format('DTS')}"]


def quicktime(strip: Strip) -> list[str]:
    """Options of a file of the QuickTime family: ticks that hold the rate exactly, colours said, playable while it comes."""
    return ["-video_track_timescale", str(ticks_of(strip)), "-movflags", "+write_colr+faststart"]


def ticks_of(strip: Strip) -> int:
    """Ticks a second in which a frame lasts a whole number of them."""
    ticks = strip.rate.numerator
    return ticks * max(1, -(-10_000 // ticks))
