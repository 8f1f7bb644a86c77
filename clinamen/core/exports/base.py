"""Exports: what one is. A new one is one module: subclass Export, give id, words, options and `build`, and
name it in the package's list.

The form in the room Export and the flags of the command line are made from the options' fields, so nothing about an export
stands anywhere else. `build` tells its progress and may be called off between two files.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from os import cpu_count
from pathlib import Path
from types import UnionType
from typing import Any, ClassVar, Literal, TypeVar, get_args, get_origin

from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic.fields import FieldInfo

from clinamen.core.document import Layer, Scene, seen_layers
from clinamen.core.errors import BadEdit
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.quantities import number
from clinamen.core.registry import Registry

Files = dict[str, bytes]
More = Sequence[tuple[Scene, ArtShelf]]
Made = TypeVar("Made")


class Options(BaseModel):
    """Base of an export's options. Each field has a `title` (its label), and in `json_schema_extra` perhaps a "unit" and
    "words" (what each choice is called)."""

    model_config = ConfigDict(extra="forbid", frozen=True)


@dataclass(frozen=True)
class Told:
    """How far a build is: the share done, and the file it is at. A teller may raise to call the build off."""

    tell: Callable[[float, str], None] = lambda share, file: None

    def each(
        self, names: Sequence[str], make: Callable[[str], Made], start: float = 0.0, end: float = 0.9
    ) -> list[Made]:
        """`make` of every name, several at a time, in the names' order, progress told after each."""
        done: list[Made] = []
        with ThreadPoolExecutor(max(1, cpu_count() or 1)) as workers:
            try:
                for index, made in enumerate(workers.map(make, names)):
                    done.append(made)
                    self.tell(start + (end - start) * (index + 1) / len(names), names[index])
            except BaseException:
                workers.shutdown(wait=True, cancel_futures=True)
                raise
        return done


@dataclass(frozen=True)
class OptionField:
    """One option as a form or a command line shows it."""

    name: str
    label: str
    unit: str
    kind: Literal["choice", "switch", "number", "text"]
    value: Any
    choices: tuple[tuple[str, str], ...] = ()
    whole: bool = False
    empty: str = ""  # what stands for nothing typed, where nothing need be
    flag: str = ""  # of the command line; empty where it has none
    offers: str = ""  # what of the scene is offered to be typed: "hands", "layers"


class Export(ABC):
    """One export. `id` is the word of the command line, `name` what people call it, `says` a sentence about it;
    `single` where it is one file and not a folder, `takes_more` where several scenes may go into it, `by_frame` where it is drawn
    frame after frame, which can take hours, `in_parts` where that is done in ranges of frames, a job each."""

    id: ClassVar[str]
    name: ClassVar[str]
    says: ClassVar[str]
    options: ClassVar[type[Options]] = Options
    single: ClassVar[bool] = False
    takes_more: ClassVar[bool] = False
    by_frame: ClassVar[bool] = False
    in_parts: ClassVar[bool] = False

    @abstractmethod
    def build(self, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = ()) -> Files:
        """The export's files by path; `more` scenes follow the first one, in this order, where it takes more."""

    def write(
        self, out: Path, scene: Scene, shelf: ArtShelf, options: Any, told: Told, more: More = (), workers: int = 1
    ) -> list[Path]:
        """Write it below a folder, or as the file `out` where it is `in_parts`; what was written, sorted."""
        files = self.build(scene, shelf, options, told, more)
        for name, data in files.items():
            path = out / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        return sorted(out / name for name in files)

    def usual(self, scene: Scene) -> dict[str, Any]:
        """Options that suit this scene better than the defaults do."""
        return {}

    def notes(self, scene: Scene, options: Any) -> list[str]:
        """A sentence on each thing that is other than these options ask for."""
        return []

    def budget(self, files: Files) -> list[dict[str, Any]]:
        """Return what the files cost those they are made for, a row a case, with rows by layer; none where nobody counts."""
        return []

    def leaves_out(self, scene: Scene) -> list[str]:
        """A sentence for each thing in the scene that this export cannot carry."""
        return []


EXPORTS: Registry[Export] = Registry("exports")


def fields_of(options: type[Options]) -> list[OptionField]:
    """The options as fields, but for those that an export rules out."""
    return [_field(name, info) for name, info in options.model_fields.items() if not info.exclude]


def _field(name: str, info: FieldInfo) -> OptionField:
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
    label, unit, empty = info.title or name.replace("_", " "), str(extra.get("unit", "")), str(extra.get("empty", ""))
    flag = str(extra.get("flag", f"--{name.replace('_', '-')}"))
    kinds = get_args(info.annotation) if isinstance(info.annotation, UnionType) else (info.annotation,)
    if get_origin(info.annotation) is Literal:
        words = extra.get("words")
        named = words if isinstance(words, dict) else {}
        choices = tuple((str(c), str(named.get(str(c), c))) for c in get_args(info.annotation))
        return OptionField(name, label, unit, "choice", info.default, choices, flag=flag)
    if info.annotation is bool:
        return OptionField(name, label, unit, "switch", info.default, flag=flag)
    kind: Literal["number", "text"] = "number" if kinds[0] in (int, float) else "text"
    offers = str(extra.get("offers", ""))
    return OptionField(name, label, unit, kind, info.default, (), kinds[0] is int, empty, flag, offers)


def read_options(options: type[Options], values: Mapping[str, str]) -> Options:
    """Options from what was typed; BadEdit names the field that is wrong."""
    found: dict[str, Any] = {}
    for field in fields_of(options):
        if field.kind == "switch":
            found[field.name] = values.get(field.name) in ("1", "true", "on")
        elif field.name not in values:
            continue
        elif field.empty and not values[field.name].strip():
            found[field.name] = field.value
        elif field.kind == "number":
            typed = number(values[field.name], field.label, units=field.unit)
            found[field.name] = round(typed) if field.whole else typed
        else:
            found[field.name] = values[field.name]
    return checked(options, found)


def checked(options: type[Options], found: Mapping[str, Any]) -> Options:
    """Options from values of the right kind; BadEdit names the field that is out of range."""
    try:
        return options.model_validate(dict(found))
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        name = str(first["loc"][0]) if first["loc"] else ""
        info = options.model_fields.get(name)
        label = (info.title or name) if info else name
        raise BadEdit(f"{label}: {first['msg'][:1].lower()}{first['msg'][1:]}, not {first.get('input')}") from None


def visible(scene: Scene) -> list[Layer]:
    """The layers that an export shows, first drawn first."""
    return list(seen_layers(scene))
