"""Reading a document: older versions migrated, every problem listed with its path; and the JSON Schema."""

import json
import re
from collections.abc import Iterable
from typing import Any

from pydantic import ValidationError

from clinamen.core.document.scene import FORMAT, VERSION, Scene
from clinamen.core.errors import BadDocument, Problem

MOST_FIELDS = 1000  # of one object: no kind of object here has as many
NUL = "\\u0000"  # as JSON writes it


def parse(data: Any, source: str = "") -> Scene:
    """Read a document from JSON data, migrating an older version; BadDocument lists every problem with its path."""
    if not isinstance(data, dict):
        raise BadDocument([Problem("", "a scene document must be a JSON object")], source)
    try:
        return Scene.model_validate(migrate(data, source))
    except ValidationError as error:
        raise BadDocument(list(problems_of(error)), source) from None


def parse_text(text: str | bytes, source: str = "") -> Scene:
    """Read a document from JSON text."""
    try:
        text = text.decode(json.detect_encoding(text)) if isinstance(text, bytes) else text
        data = json.loads(text, parse_constant=_no_constant, object_pairs_hook=_few_fields)
    except (ValueError, RecursionError) as error:
        raise BadDocument([Problem("", f"not valid JSON ({error}); save it again as JSON in UTF-8")], source) from None
    if NUL in text and (path := _holding_nul(data)) is not None:
        raise BadDocument([Problem(path, "holds a NUL character, which cannot be kept; take it out")], source)
    return parse(data, source)


def _holding_nul(data: Any, path: str = "") -> str | None:
    """Path of the first text that holds a NUL, names of fields among them; None where there is none."""
    if isinstance(data, str):
        return path if "\0" in data else None
    inside: Iterable[tuple[str, Any]] = ()
    if isinstance(data, dict):
        if any("\0" in name for name in data):
            return path
        inside = ((f"{path}.{name}" if path else name, value) for name, value in data.items())
    elif isinstance(data, list):
        inside = ((f"{path}[{index}]", value) for index, value in enumerate(data))
    return next((found for step, value in inside if (found := _holding_nul(value, step)) is not None), None)


def _few_fields(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if len(pairs) > MOST_FIELDS:
        raise ValueError(f"one of its objects has {len(pairs)} fields, and none may have more than {MOST_FIELDS}")
    return dict(pairs)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number in JSON")


def migrate(data: dict[str, Any], source: str = "") -> dict[str, Any]:
    """Bring an older document up to the current version; a newer one is refused. Version 1 is the first."""
    version = data.get("version", VERSION)
    if data.get("format", FORMAT) != FORMAT:
        raise BadDocument([Problem("format", f"must be {FORMAT!r}, not {data['format']!r}")], source)
    if isinstance(version, int) and version > VERSION:
        message = f"version {version} is newer than this program reads ({VERSION}); update Clinamen"
        raise BadDocument([Problem("version", message)], source)
    return data


def problems_of(error: ValidationError) -> Iterable[Problem]:
    """What is wrong, each with its path."""
    for item in error.errors(include_url=False):
        path = _path(item["loc"])
        message = item["msg"].removeprefix("Value error, ")
        if message.startswith("@"):
            for line in message.split("\n"):
                _, inner, text = line.split("@", 2)
                yield Problem(inner, text)
        elif item["type"] == "extra_forbidden":
            yield Problem(path, "this field is not known; remove it or correct its name")
        elif item["type"] == "missing":
            yield Problem(path, "this field is missing")
        else:
            yield Problem(path, f"{message[:1].lower()}{message[1:]}, not {_short(item.get('input'))}")


def _path(loc: tuple[int | str, ...]) -> str:
    path = ""
    for step in loc:
        if isinstance(step, int):
            path += f"[{step}]"
        elif not re.match(r"^(by-|function-|literal\[|tuple\[|float$|constrained-|nullable)", step):
            path += f".{step}" if path else step
    return path


def _short(value: Any) -> str:
    text = json.dumps(value, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


def json_schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the document."""
    schema = Scene.model_json_schema(mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Clinamen scene"}
