"""The child process in which files are read: `python -m clinamen.core.pictures.child`, asked over its standard input.

It says "ready", a line, when it is. A request is one line of JSON and as many bytes of the file; the answer one line of JSON
and as many bytes of pixels. The child has a limit of memory and, for each answer, of processor time, which a busy machine does
not use up; its parent watches the clock from afar. What a decoder can do wrong it does here: end the process, hang it, or fill
it. Nothing is unpickled on either side.
"""

import json
import math
import os
import resource
import sys
from collections.abc import Callable, Iterator
from dataclasses import asdict
from importlib import import_module
from typing import Any, BinaryIO

MEMORY = 2_600_000_000  # bytes of data a child may hold: a picture of 64 megapixels, twice, and its decoder
STACK = 64 * 1024 * 1024

Answer = tuple[dict[str, Any], bytes]


def _head(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.pictures.decoding import head_of

    head = head_of(data, name)
    yield {"head": [head.width, head.height, head.format, head.has_alpha]}, b""


def _pixels(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.pictures.decoding import decoded

    pixels = decoded(data, name, float(options.get("zoom", 1.0)))
    yield {"shape": list(pixels.shape)}, pixels.tobytes()


def _pages(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.pictures import tiff
    from clinamen.core.pictures.encoding import encode_png

    sizes = tiff.sizes(data, name)
    yield {"sizes": [list(size) for size in sizes], "more": True}, b""
    for index in range(len(sizes)):
        page = tiff.page(data, index, name if len(sizes) == 1 else f"{name}, page {index + 1}")
        yield {"label": page.name, "more": index < len(sizes) - 1}, encode_png(page.pixels, level=2)


def _groups(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.pictures import svggroups, vector

    found, notes = svggroups.groups(data, name), vector.notes(data, name)
    for index, group in enumerate(found):
        laid = {"within": group.within, "opacity": group.opacity, "blend": group.blend, "visible": group.visible}
        said = [*(f"{name}: {note}" for note in group.notes), *([] if index else notes)]
        yield {"label": group.name, "more": index < len(found) - 1, "notes": said, "laid": laid}, group.data


def _moving(kind: str) -> Callable[[bytes, str, dict[str, Any]], Iterator[Answer]]:
    """Frames of an animated picture or a clip: first what is known of them, then each one's pixels."""

    def job(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
        from clinamen.core.pictures import animated

        fps = float(options.get("fps", 0.0))
        said, frames = animated.clip(data, name, fps) if kind == "clip" else animated.animated(data, name)
        yield {"fps": said.fps, "shape": [said.height, said.width], "note": said.note, "more": True}, b""
        for frame in frames:
            yield {"more": True}, frame.tobytes()
        yield {"end": True}, b""

    return job


def _forms(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.pictures.outlines import forms

    width, height, found = forms(data, name)
    yield {"size_px": [width, height], "more": True}, b""
    for form in found:
        yield {"shape": list(form.outlines.shape), "colour": list(form.colour), "more": True}, form.outlines.tobytes()
    yield {"end": True}, b""


def _font(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.made.fontfile import checked

    told = checked(data, name)
    yield {"name": told.name, "licence": told.licence, "ending": told.ending, "notes": list(told.notes)}, b""


def _listed(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.pictures.orastack import Stack, listed

    found = listed(data, name)
    stack = asdict(found.holds) if isinstance(found.holds, Stack) else None
    yield {"names": sorted(found.names), "stack": stack}, b"" if isinstance(found.holds, Stack) else found.holds


def _members(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    from clinamen.core.errors import BadArt
    from clinamen.core.pictures.archive import members_of, open_archive, read_member

    archive = open_archive(data, name)
    for member in members_of(archive, name) if options["members"] is None else options["members"]:
        try:
            yield {"member": member, "more": True}, read_member(archive, member, name)
        except BadArt as error:
            yield {"member": member, "bad": str(error), "more": True}, b""
    yield {"end": True}, b""


def _recipe(data: bytes, name: str, options: dict[str, Any]) -> Iterator[Answer]:
    """A preview: what a recipe makes of an original and of other layers' art, whose pixels stand one behind the other."""
    import numpy as np

    from clinamen.core.prep.base import Around
    from clinamen.core.prep.recipe import Recipe
    from clinamen.core.prep.run import run

    parts, read = {}, 0
    for layer, shape in options["parts"].items():
        size = math.prod(shape)
        parts[layer] = np.frombuffer(data, np.uint8, size, read).reshape(shape)
        read += size
    around = Around(float(options["scale"]), parts.__getitem__, draft=True)
    made = run(Recipe.model_validate(options["recipe"]), parts[""], around, options["key"], options["keys"])
    yield {"shape": list(made.shape)}, made.tobytes()


JOBS: dict[str, Callable[[bytes, str, dict[str, Any]], Iterator[Answer]]] = {
    "head": _head, "pixels": _pixels, "pages": _pages, "groups": _groups,
    "animated": _moving("animated"), "clip": _moving("clip"), "forms": _forms,
    "font": _font, "listed": _listed, "members": _members, "recipe": _recipe,
}  # fmt: skip
NEEDS = {"pixels": "clinamen.core.pictures.tiff", "recipe": "clinamen.core.prep.run"}


def main() -> None:
    """Answer requests until the input ends."""
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    inward, outward = os.fdopen(0, "rb"), os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # a library that prints must not speak into the answers
    for job in sys.argv[1:]:
        import_module(NEEDS[job])  # while nobody waits

    _say(outward, b"ready\n")
    while line := inward.readline():
        request = json.loads(line)
        data = inward.read(request["size"])
        _answer(outward, request, data)


def _allow(seconds: float) -> float:
    """Let this process work for so many seconds of processor time from now on, and return what it has used so far; the kernel
    ends it by SIGXCPU after that."""
    used = _used()
    resource.setrlimit(resource.RLIMIT_CPU, (math.ceil(used + seconds), resource.RLIM_INFINITY))
    return used


def _answer(outward: BinaryIO, request: dict[str, Any], data: bytes) -> None:
    from clinamen.core.errors import BadArt

    begun = _allow(request["seconds"])
    try:
        for said, payload in JOBS[request["job"]](data, request["name"], request["options"]):
            _send(outward, said, payload, begun)
            begun = _allow(request["seconds"])
    except BadArt as error:
        _send(outward, {"refused": str(error)}, b"", begun)
    except MemoryError:
        _send(outward, {"memory": True}, b"", begun)
    except (RecursionError, Exception) as error:
        _send(outward, {"fault": f"{type(error).__name__}"}, b"", begun)


def _send(outward: BinaryIO, said: dict[str, Any], payload: bytes, begun: float) -> None:
    """Send an answer, with the processor time in seconds that was used since it was `begun`."""
    head = {**said, "size": len(payload), "cpu": _used() - begun}
    _say(outward, json.dumps(head).encode() + b"\n", payload)


def _used() -> float:
    """Processor time in seconds that this process has used."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    return used.ru_utime + used.ru_stime


def _say(outward: BinaryIO, *parts: bytes) -> None:
    for part in parts:
        outward.write(part)
    outward.flush()


if __name__ == "__main__":
    sys.setrecursionlimit(2000)
    main()
