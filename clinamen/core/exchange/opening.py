"""A scene from a path: `scene.json` beside its art, a folder holding one, or one OpenRaster file."""

from dataclasses import dataclass, field
from pathlib import Path

from clinamen.core import document
from clinamen.core.document import Scene
from clinamen.core.made.fontfile import FINDERS
from clinamen.core.pictures.plainfile import read_plain

DOCUMENT = "scene.json"


@dataclass(frozen=True)
class SceneFiles:
    """A scene and where its art is: `archive` holds the art's bytes, otherwise it stands under `folder`; `fonts` by content."""

    scene: Scene
    folder: Path
    archive: dict[str, bytes] | None = None
    fonts: dict[str, bytes] = field(default_factory=dict)

    def read(self, file: str) -> bytes:
        """Bytes of one art file; BadArt when it cannot be read."""
        if self.archive is not None:
            return self.archive[file]
        from clinamen.core.pictures.reading import read_file

        return read_file(self.folder / file, self.folder)

    def font(self, sha256: str) -> bytes | None:
        """Bytes of a font that words of the scene are set in, by their SHA-256."""
        from clinamen.core.pictures.reading import font_of, read_file

        if sha256 in self.fonts:
            return self.fonts[sha256]
        for font in self.scene.fonts:
            if font.sha256 == sha256 and self.archive is None:
                self.fonts[sha256] = data = read_file(self.folder / font.file, self.folder)
                font_of(data, font.file)
                return data
        return None


def open_scene(path: Path) -> SceneFiles:
    """The scene at a path; BadArt or BadDocument says what is wrong. NumPy is imported only where art is needed."""
    if path.is_dir():
        path = path / DOCUMENT
    data = read_plain(path, "name a scene.json, its folder or an .ora")
    if path.suffix.lower() == ".ora" or data[:2] == b"PK":
        from clinamen.core.exchange import openraster

        opened = openraster.read(data, path.name)
        return _at_hand(SceneFiles(opened.scene, path.parent, opened.files, opened.fonts))
    return _at_hand(SceneFiles(document.parse_text(data, path.name), path.parent))


def _at_hand(files: SceneFiles) -> SceneFiles:
    if files.scene.fonts:
        FINDERS.insert(0, files.font)
    return files
