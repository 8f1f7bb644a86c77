"""The commands, one function each: options in, exit status out."""

import argparse
import csv
import json
import math
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from clinamen.core import document
from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.exchange.opening import SceneFiles, open_scene

if TYPE_CHECKING:
    from clinamen.core.motion.states import State, States
    from clinamen.core.pictures.shelf import ArtShelf

MOST_ROWS = 200_000
MOST_WORKERS = 64


def _print(data: object) -> None:
    json.dump(data, sys.stdout, ensure_ascii=False)
    sys.stdout.write("\n")


def _state(options: argparse.Namespace) -> "State":
    from clinamen.core.motion.states import State

    try:
        u, v = (float(part) for part in options.pointer.split(","))
    except ValueError:
        raise BadEdit(f"--pointer: {options.pointer!r} is not two numbers; write it as 0.5,-0.2") from None
    for name, value, low, high in (
        ("--scroll", options.scroll, 0, 1),
        ("--pointer", u, -1, 1),
        ("--pointer", v, -1, 1),
        ("--time", options.time, 0, math.inf),
    ):
        if not low <= value <= high:
            raise BadEdit(f"{name}: {value:g} is outside {low:g} to {high:g}")
    return State(options.scroll, (u, v), options.time)


def offsets(options: argparse.Namespace) -> int:
    """Placements at one state, or a table over one driver."""
    scene = open_scene(options.scene).scene
    from clinamen.core.motion.mixes import Motion
    from clinamen.core.motion.states import States

    if options.table is None:
        state = _state(options)
        rows = list(_rows(scene, States.of(state)))
        for row in rows:
            del row["scroll"], row["pointer"], row["time"]
        camera = Motion(scene).over("camera", States.of(state))
        told: dict[str, float | None] = {channel: float(value[0]) for channel, value in camera.items()}
        told["aperture"] = None if scene.lens.aperture is None else told["aperture"]
        _print({"state": state.to_json(), "camera": told, "layers": rows})
        return 0
    table = _rows(scene, _table_states(options))
    if options.csv:
        _write_csv(table)
    else:
        _print(list(table))
    return 0


def _table_states(options: argparse.Namespace) -> "States":
    import numpy as np

    from clinamen.core.motion.states import States

    parts = options.table.split(":")
    try:
        driver, (start, end, step) = parts[0], (float(part) for part in parts[1:])
    except ValueError:
        raise BadEdit(f"--table: {options.table!r} is not DRIVER:FROM:TO:STEP; write it as scroll:0:1:0.01") from None
    axes = {"scroll": "scroll", "time": "time", "pointer": "u", "pointer-x": "u", "pointer-y": "v"}
    if driver not in axes:
        raise BadEdit(f"--table: {driver!r} is no driver; choose scroll, pointer-x, pointer-y or time")
    if not (math.isfinite(start) and math.isfinite(end) and step > 0 and end >= start):
        raise BadEdit("--table: FROM must not be past TO, and STEP must be above 0")
    count = math.floor((end - start) / step + 1e-9) + 1
    if count > MOST_ROWS:
        raise BadEdit(f"--table: {count} states are too many; at most {MOST_ROWS}, take a larger STEP")
    along = start + step * np.arange(count)
    fixed = _state(options)
    columns = {
        "scroll": np.full(count, fixed.scroll),
        "u": np.full(count, fixed.pointer[0]),
        "v": np.full(count, fixed.pointer[1]),
        "time": np.full(count, fixed.time),
    }
    columns[axes[driver]] = np.round(along, 12)
    return States(**columns)


def _rows(scene: document.Scene, states: "States") -> Iterator[dict[str, Any]]:
    from clinamen.core.stage import stage

    sheets = stage(scene, states).sheets
    matrices = [sheet.normalised().reshape(len(states), 9) for sheet in sheets]
    for index in range(len(states)):
        state = states[index].to_json()
        for sheet, matrix in zip(sheets, matrices, strict=True):
            yield {
                **state,
                "id": sheet.layer.id,
                "rate": float(sheet.rate[index]),
                "matrix": [float(value) for value in matrix[index]],
                "opacity": float(sheet.opacity[index]),
                "blur": float(sheet.blur[index]),
                "air": float(sheet.air[index]),
                "frame": int(sheet.frame[index]),
            }


def _write_csv(rows: Iterator[dict[str, Any]]) -> None:
    head = [
        "scroll",
        "pointer_u",
        "pointer_v",
        "time",
        "id",
        "rate",
        *(f"m{i}{j}" for i in (1, 2, 3) for j in (1, 2, 3)),
    ]
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow([*head, "opacity", "blur", "air", "frame"])
    for row in rows:
        place = [row["scroll"], *row["pointer"], row["time"], row["id"], row["rate"]]
        writer.writerow([*place, *row["matrix"], row["opacity"], row["blur"], row["air"], row["frame"]])


