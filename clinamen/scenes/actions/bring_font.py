"""Bring in a font: checked, kept as it came, and at hand for the words of its scene."""

from clinamen.art import store
from clinamen.core.errors import BadArt
from clinamen.core.exchange.names import file_stem
from clinamen.core.made.fontfile import MAX_FONT, FontFile
from clinamen.core.pictures.reading import font_of
from clinamen.scenes.actions.dropped import Dropped
from clinamen.scenes.models import Scene, SceneFont


def bring_font(scene: Scene, file: Dropped, licence: str) -> tuple[FontFile, list[str]]:
    """The font as words name it, and what to look at; `licence` is what is typed, else what the font says of itself. The same
    font with the same licence is kept once."""
    name = file.name or "font"
    if (file.size or 0) > MAX_FONT:
        raise BadArt(f"{name}: is larger than 20 MB; leave out letters that are not needed and save it again")
    data = file.read()
    told = font_of(data, name)
    noted, sha256 = (licence.strip() or told.licence)[:2000], store.keep_original(data)
    known = SceneFont.objects.filter(scene=scene, sha256=sha256, licence=noted).first()
    if known is None:
        taken = SceneFont.objects.filter(scene=scene).values_list("file", flat=True)
        stem = file_stem(told.name, [each.rpartition("/")[2].rpartition(".")[0] for each in taken])
        known = SceneFont.objects.create(
            scene=scene, file=f"fonts/{stem}{told.ending}", sha256=sha256, name=told.name, licence=noted
        )
    return as_named(known), list(told.notes) if not licence.strip() else []


def keep_as(scene: Scene, font: FontFile, data: bytes) -> None:
    """Keep a font that came with a scene, under the name that its words know."""
    store.keep_original(data)
    SceneFont.objects.get_or_create(
        scene=scene, file=font.file, defaults={"sha256": font.sha256, "name": font.name, "licence": font.licence}
    )


def as_named(row: SceneFont) -> FontFile:
    """A kept font as words name it."""
    return FontFile(file=row.file, sha256=row.sha256, name=row.name, licence=row.licence)


def find(sha256: str) -> bytes | None:
    """A kept font's bytes."""
    if not SceneFont.objects.filter(sha256=sha256).exists():
        return None
    return store.read_original(sha256)
