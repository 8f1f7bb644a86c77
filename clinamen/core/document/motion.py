"""What moves a scene: drivers, and tracks of keys that run over them."""

from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import (
    Discriminator,
    Field,
    SerializerFunctionWrapHandler,
    Tag,
    field_serializer,
    field_validator,
    model_serializer,
    model_validator,
)

from clinamen.core.document.channels import channels_of
from clinamen.core.parts import Finite, Part, Sparse

EasingName = Literal["linear", "ease", "ease-in", "ease-out", "ease-in-out", "step-start", "step-end", "smooth", "hold"]
EASING_NAMES: tuple[str, ...] = get_args(EasingName)
LONGEST_SCROLL, LONGEST_TIME = 1e6, 36000.0  # px of page, s


class ScrollDriver(Sparse):
    """`length`: how many page pixels the scroll takes along its `axis`, "y" down the page or "x" across it.

    The scene stands whole in the window from one place of the page on. `begin` says where the motion begins, in page pixels
    after that place (before it where negative). `pinned`: the scene stays in the window while the page goes on under it, until
    `end` pixels after the motion's end; otherwise it goes by with the page."""

    later: ClassVar[frozenset[str]] = frozenset({"axis", "pinned", "begin", "end"})

    length: float = Field(default=4000, gt=0, le=LONGEST_SCROLL)
    axis: Literal["y", "x"] = "y"
    pinned: bool = True
    begin: float = Field(default=0.0, ge=-1e6, le=1e6)
    end: float = Field(default=0.0, ge=-1e6, le=1e6)

    @property
    def held(self) -> float:
        """How many page pixels go by while the scene stays in the window."""
        return max(0.0, self.begin + self.length + self.end) if self.pinned else 0.0


class PointerDriver(Sparse):
    """How far the pointer carries the camera (scene pixels at u, v = 1), how long it takes to settle (seconds), how far from the
    middle it does nothing yet (`dead_zone`, a share of the way to the edge), and whether it `returns` to the middle when it
    leaves the window."""

    later: ClassVar[frozenset[str]] = frozenset({"dead_zone", "returns"})

    reach_x: Finite = 60.0
    reach_y: Finite = 30.0
    settle: float = Field(default=0.35, ge=0, le=60)
    dead_zone: float = Field(default=0.0, ge=0, le=0.9)
    returns: bool = True


class TimeDriver(Sparse):
    """`duration` in seconds, `fps` frames a second for rendered output, `loop`: begins again at the end; `start`: when the clock
    begins to run on a page, as soon as it is there ("load") or when the scene is first seen ("seen")."""

    later: ClassVar[frozenset[str]] = frozenset({"start"})

    duration: float = Field(default=12.0, gt=0, le=LONGEST_TIME)
    fps: float = Field(default=25.0, gt=0, le=240)
    loop: bool = True
    start: Literal["load", "seen"] = "load"


class Drivers(Part):
    """What moves the scene. A driver that is absent is off."""

    scroll: ScrollDriver | None = None
    pointer: PointerDriver | None = None
    time: TimeDriver | None = None

    @classmethod
    def to_start_with(cls) -> "Drivers":
        """The drivers of a scene that was just made of pictures: depth shows at once under the pointer."""
        return cls(scroll=ScrollDriver(), pointer=PointerDriver())

    def end(self, driver: str) -> float:
        """Where a driver ends: progress 1, or the duration in seconds (1 where time is off)."""
        return self.time.duration if driver == "time" and self.time is not None else 1.0

    def step(self, driver: str) -> float:
        """The step that knots rest on along a driver: a frame of time, or a two-hundredth of the page."""
        return 1 / self.time.fps if driver == "time" and self.time is not None else 0.005

    def is_on(self, driver: str) -> bool:
        return getattr(self, driver) is not None

    @field_serializer("scroll", "pointer", "time")
    def _as_part(self, value: Part | None) -> dict[str, Any] | None:
        return None if value is None else value.model_dump()


