"""A revision's document, read once in each process: a revision is never changed, and every answer asks for one or two."""

import hashlib
import json
from typing import Any

from clinamen.core import document
from clinamen.core.bounded import Bounded
from clinamen.core.document import Scene as Document
from clinamen.scenes.models import Revision

KEPT = 60_000  # layers and keys of all documents that are kept, about 1 kB each
NEWEST = 32  # scenes of which the last document that was read is kept

_read: Bounded[Document] = Bounded(KEPT, lambda made: 1 + len(made.layers) + sum(len(x.keys) for x in made.tracks))
_newest: Bounded[list[Document]] = Bounded(NEWEST, lambda newest: 1)
_digests: Bounded[str] = Bounded(4096, lambda digest: 1)


def document_of(revision: Revision) -> Document:
    """The document of a revision, what it has in common with the last one of its scene shared with that. BadDocument where it
    cannot be read."""
    return _read.get(revision.pk, lambda: _shared(revision, document.parse(revision.document)))


def brought(revision: Revision) -> bool:
    """Have the document of a revision that was asked for without it, where this process has not read it. False where the revision
    is gone."""
    if revision.pk in _read:
        return True
    found = Revision.objects.filter(pk=revision.pk).values_list("document", flat=True).first()
    revision.document = found
    return found is not None


def written(revision: Revision) -> dict[str, Any]:
    """A revision's document as JSON, also where the revision was asked for without it and is gone since: a nudge whose place the
    next one took."""
    if "document" in revision.get_deferred_fields():
        return document_of(revision).to_json()
    return dict(revision.document)


def digest_of(made: Document, revision: Revision | None = None) -> str:
    """What tells a document from others; worked out once where it is that of a revision."""
    if revision is not None:
        return _digests.get(revision.pk, lambda: digest_of(made))
    return hashlib.sha256(json.dumps(made.to_json(), sort_keys=True).encode()).hexdigest()


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
