"""How functions are compiled: numba's options in one place, where it keeps what it compiled, and arrays made of addresses."""

import hashlib
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numba
from numba import carray, njit, types
from numba.extending import intrinsic

HERE = Path(__file__).parent


def _sources() -> str:
    """Names the code that is compiled: numba looks at a function's own file alone, not at where its numbers come from."""
    texts = [path.read_bytes() for path in sorted(HERE.glob("*.py"))]
    return hashlib.sha256(b"\0".join([numba.__version__.encode(), *texts])).hexdigest()[:16]


def _places() -> Iterator[Path]:
    if given := os.environ.get("CLINAMEN_CACHE"):
        yield Path(given)
        return
    yield HERE / "__pycache__"
    yield Path(os.environ.get("XDG_CACHE_HOME") or "~/.cache").expanduser() / "clinamen"


def keep_compiled() -> Path:
    """The folder in which what is compiled is kept, made if need be; OSError where there is no room for one."""
    name = f"raster-{_sources()}"
    trouble: OSError | None = None
    for place in _places():
        folder = place / name
        try:
            folder.mkdir(parents=True, exist_ok=True)
            test = folder / f"room-{os.getpid()}"
            test.write_bytes(b"\0" * 65536)
            test.unlink()
        except OSError as error:
            trouble = error
            continue
        for old in place.glob("raster-*"):
            if old.name != name:
                shutil.rmtree(old, ignore_errors=True)
        return folder
    raise OSError(f"no room to keep compiled code: {trouble}")


numba.config.CACHE_DIR = str(keep_compiled())

# Division by nothing gives infinity, as in NumPy; no lock is held, so that threads share the work.
jit: Callable[[Any], Any] = njit(nogil=True, fastmath=True, cache=True, error_model="numpy")


def _pointer_to(kind: Any) -> Any:
    @intrinsic
    def pointer(typing: Any, address: Any) -> Any:
        where = types.CPointer(kind)

        def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            return builder.inttoptr(arguments[0], context.get_value_type(where))

        return where(address), code

    return pointer


packed_at = _pointer_to(types.uint32)
floats_at = _pointer_to(types.float32)
counts_at = _pointer_to(types.int32)


@jit
def floats(address, count):
    """`count` floats from an address on, as an array that nothing is counted of: making a slice would cost more than its loop."""
    return carray(floats_at(address), (count,))


@jit
def pixels(address, count):
    """As `floats`, of packed pixels."""
    return carray(packed_at(address), (count,))
