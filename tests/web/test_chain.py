"""What led to a state is asked for once a process, and is the same as the database says; so is the art behind it."""

import pytest

from clinamen.core import document
from clinamen.scenes import chain
from clinamen.scenes.models import Revision, Scene, SceneArt
from clinamen.scenes.rooms import desk_of
from clinamen.scenes.rooms.desk import Choice
from clinamen.scenes.shelf import pictures_behind
from tests.faults.test_history import a_chain

pytestmark = pytest.mark.django_db


def anew(scene: Scene) -> Scene:
    return Scene.objects.select_related("head").get(pk=scene.pk)


def test_the_changes_before_a_head_are_those_of_its_parents_and_asked_for_once(made, django_assert_num_queries) -> None:
    a_chain(made, 12)
    head = anew(made).head
    wanted, at = [], head
    while at.parent is not None:
        wanted.append((at.pk, at.says))
        at = at.parent
    with django_assert_num_queries(1):
        first = [(each.pk, each.says) for each in chain.back_from(head)]
    assert first == wanted and len(wanted) == 12
    with django_assert_num_queries(0):
        assert [(each.pk, each.says) for each in chain.back_from(head)] == wanted
    fresh = Revision.objects.create(scene=made, parent=head, document=head.document, says="one more")
    with django_assert_num_queries(0):
        assert [each.pk for each in chain.back_from(fresh)] == [fresh.pk, *(pk for pk, _ in wanted)]


def test_no_more_changes_are_looked_back_at_than_undo_looks_past(made, monkeypatch) -> None:
    monkeypatch.setattr(chain, "MOST_LOOKED_BACK", 5)
    a_chain(made, 12)
    assert len(list(chain.back_from(anew(made).head))) == 6


def test_art_that_came_in_through_another_process_is_found(made, django_assert_num_queries) -> None:
    scene = anew(made)
    now = document.parse(scene.head.document)
    known = pictures_behind(scene, now)
    with django_assert_num_queries(0):
        assert pictures_behind(scene, now) == known
    file = now.layers[0].art.file
    SceneArt.objects.create(scene=scene, file="later.png", picture=known[file])
    later = now.layers[0].model_copy(update={"art": now.layers[0].art.model_copy(update={"file": "later.png"})})
    more = now.model_copy(update={"layers": (later, *now.layers[1:])})
    assert pictures_behind(scene, more)["later.png"] == known[file]


def test_a_proof_is_told_from_others_by_the_art_that_the_scene_shows(made) -> None:
    """Whichever files a process happens to know of, what it keeps for others has the same name."""
    scene = anew(made)
    before = desk_of(scene, Choice("depth"))
    name = before._proof_key
    now = document.parse(scene.head.document)
    SceneArt.objects.create(scene=scene, file="unused.png", picture=before.pictures[now.layers[0].art.file])
    after = desk_of(anew(made), Choice("depth"))
    after.pictures.update({"unused.png": before.pictures[now.layers[0].art.file]})
    assert after._proof_key == name and "unused.png" not in after.art
