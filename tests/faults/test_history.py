"""Faults of the chain of revisions: what a page costs, what looking changes, what is left behind."""

import pytest
from django.utils import timezone

from clinamen.core import document
from clinamen.exports.actions.sweep import throw_away
from clinamen.exports.models import Export
from clinamen.scenes import access, comment_views, past_views
from clinamen.scenes import views as scene_views
from clinamen.scenes.actions.thin import KEPT, thin
from clinamen.scenes.models import Preparation, Revision, Scene
from tests.web.conftest import png, upload
from tests.web.test_prepare import edit, head, large  # noqa: F401  (a fixture)


def a_chain(made: Scene, length: int) -> None:
    """Revisions after one another, as edits make them."""
    at = made.head
    for number in range(length):
        data = {**at.document, "title": f"Title {number}"}
        after = Revision.objects.create(
            scene=made, parent=at, number=at.number + 1, document=data, says=f"Edit {number}"
        )
        Revision.objects.filter(pk=at.pk).update(ahead=after)
        at = after
    made.head = at
    made.save()


ASKED = {
    "the page": lambda visitor, made: visitor.get(f"/scenes/{made.pk}/depth/"),
    "another choice": lambda visitor, made: visitor.get(f"/scenes/{made.pk}/desk/?room=depth"),
    "a drag": lambda visitor, made: visitor.post(
        f"/scenes/{made.pk}/edit/depth/",
        {"room": "depth", "layer": "front", "rate": "0.4", "preview": "1", "base": Scene.objects.get().head_id},
    ),
}


@pytest.mark.parametrize("ask", ASKED.values(), ids=ASKED)
def test_an_answer_costs_the_same_queries_at_1_and_at_300_revisions(
    visitor, made, ask, django_assert_num_queries, django_assert_max_num_queries
) -> None:
    ask(visitor, made)
    with django_assert_max_num_queries(8) as short:
        assert ask(visitor, made).status_code == 200
    count = len(short.captured_queries)
    a_chain(made, 300)
    with django_assert_max_num_queries(count + 1) as fresh:
        assert ask(visitor, made).status_code == 200
    with django_assert_num_queries(count) as long:
        assert ask(visitor, made).status_code == 200
    loaded = [
        sum('"scenes_revision"."document"' in q["sql"] for q in asked.captured_queries) for asked in (fresh, long)
    ]
    assert loaded == [1, 0], "one document is loaded, once"


def test_an_edit_costs_the_same_queries_at_1_and_at_300_revisions(
    visitor, made, django_assert_num_queries, django_assert_max_num_queries
) -> None:
    edit(visitor, made, "depth", layer="front", rate="0.4")  # what is asked for once a process
    with django_assert_max_num_queries(14) as short:
        edit(visitor, made, "depth", layer="front", rate="0.41")
    count = len(short.captured_queries)
    a_chain(made, 300)
    made.refresh_from_db()
    edit(visitor, made, "depth", layer="front", rate="0.42")
    with django_assert_num_queries(count):
        edit(visitor, made, "depth", layer="front", rate="0.43")


def test_undo_and_redo_walk_the_same_way_after_many_edits(visitor, made) -> None:
    for number in range(6):
        edit(visitor, made, "title", title=f"T{number}")
    for _ in range(4):
        visitor.post(f"/scenes/{made.pk}/history/undo/", {"room": "depth"})
    assert head(made).title == "T1"
    for _ in range(2):
        visitor.post(f"/scenes/{made.pk}/history/redo/", {"room": "depth"})
    assert head(made).title == "T3"
    edit(visitor, made, "title", title="another way")
    answer = visitor.post(f"/scenes/{made.pk}/history/redo/", {"room": "depth"}).content.decode()
    assert "nothing to redo" in answer, "a new edit leaves the old line"
    visitor.post(f"/scenes/{made.pk}/history/undo/", {"room": "depth"})
    assert head(made).title == "T3"
    visitor.post(f"/scenes/{made.pk}/history/redo/", {"room": "depth"})
    assert head(made).title == "another way"


def test_looking_writes_nothing(visitor, large, django_assert_max_num_queries) -> None:  # noqa: F811
    edit(visitor, large, "step-add", layer="photo", step="soften", radius="9")
    rows = list(Preparation.objects.values())
    assert len(rows) == 1, "the edit asked the worker"
    for room in ("art", "prepare", "depth", "motion", "proof", "export"):
        with django_assert_max_num_queries(12) as done:
            assert visitor.get(f"/scenes/{large.pk}/{room}/").status_code == 200
        verbs = {query["sql"].split()[0] for query in done.captured_queries}
        assert verbs <= {"SELECT"}, (room, verbs)
    assert list(Preparation.objects.values()) == rows


