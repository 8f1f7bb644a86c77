"""`python -m clinamen COMMAND`: JSON to standard output, one line per problem to standard error.

Exit status: 0 done, 1 the proof found errors, 2 bad input. Heavy modules are imported by the command that needs them,
so that `check` starts quickly.
"""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from clinamen.cli import commands as functions
from clinamen.core.errors import BadDocument, ClinamenError

DONE, FOUND_ERRORS, BAD_INPUT = 0, 1, 2


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit status."""
    given = sys.argv[1:] if arguments is None else list(arguments)
    options = _parser(with_exports="export" in given[:1]).parse_args(given)
    try:
        status: int = options.run(options)
        return status
    except BadDocument as error:
        for problem in error.problems:
            print(f"{error.source}: {problem}", file=sys.stderr)
    except ClinamenError as error:
        print(error, file=sys.stderr)
    except BrokenPipeError:
        sys.stderr.close()
        return DONE
    except OSError as error:
        print(f"{error.filename}: {error.strerror}; choose another place", file=sys.stderr)
    except Exception as error:
        from clinamen.core.boundary import worded

        told = worded(error, str(getattr(options, "scene", "")))
        if told is None:
            raise
        print(told, file=sys.stderr)
    return BAD_INPUT


def _parser(with_exports: bool) -> argparse.ArgumentParser:
    """The parser; what each export may be told is asked of the exports, which takes a moment to import."""
    parser = argparse.ArgumentParser(prog="clinamen", description="Layered art given depth, moved, proved, exported.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(name: str, text: str, takes_scene: bool = True) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        sub.set_defaults(run=getattr(functions, name))
        if takes_scene:
            sub.add_argument("scene", type=Path, metavar="SCENE", help="scene.json, its folder, or an .ora")
        return sub

    def state(sub: argparse.ArgumentParser) -> None:
        sub.add_argument("--scroll", type=float, default=0.0, metavar="S", help="scroll progress, 0 to 1")
        sub.add_argument("--pointer", default="0,0", metavar="U,V", help="settled pointer, each -1 to 1")
        sub.add_argument("--time", type=float, default=0.0, metavar="T", help="seconds")

    offsets = command("offsets", "where every layer stands at one driver state, or in a table over one driver")
    state(offsets)
    offsets.add_argument("--table", metavar="DRIVER:FROM:TO:STEP", help="one row per state and layer")
    offsets.add_argument("--csv", action="store_true", help="the table as CSV")
    prove = command("prove", "what is wrong over all driver states, with computed fixes")
    prove.add_argument("--report", choices=("junit", "sarif", "html"), help="write it as a build reads it, to --out")
    prove.add_argument("--out", type=Path, metavar="FILE", help="the report's file")
    render = command("render", "the picture at one driver state")
    state(render)
    render.add_argument("--out", type=Path, required=True, metavar="FILE.png")
    render.add_argument("--scale", type=float, default=1.0, help="picture pixels per view pixel")
    render.add_argument("--draft", action="store_true", help="sample between four pixels: quicker, less sharp")
    export = command("export", "write the scene for browsers or engines")
    export.add_argument("--to", required=True, choices=("web", "engine", "film", "sheets", "elements", "layered"))
    export.add_argument("--out", required=True, metavar="DIR", help="a folder; a film's file, or a folder ending in /")
    says = "web: one more scene on the same page, below what stands there; may be given several times"
    export.add_argument("--more", type=Path, action="append", default=[], metavar="SCENE", help=says)
    export.add_argument("--workers", type=int, default=1, metavar="N", help="film: so many processes draw")
    if with_exports:
        _add_options(export)
    command("check", "is the document valid; every problem with its path")
    command("schema", "the JSON Schema of the scene document", takes_scene=False)
    return parser


def _add_options(parser: argparse.ArgumentParser) -> None:
    """A flag for every option of every export."""
    from clinamen.core.exports import EXPORTS
    from clinamen.core.exports.base import fields_of

    known: set[str] = set()
    for export in EXPORTS.values():
        for field in fields_of(export.options):
            flag, text = field.flag, f"{export.id}: {field.label}".replace("%", "%%")
            if not flag or flag in known:  # two exports may ask for the same
                continue
            known.add(flag)
            named: dict[str, Any] = {"dest": field.name, "default": None, "help": text}
            if field.kind == "switch":
                parser.add_argument(flag, action=argparse.BooleanOptionalAction, **named)
            elif field.kind == "choice":
                parser.add_argument(flag, choices=[value for value, _ in field.choices], **named)
            else:
                kind = int if field.whole else float if field.kind == "number" else str
                parser.add_argument(flag, type=kind, **named)
