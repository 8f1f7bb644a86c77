"""What a picture may be: formats, sizes, and the sentences that refuse the rest. Quick to import."""

from clinamen.core.errors import BadArt

MAX_FILE = 200 * 1024 * 1024
MAX_PIXELS = 64_000_000
MAX_SIDE = 60_000
MOST_SECONDS = 12.0  # of a film clip that becomes an actor
FORMATS = ("PNG", "WEBP", "JPEG", "AVIF")
VECTOR = "SVG"
KNOWN = "PNG, JPEG, WebP, AVIF, TIFF or SVG"
AS_ART = "PNG, JPEG, WebP, AVIF or SVG"  # a TIFF's pages become PNG where it is brought in
MEDIA_TYPES = {
    "PNG": "image/png",
    "WEBP": "image/webp",
    "JPEG": "image/jpeg",
    "AVIF": "image/avif",
    VECTOR: "image/svg+xml",
}


def is_vector(data: bytes) -> bool:
    """True for a file that begins like XML."""
    return data[:256].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"


def is_tiff(data: bytes) -> bool:
    """True for a file that begins like a TIFF, of either byte order, classic or big."""
    return data[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")


def is_clip(data: bytes) -> bool:
    """True for a file that begins like an MP4 or QuickTime film, or a WebM."""
    return data[4:8] == b"ftyp" or data[:4] == b"\x1a\x45\xdf\xa3"


def check_file(data: bytes, name: str) -> None:
    """BadArt for a file that is too large, or empty."""
    if len(data) > MAX_FILE:
        raise BadArt(f"{name}: is {len(data) / 1048576:.0f} MB large; at most 200 MB can be read, save it smaller")
    if not data:
        raise BadArt(f"{name}: is empty; export it again")


def check_size(width: int, height: int, name: str) -> None:
    """BadArt for a picture that is too large, or empty."""
    if width < 1 or height < 1:
        raise BadArt(f"{name}: is {width} × {height} px, which is empty; export it again")
    if width * height > MAX_PIXELS or max(width, height) > MAX_SIDE:
        raise BadArt(f"{name}: is {width} × {height} px; at most 64 megapixels can be read, make it smaller")