def test_nudges_leave_no_document_behind(visitor, made) -> None:
    before = Revision.objects.count()
    for step in range(12):
        edit(visitor, made, "depth", layer="front", rate=f"{0.5 + step / 100}", nudge="1")
    assert Revision.objects.count() == before + 1
    visitor.post(f"/scenes/{made.pk}/history/undo/", {"room": "depth"})
    assert head(made).layer("front").depth == 0.0, "and one undo takes them all back"


@pytest.mark.parametrize(
    ("asked", "way"),
    [("comments/", "get"), ("scene.json", "get"), ("duplicate/", "post")],
)
def test_what_is_asked_for_while_a_nudge_takes_the_place_of_the_head_is_answered(
    visitor, made, monkeypatch, asked, way
) -> None:
    edit(visitor, made, "depth", layer="front", rate="0.5", nudge="1")
    visitor.get(f"/scenes/{made.pk}/depth/")
    scene_of = access.scene_of

    def and_then_the_next(request, pk, **how):
        scene = scene_of(request, pk, **how)
        Scene.objects.filter(pk=pk).update(head=scene.head.parent_id)
        Revision.objects.filter(pk=scene.head_id).delete()
        return scene

    for views in (comment_views, past_views, scene_views):
        monkeypatch.setattr(views, "scene_of", and_then_the_next)
    answer = getattr(visitor, way)(f"/scenes/{made.pk}/{asked}")
    assert answer.status_code == (200 if way == "get" else 302)


def test_a_nudge_that_an_export_was_made_of_stays(visitor, made) -> None:
    edit(visitor, made, "depth", layer="front", rate="0.5", nudge="1")
    made.refresh_from_db()
    export = Export.objects.create(scene=made, revision=made.head, kind="layered")
    edit(visitor, made, "depth", layer="front", rate="0.6", nudge="1")
    export.refresh_from_db()
    assert document.parse(export.revision.document).layer("front").depth != head(made).layer("front").depth


def test_an_edit_on_a_nudge_that_is_gone_is_kept_aside_and_nothing_is_overwritten(visitor, made) -> None:
    edit(visitor, made, "depth", layer="front", rate="0.5", nudge="1")
    made.refresh_from_db()
    gone = made.head_id
    edit(visitor, made, "depth", layer="front", rate="0.6", nudge="1")
    answer = visitor.post(
        f"/scenes/{made.pk}/edit/framing/", {"base": gone, "room": "depth", "layer": "front", "x": "40"}
    )
    assert "was not saved" in answer.content.decode()
    assert head(made).layer("front").framing.x == 0
    assert Revision.objects.get(refused=True).document["layers"][-1]["framing"]["x"] == 40


def test_only_what_nobody_can_reach_is_thinned(visitor, made) -> None:
    for title in ("one", "two", "three"):
        edit(visitor, made, "title", title=title)
    for _ in range(2):
        visitor.post(f"/scenes/{made.pk}/history/undo/", {"room": "depth"})
    edit(visitor, made, "title", title="other")
    visitor.post(f"/scenes/{made.pk}/history/undo/", {"room": "depth"})
    assert thin() == 0, "what was left a moment ago can still be found"
    Revision.objects.update(created=timezone.now() - 2 * KEPT)
    left = set(Revision.objects.filter(document__title__in=("two", "three")).values_list("pk", flat=True))
    kept = set(Revision.objects.values_list("pk", flat=True)) - left
    assert len(left) == 2 and thin() == 2
    assert set(Revision.objects.values_list("pk", flat=True)) == kept
    visitor.post(f"/scenes/{made.pk}/history/redo/", {"room": "depth"})
    assert head(made).title == "other", "redo still leads where it led"


def test_a_scene_with_exports_can_be_deleted(visitor, made) -> None:
    Export.objects.create(scene=made, revision=made.head, kind="layered")
    visitor.post(f"/scenes/{made.pk}/delete/")
    assert not Scene.objects.exists() and Revision.objects.exists(), "in the bin it is whole"
    throw_away(Scene.every.get())
    assert not Scene.every.exists() and not Revision.objects.exists() and not Export.objects.exists()


def test_a_layer_called_like_a_number_can_be_chosen(visitor, made) -> None:
    visitor.post(f"/scenes/{made.pk}/layers/", {"files": [upload("7.png", png(seed=7))], "room": "art"})
    ids = [layer.id for layer in head(made).layers]
    assert "7" in ids
    edit(visitor, made, "step-add", layer="front", step="match", other="7")
    assert head(made).layer("front").recipe.steps[0].layer == "7"
    edit(visitor, made, "step-add", layer="front", step="fill", behind="7")
    assert head(made).layer("front").recipe.steps[1].behind == "7"
    edit(visitor, made, "step-add", layer="front", step="turn", quarters="2")
    assert head(made).layer("front").recipe.steps[2].quarters == 2
