"""A scene's art from the store, as the core wants it."""

from clinamen.art import store
from clinamen.art.derived import KeptSets, PreparedArt
from clinamen.art.models import Picture
from clinamen.core.bounded import Bounded
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadArt
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.scenes.models import Scene, SceneArt

KEPT = 200  # scenes whose art's names are remembered
AT_ONCE = 0.4  # seconds: quicker recipes are run at full size while the visitor waits, others by the worker

_known: Bounded[dict[str, Picture]] = Bounded(KEPT, lambda pictures: 1)


def pictures_of(scene: Scene) -> dict[str, Picture]:
    """Every art file of the scene and the picture behind it."""
    return {use.file: use.picture for use in SceneArt.objects.filter(scene=scene).select_related("picture")}


def pictures_behind(scene: Scene, document: Document) -> dict[str, Picture]:
    """The pictures behind a document's art. Rows are only added and pictures never changed, so the scene's are read anew only
    where the document names one that this process has not read."""
    known = _known.get(scene.pk, dict)
    if any(layer.art.file not in known for layer in document.layers if layer.art.file):
        known.update(pictures_of(scene))
    return dict(known)


def lost_of(pictures: dict[str, Picture], document: Document) -> list[str]:
    """The art files of a document that are not in the store any more."""
    files = dict.fromkeys(layer.art.file for layer in document.layers if layer.art.file)
    return [file for file in files if file in pictures and store.is_lost(pictures[file])]


def shelf_of(pictures: dict[str, Picture], document: Document | None = None, draft: bool = False) -> ArtShelf:
    """An art shelf over the store. `draft`: prepared art that is not ready is stood in for by its preview, and art that was
    lost by a picture that names it; without, it is refused."""
    lost: dict[str, bool] = {}

    def picture(file: str) -> Picture:
        if file not in pictures:
            raise BadArt(f"{file}: is not in this scene's art; bring it in again")
        return pictures[file]

    def stood_in(file: str) -> bool:
        if file not in lost:
            lost[file] = draft and store.is_lost(picture(file))
        return lost[file]

    def content(file: str) -> bytes:
        return store.stand_in(picture(file), file) if stood_in(file) else store.read(picture(file), file)

    return ArtShelf(
        content,
        lambda file: f"{picture(file).sha256}{'-lost' if stood_in(file) else ''}",
        document,
        PreparedArt(),
        AT_ONCE if draft else None,
        KeptSets(),
    )
