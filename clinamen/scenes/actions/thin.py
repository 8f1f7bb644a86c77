"""Thin: documents that nobody can reach any more are taken out, so that a long evening's work stays small.

The rule. A state can be reached when undo leads to it from the head, or redo does. All of those stay, however many. A
nudge that another nudge of the same control took the place of is taken out at once. A line that was undone and then left
by a new edit stays for KEPT, and is taken out after that. Versions kept aside after a conflict, revisions that an export
was made of, and those with a name stay.
"""

from datetime import timedelta

from django.db import connection, transaction
from django.db.models import RestrictedError
from django.utils import timezone

from clinamen.scenes.models import Revision, Scene

KEPT = timedelta(days=1)  # how long a line that was left can still be found in the database


def take_out(revision: Revision) -> bool:
    """Delete a revision that nothing leads to; False where something was made of it, which keeps it."""
    try:
        with transaction.atomic():
            revision.delete()
    except RestrictedError:
        return False
    return True


def reachable() -> set[int]:
    """Primary keys of every revision that undo or redo leads to, of all scenes."""
    table, scenes = Revision._meta.db_table, Scene._meta.db_table
    walk = """
        WITH RECURSIVE walked(id) AS (
            SELECT head_id FROM {scenes} WHERE head_id IS NOT NULL
            UNION SELECT r.{way} FROM {table} r JOIN walked w ON r.id = w.id WHERE r.{way} IS NOT NULL
        ) SELECT id FROM walked"""
    found: set[int] = set()
    with connection.cursor() as cursor:
        for way in ("parent_id", "ahead_id"):
            cursor.execute(walk.format(scenes=scenes, table=table, way=way))
            found |= {int(row[0]) for row in cursor.fetchall()}
    return found


def thin() -> int:
    """Take out what nobody can reach and is older than KEPT; returns how many rows that were."""
    old = Revision.objects.filter(refused=False, name="", created__lt=timezone.now() - KEPT).defer("document")
    kept = reachable()
    return sum(take_out(revision) for revision in old.order_by("-pk").iterator() if revision.pk not in kept)
