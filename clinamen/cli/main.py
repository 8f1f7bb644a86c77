"""`python -m clinamen COMMAND`: JSON to standard output, one line per problem to standard error.

Exit status: 0 done, 1 the proof found errors, 2 bad input. Heavy modules are imported by the command that needs them,
so that `check` starts quickly.
"""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

from clinamen.cli import commands as functions
from clinamen.core.errors import BadDocument, ClinamenError

DONE, FOUND_ERRORS, BAD_INPUT = 0, 1, 2


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit status."""
    options = _parser().parse_args(arguments)
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
    return BAD_INPUT


def _parser() -> argparse.ArgumentParser:
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
    command("prove", "what is wrong over all driver states, with computed fixes")
    render = command("render", "the picture at one driver state")
    state(render)
    render.add_argument("--out", type=Path, required=True, metavar="FILE.png")
    render.add_argument("--scale", type=float, default=1.0, help="picture pixels per view pixel")
    export = command("export", "write the scene for browsers or engines")
    export.add_argument("--to", required=True, choices=("web", "engine", "film", "layered"))
    export.add_argument("--out", type=Path, required=True, metavar="DIR")
    export.add_argument("--fit", choices=("cover", "contain"), default="cover", help="web: how the page fills a window")
    export.add_argument("--pixels-per-metre", type=float, default=100.0, help="engine: scene pixels in a metre")
    export.add_argument("--page-size", type=int, default=4096, help="engine: longest side of an atlas page")
    export.add_argument("--power-of-two", action="store_true", help="engine: atlas sides are powers of two")
    command("check", "is the document valid; every problem with its path")
    command("schema", "the JSON Schema of the scene document", takes_scene=False)
    return parser