class Linear(Part):
    """An easing of straight stretches, CSS linear(): `linear` holds points [share of the way, output], the shares rising from
    0 to 1; a key's value is where it begins and ends, so the first point is [0, 0] and the last [1, 1]."""

    linear: tuple[tuple[Finite, Finite], ...] = Field(min_length=2, max_length=1000)

    @field_validator("linear")
    @classmethod
    def from_key_to_key(cls, points: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        if points[0] != (0, 0) or points[-1] != (1, 1):
            raise ValueError("the first point of linear must be [0, 0] and the last [1, 1], so that the keys are met")
        for before, after in zip(points, points[1:], strict=False):
            if after[0] <= before[0]:
                raise ValueError(f"the points of linear must follow each other: {after[0]:g} comes after {before[0]:g}")
        return points


def _way_of(ease: Any) -> str | None:
    """How an easing is written, so that what is wrong with one is said of that way alone."""
    return _WAYS.get(type(ease))


_WAYS: dict[type, str] = {
    str: "by-name",
    tuple: "by-numbers",
    list: "by-numbers",
    dict: "by-points",
    Linear: "by-points",
}

Ease = Annotated[
    Annotated[EasingName, Tag("by-name")]
    | Annotated[tuple[float, float, float, float], Tag("by-numbers")]
    | Annotated[Linear, Tag("by-points")],
    Discriminator(
        _way_of,
        custom_error_type="ease",
        custom_error_message='ease is a CSS name, four numbers of a cubic-bezier, or {"linear": points}',
    ),
]


class Key(Part):
    """A keyframe: `at` is progress 0…1 for scroll, seconds for time; `ease` runs from this key to the next."""

    at: float = Field(ge=0, le=36000)
    value: Finite
    ease: Ease = "linear"

    @field_validator("ease")
    @classmethod
    def runs_forward(cls, value: Any) -> Any:
        if isinstance(value, tuple) and not (0 <= value[0] <= 1 and 0 <= value[2] <= 1):
            raise ValueError("the first and third number of a cubic-bezier must be within 0…1")
        return value


class Drift(Part):
    """Slow smooth motion of a floating thing: never farther than `reach` from where it rests, its power at `pace` (Hz) and
    below, another one for every `seed`. Of a factor (zoom, scale, opacity) the reach is how far it goes from 1."""

    reach: float = Field(ge=0, le=1e6)
    pace: float = Field(gt=0, le=10)
    seed: int = Field(default=1, ge=0, lt=2**31)


class Track(Part):
    """A channel's values over a driver; added to the resting channel (zoom, scale, opacity: multiplied). It has keys, or over
    time a drift."""

    target: str
    channel: str
    driver: Literal["scroll", "time"]
    keys: tuple[Key, ...] = Field(default=(), max_length=10000)
    drift: Drift | None = None

    @property
    def name(self) -> tuple[str, ...]:
        """What tells a track from all others of its scene."""
        return (self.target, self.channel, self.driver, *(("drift",) if self.drift else ()))

    @model_serializer(mode="wrap")
    def _keys_or_drift(self, written: SerializerFunctionWrapHandler) -> dict[str, Any]:
        fields: dict[str, Any] = written(self)
        return {name: value for name, value in fields.items() if name != ("drift" if self.drift is None else "keys")}

    @model_validator(mode="after")
    def one_of_both(self) -> "Track":
        if (self.drift is None) == (not self.keys):
            raise ValueError("a track has keys, at least one, or else a drift; give one of them")
        if self.drift is not None:
            if self.driver != "time":
                raise ValueError(f"a drift goes by time; set the driver to time in place of {self.driver}")
            row = channels_of(self.target).get(self.channel)
            if row is not None and row.combine == "multiply" and self.drift.reach >= 1:
                raise ValueError(f"{self.channel} multiplies, so a drift's reach must be below 1")
        return self

    @model_validator(mode="after")
    def keys_in_order(self) -> "Track":
        allowed = channels_of(self.target)
        if self.channel not in allowed:
            raise ValueError(f"channel {self.channel!r} is not one of {', '.join(allowed)}")
        for before, after in zip(self.keys, self.keys[1:], strict=False):
            if after.at <= before.at:
                raise ValueError(f"keys must follow each other: {after.at} comes after {before.at}")
        least = allowed[self.channel].least
        if least is not None and any(key.value < least for key in self.keys):
            words = "not be below 0" if least == 0 else "be above 0"
            raise ValueError(f"{self.channel} multiplies, so its values must {words}")
        return self
