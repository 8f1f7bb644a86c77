"""Rooms of the workspace, in working order: one presenter each, beside its template under `scenes/rooms/`."""

from clinamen.core.document import Scene as Document
from clinamen.scenes.models import Scene
from clinamen.scenes.rooms import art as art

from clinamen.scenes.rooms import prepare as prepare  # isort: skip
from clinamen.scenes.rooms import depth as depth  # isort: skip
from clinamen.scenes.rooms import motion as motion  # isort: skip
from clinamen.scenes.rooms import look as look  # isort: skip
from clinamen.scenes.rooms import proof as proof  # isort: skip
from clinamen.scenes.rooms import export as export  # isort: skip
from clinamen.scenes.rooms.desk import ROOMS, Choice, Desk

__all__ = ["ROOMS", "Choice", "Desk", "desk_of"]


def desk_of(scene: Scene, choice: Choice, preview: Document | None = None, hasty: bool = False) -> Desk:
    """The presenter of the room that is chosen."""
    return ROOMS[choice.room](scene, choice, preview, hasty)