def _shelf(files: SceneFiles) -> "ArtShelf":
    from clinamen.core.pictures.shelf import ArtShelf

    return ArtShelf(files.read, scene=files.scene)


def prove(options: argparse.Namespace) -> int:
    """Findings as JSON, or a report of them in a file; status 1 when one of them is an error."""
    if (options.report is None) != (options.out is None):
        raise BadEdit("--report and --out belong together: say which report, and the file it is written to")
    files = open_scene(options.scene)
    from clinamen.core.checks import Subject
    from clinamen.core.checks import prove_whole as run
    from clinamen.core.pictures.telling import Telling

    shelf = _shelf(files)
    subject = Subject(files.scene, shelf.opaque_sets(files.scene), art=Telling(shelf))
    findings = run(subject)
    if options.report is None:
        _print({"findings": [finding.to_json() for finding in findings]})
    else:
        from clinamen.core.reports import REPORTS, Proved

        options.out.write_bytes(
            REPORTS[options.report].write(Proved(files.scene, findings, options.scene.as_posix(), subject))
        )
        _print({"written": [str(options.out)], "findings": len(findings)})
    return 1 if any(finding.severity == "error" and finding.counts for finding in findings) else 0


def render(options: argparse.Namespace) -> int:
    """Write the picture at one state."""
    files = open_scene(options.scene)
    state = _state(options)
    view = files.scene.view
    if not 0 < options.scale <= 8 or view.width * view.height * options.scale**2 > 64_000_000:
        raise BadEdit(f"--scale: {options.scale:g} is not possible; the picture may have at most 64 megapixels")
    from clinamen.core.pictures.encoding import encode_png
    from clinamen.core.raster import Filter
    from clinamen.core.raster import render as draw
    from clinamen.core.raster.exposure import exposed, moments

    sampling: Filter = "draft" if options.draft else "fine"
    load = _shelf(files).loader(files.scene, options.scale)
    picture = exposed(
        moments(files.scene, state), lambda at: draw(files.scene, at, load, options.scale, sampling=sampling)
    )
    options.out.write_bytes(encode_png(picture[..., :3].copy()))
    _print({"written": [str(options.out)], "width": picture.shape[1], "height": picture.shape[0]})
    return 0


def export(options: argparse.Namespace) -> int:
    """Write an export and list its files; what it cannot carry is said on standard error."""
    files = open_scene(options.scene)
    from clinamen.core.exports import EXPORTS, Told
    from clinamen.core.exports.base import checked, fields_of

    if options.to not in EXPORTS:
        raise BadArt(f"--to {options.to}: cannot be written yet; choose {', '.join(EXPORTS)}")
    made = EXPORTS[options.to]
    given = {field.name: getattr(options, field.name, None) for field in fields_of(made.options)}
    if made.in_parts:
        from clinamen.core.film.formats import format_of

        given["format"] = format_of(options.out).id
    wanted = checked(made.options, {name: value for name, value in given.items() if value is not None})
    for sentence in made.leaves_out(files.scene):
        print(f"left out: {sentence}", file=sys.stderr)
    for sentence in made.notes(files.scene, wanted):
        print(sentence, file=sys.stderr)
    if options.more and not made.takes_more:
        several = " or ".join(each.id for each in EXPORTS.values() if each.takes_more)
        raise BadEdit(f"--more: --to {options.to} holds one scene; give more only to {several}")
    if not 1 <= options.workers <= MOST_WORKERS:
        raise BadEdit(f"--workers: {options.workers} is not from 1 to {MOST_WORKERS}")
    more = [(each.scene, _shelf(each)) for each in map(open_scene, options.more)]
    out = Path(options.out)
    told = Told(_progress()) if made.in_parts else Told()
    paths = made.write(out, files.scene, _shelf(files), wanted, told, more, options.workers)
    base = out if out.is_dir() else out.parent
    written = [{"file": path.relative_to(base).as_posix(), "bytes": path.stat().st_size} for path in paths]
    told_back = {path.relative_to(base).as_posix(): path.read_bytes() for path in paths if path.suffix == ".json"}
    table = made.budget(told_back)
    total = sum(path.stat().st_size for path in paths)
    costs = {"budget": table} if table else {}
    _print({"to": options.to, "out": str(options.out), "files": written, "bytes": total, **costs})
    return 0


def _progress() -> Callable[[float, str], None]:
    """Tells how far it is on standard error, a line every second."""
    told = time.monotonic()

    def tell(share: float, says: str) -> None:
        nonlocal told
        if time.monotonic() - told >= 1 or share >= 1:
            told = time.monotonic()
            print(says, file=sys.stderr, flush=True)

    return tell


def check(options: argparse.Namespace) -> int:
    """Whether the document is valid; the problems go to standard error."""
    scene = open_scene(options.scene).scene
    _print({"valid": True, "title": scene.title, "layers": len(scene.layers)})
    return 0


def schema(options: argparse.Namespace) -> int:
    """The JSON Schema."""
    _print(document.json_schema())
    return 0
