"""The changes that led to a state, without their documents. What came before a revision is never something else, so it is asked
for once in each process: every answer to a page says whose change undo would take back."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

from clinamen.core.bounded import Bounded
from clinamen.scenes.models import Revision

MOST_LOOKED_BACK = 300  # changes of others that undo looks past for one of one's own
KEPT = 20_000  # changes of all scenes that are remembered


@dataclass(frozen=True)
class Change:
    """What a revision changed: whose it is, what it says, what it takes back; `parent_id` is None of a first state."""

    pk: int
    parent_id: int | None
    author_id: int | None
    undoes_id: int | None
    says: str


_known: Bounded[Change] = Bounded(KEPT, lambda change: 1)


def change_of(revision: Revision) -> Change:
    """A revision that is at hand."""
    return Change(revision.pk, revision.parent_id, revision.author_id, revision.undoes_id, revision.says)


def change_at(pk: int) -> Change:
    """The change of a revision that leads to a head, or that redo leads to."""

    def asked() -> Change:
        found, *before = _led_to(pk)
        for each in before:
            _known.get(each.pk, partial(_itself, each))
        return found

    return _known.get(pk, asked)


def _itself(each: Change) -> Change:
    return each


def back_from(head: Revision | None) -> Iterator[Change]:
    """The changes that led to a head, the newest first, not the first state. Who is content with the head asks for none."""
    at = _known.get(head.pk, lambda: change_of(head)) if head is not None else None
    for _ in range(MOST_LOOKED_BACK + 1):
        if at is None or at.parent_id is None:
            return
        yield at
        at = change_at(at.parent_id)


def _led_to(pk: int) -> Iterator[Change]:
    """A change and those before it, by one question."""
    table = Revision._meta.db_table
    walk = f"""
        WITH RECURSIVE back(id, far) AS (
            SELECT %s::bigint, 1
            UNION ALL SELECT r.parent_id, far + 1 FROM {table} r JOIN back b ON r.id = b.id
            WHERE r.parent_id IS NOT NULL AND far < {MOST_LOOKED_BACK}
        ) SELECT r.id, r.parent_id, r.author_id, r.undoes_id, r.says FROM back b JOIN {table} r ON r.id = b.id ORDER BY far"""
    found = False
    for row in Revision.objects.raw(walk, [pk]):
        found = True
        yield change_of(row)
    if not found:  # gone since: nothing is known of what came before
        yield Change(pk, None, None, None, "")
