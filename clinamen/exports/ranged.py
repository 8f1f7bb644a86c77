"""A file in ranges, as players ask for it (RFC 9110, section 14): one range at a time; whatever else is asked for gets all."""

import re
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import IO

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse

from clinamen.art import files

RANGE = re.compile(r"bytes=(\d{0,18})-(\d{0,18})")
CHUNK = 256 * 1024


def ranged(request: HttpRequest, name: str, kind: str, attached: bool = False) -> HttpResponseBase:
    """A file of the store, of this media type; a part of it where the request asks for one, 416 where there is no such part."""
    size = files.size(name)
    if size is None:
        raise Http404
    match = RANGE.fullmatch(request.headers.get("Range", "").strip())
    if match is None or not any(match.groups()):
        whole = FileResponse(files.opened(name), as_attachment=attached, filename=PurePosixPath(name).name)
        whole["Content-Type"], whole["Accept-Ranges"] = kind, "bytes"
        return whole
    low, high = match.groups()
    first = int(low) if low else max(0, size - int(high))
    last = min(size - 1, int(high)) if low and high else size - 1
    if first > last or first >= size:
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    file = files.opened(name)
    file.seek(first)
    part = StreamingHttpResponse(_some(file, last - first + 1), status=206, content_type=kind)
    part["Content-Range"], part["Content-Length"] = f"bytes {first}-{last}/{size}", str(last - first + 1)
    part["Accept-Ranges"] = "bytes"
    return part


def _some(file: IO[bytes], count: int) -> Iterator[bytes]:
    with file:
        while count > 0 and (data := file.read(min(CHUNK, count))):
            count -= len(data)
            yield data
