"""A revision's document, read once in each process: a revision is never changed, and every answer asks for one or two."""

from clinamen.core import document
from clinamen.core.bounded import Bounded
from clinamen.core.document import Scene as Document
from clinamen.scenes.models import Revision

KEPT = 60_000  # layers and keys of all documents that are kept, about 1 kB each
NEWEST = 32  # scenes of which the last document that was read is kept

_read: Bounded[Document] = Bounded(KEPT, lambda made: 1 + len(made.layers) + sum(len(x.keys) for x in made.tracks))
_newest: Bounded[list[Document]] = Bounded(NEWEST, lambda newest: 1)


def document_of(revision: Revision) -> Document:
    """The document of a revision, what it has in common with the last one of its scene shared with that. BadDocument where it
    cannot be read."""
    return _read.get(revision.pk, lambda: _shared(revision, document.parse(revision.document)))


def learn(revision: Revision, made: Document) -> None:
    """A revision that was just made of this document, which was read as any is: checked and whole."""
    _read.get(revision.pk, lambda: _shared(revision, made))


def _shared(revision: Revision, made: Document) -> Document:
    newest = _newest.get(revision.scene_id, list)
    made = document.sharing(made, newest[0]) if newest else made
    newest[:] = [made]
    return made


def forget() -> None:
    """Read everything anew from now on."""
    _read.clear()
    _newest.clear()
