"""ZIP archives opened with care: no path outside, no bomb, no member larger than a file may be. Run in the child."""

import io
import zipfile
from pathlib import PurePosixPath

from clinamen.core.errors import BadArt
from clinamen.core.pictures.limits import MAX_FILE

MAX_RATIO = 100
RATIO_FREE = 1_000_000  # bytes: small members may be packed tighter than the ratio
MAX_MEMBERS = 2000
UNPACKED = 10 * MAX_FILE  # bytes of all members
LEFT_OUT = ("__MACOSX/", ".")  # what archives carry besides their files


def open_archive(data: bytes, name: str) -> zipfile.ZipFile:
    """The archive, its list of members checked; BadArt says what is wrong."""
    if len(data) > MAX_FILE:
        raise BadArt(f"{name}: is {len(data) / 1048576:.0f} MB large; at most 200 MB can be read")
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, ValueError, OSError):
        raise BadArt(f"{name}: is not an archive that can be read; export it again") from None
    members = archive.infolist()
    if len(members) > MAX_MEMBERS:
        raise BadArt(f"{name}: holds {len(members)} files; at most {MAX_MEMBERS} can be read")
    for member in members:
        path = PurePosixPath(member.filename)
        if path.is_absolute() or ".." in path.parts or "\\" in member.filename:
            raise BadArt(f"{name}: {member.filename!r} points outside the archive; pack it again")
        if member.file_size > RATIO_FREE and member.file_size > MAX_RATIO * max(member.compress_size, 1):
            raise BadArt(f"{name}: {member.filename} unpacks to more than {MAX_RATIO} times its size; it is refused")
    if sum(member.file_size for member in members) > UNPACKED:
        raise BadArt(f"{name}: unpacks to more than 2 GB; it is refused")
    return archive


def members_of(archive: zipfile.ZipFile, name: str) -> list[str]:
    """Names of the files in it, without what packing programs add of their own; BadArt when there is none."""
    members = [m for m in archive.namelist() if not m.endswith("/") and not m.startswith(LEFT_OUT[0])]
    members = [m for m in members if not PurePosixPath(m).name.startswith(LEFT_OUT[1])]
    if not members:
        raise BadArt(f"{name}: holds no file; pack the pictures again")
    return members


def read_member(archive: zipfile.ZipFile, member: str, name: str) -> bytes:
    """A member's bytes; BadArt names archive and member."""
    try:
        with archive.open(member) as file:
            data = file.read(MAX_FILE + 1)
    except KeyError:
        raise BadArt(f"{name}: has no {member}; export it again") from None
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, OSError, ValueError, EOFError):
        raise BadArt(f"{name}: {member} is damaged; export it again") from None
    except Exception as error:  # zlib.error and its kin share no base
        raise BadArt(f"{name}: {member} cannot be unpacked ({type(error).__name__}); export it again") from None
    if len(data) > MAX_FILE:
        raise BadArt(f"{name}: {member} is larger than 200 MB; it is refused")
    return data
