"""A scene's art from the store, as the core wants it."""

from clinamen.art import store
from clinamen.art.models import Picture
from clinamen.core.document import Scene as Document
from clinamen.core.errors import BadArt
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.scenes.models import Scene, SceneArt

AT_ONCE = 0.4  # seconds: quicker recipes are run at full size while the visitor waits, others by the worker


def pictures_of(scene: Scene) -> dict[str, Picture]:
    """Every art file of the scene and the picture behind it."""
    return {use.file: use.picture for use in SceneArt.objects.filter(scene=scene).select_related("picture")}


def shelf_of(pictures: dict[str, Picture], document: Document | None = None, draft: bool = False) -> ArtShelf:
    """An art shelf over the store. `draft`: prepared art that is not ready is stood in for by its preview."""

    def picture(file: str) -> Picture:
        if file not in pictures:
            raise BadArt(f"{file}: is not in this scene's art; bring it in again")
        return pictures[file]

    return ArtShelf(
        lambda file: store.read(picture(file)),
        lambda file: picture(file).sha256,
        document,
        store.PreparedArt(),
        AT_ONCE if draft else None,
    )
