"""Recorded hands to rehearse a scene with: data files, one each, in `recordings/` and in a folder of one's own (CLINAMEN_HANDS).

A file is JSON: `name`, `moves` (scroll, or u and v of the pointer), `hertz` rows a second, and `rows` of their values: scroll
within 0…1, the pointer within −1…1 as the hand has it; it is aimed and settled here as the scene does it. The clock is
played as long as it is."""

import json
import os
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, ValidationError, model_validator

from clinamen.core.document import Scene
from clinamen.core.motion.settling import aimed, follow
from clinamen.core.parts import Part

HERTZ = 60
LONGEST = 120  # seconds of a recording
SHIPPED = Path(__file__).parent / "recordings"

Value = Annotated[float, Field(allow_inf_nan=False, ge=-1, le=1)]


class Recording(Part):
    """A data file as it is written."""

    name: str = Field(min_length=1, max_length=80)
    moves: tuple[Literal["scroll"]] | tuple[Literal["u"], Literal["v"]]
    hertz: float = Field(gt=0, le=1000)
    rows: tuple[tuple[Value, ...], ...] = Field(min_length=2)

    @model_validator(mode="after")
    def rows_hold_what_moves(self) -> "Recording":
        if any(len(row) != len(self.moves) for row in self.rows):
            raise ValueError(f"every row must hold {len(self.moves)} numbers, as many as moves")
        if self.moves == ("scroll",) and any(row[0] < 0 for row in self.rows):
            raise ValueError("scroll lies within 0 and 1")
        if len(self.rows) / self.hertz > LONGEST:
            raise ValueError(f"it is longer than {LONGEST} s")
        return self


@dataclass(frozen=True)
class Hand:
    """A recording as it is played: `moves` names the drivers it sets, `rows` their values, one row every 1/HERTZ seconds; `wrong`
    says in a sentence why a file cannot be played."""

    id: str
    name: str
    moves: tuple[str, ...]
    rows: list[list[float]]
    wrong: str = ""


def hands(scene: Scene) -> list[Hand]:
    """The hands that make sense for the drivers that are on."""
    drivers, found = scene.drivers, list[Hand]()
    for file in _files():
        recording = _read(str(file), file.stat().st_mtime_ns)
        word = file.stem.lstrip("0123456789-") or file.stem
        if isinstance(recording, str):
            found.append(Hand(word, file.name, (), [], recording))
        elif recording.moves == ("scroll",) and drivers.scroll:
            found.append(Hand(word, recording.name, recording.moves, _rows(_timed(recording))))
        elif recording.moves != ("scroll",) and drivers.pointer:
            settled = _settled(str(file), file.stat().st_mtime_ns, drivers.pointer.settle, drivers.pointer.dead_zone)
            found.append(Hand(word, recording.name, recording.moves, settled))
    if drivers.time:
        seconds = min(drivers.time.duration, 60)
        at = np.linspace(0, seconds, int(seconds * HERTZ) + 1)
        found.append(Hand("clock", "the clock, once", ("time",), _rows(at[:, None])))
    return found


def _files() -> list[Path]:
    own = os.environ.get("CLINAMEN_HANDS")
    folders = [SHIPPED, *([Path(own)] if own else [])]
    return [file for folder in folders if folder.is_dir() for file in sorted(folder.glob("*.json"))]


@lru_cache(maxsize=200)
def _read(file: str, changed: int) -> Recording | str:
    """A file's recording, or a sentence on what is wrong with it; read again when it changes."""
    name = Path(file).name
    try:
        return Recording.model_validate_json(Path(file).read_bytes())
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"][:2]) or "it"
        return f"{name}: {where}: {first['msg'].removeprefix('Value error, ')}; correct the file"
    except (OSError, json.JSONDecodeError):
        return f"{name}: cannot be read; save it again"


Table = np.ndarray[tuple[int, ...], np.dtype[np.float64]]


def _timed(recording: Recording) -> Table:
    """The values at HERTZ rows a second."""
    rows = np.array(recording.rows)
    old = np.arange(len(rows)) / recording.hertz
    at = np.arange(0, old[-1] + 1e-9, 1 / HERTZ)
    return np.column_stack([np.interp(at, old, column) for column in rows.T])


def _rows(table: Table) -> list[list[float]]:
    return [[round(float(value), 5) for value in row] for row in table]


@lru_cache(maxsize=200)
def _settled(file: str, changed: int, settle: float, dead_zone: float) -> list[list[float]]:
    recording = _read(file, changed)
    assert isinstance(recording, Recording)
    rows, state = [], [(0.0, 0.0), (0.0, 0.0)]
    for target in aimed(_timed(recording), dead_zone):
        state = [follow(*axis, float(aim), settle, 1 / HERTZ) for axis, aim in zip(state, target, strict=True)]
        rows.append([round(state[0][0], 5), round(state[1][0], 5)])
    return rows
