"""Several people on one scene: who may do what, whose change undo takes back, what is refused, said, copied and found again."""

import re
import threading
from datetime import timedelta

import pytest
from django.db import connection
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver
from django.utils import timezone

from clinamen.core import document
from clinamen.core.edits import apply
from clinamen.scenes import answers, pictures
from clinamen.scenes import views as scene_views
from clinamen.scenes.actions import copying, revise, thin
from clinamen.scenes.models import Comment, Revision, Scene, Share
from tests.faults.test_history import a_chain
from tests.web.conftest import png, upload
from tests.web.test_scenes import edit, head

pytestmark = pytest.mark.django_db


@pytest.fixture
def ben(django_user_model):
    return django_user_model.objects.create_user("ben", password="another-passphrase")


@pytest.fixture
def other(ben) -> Client:
    client = Client()
    client.force_login(ben)
    return client


@pytest.fixture
def shared(made, ben) -> Scene:
    Share.objects.create(scene=made, account=ben, may="edit")
    return made


def address(scene: Scene, rest: str = "depth/") -> str:
    return f"/scenes/{scene.pk}/{rest}"


def routes(patterns=None):
    """Every address below a scene's, with what fills it in."""
    for each in patterns or get_resolver().url_patterns:
        if isinstance(each, URLResolver):
            yield from routes(each.url_patterns)
        elif isinstance(each, URLPattern) and str(each.pattern).startswith("scenes/<uuid:pk>/"):
            yield str(each.pattern)


FILLED = {
    "str:name": "title",
    "str:way": "undo",
    "str:layer": "back",
    "str:key": "0" * 64,
    "str:state": "done",
    "str:room": "depth",
}


def filled(pattern: str, scene: Scene) -> str:
    pattern = pattern.replace("<uuid:pk>", str(scene.pk))
    return "/" + re.sub(r"<([^>]+)>", lambda found: FILLED.get(found[1], "1"), pattern)


def test_nobody_reaches_another_s_scene_by_any_address(made, other) -> None:
    stranger, found = Client(), list(routes())
    assert len(found) > 55
    before = head(made)
    for pattern in found:
        for method in ("get", "post"):
            status = getattr(other, method)(filled(pattern, made)).status_code
            assert status in (404, 405), (method, pattern, status)
            status = getattr(stranger, method)(filled(pattern, made)).status_code
            assert status in (302, 405), (method, pattern, status)
    assert head(made) == before and Scene.objects.filter(pk=made.pk).exists()


SAYS_ONLY = ("comments/", "duplicate/")  # what who may look may still post


def test_who_may_look_looks_everywhere_and_changes_nothing(made, other, ben) -> None:
    Share.objects.create(scene=made, account=ben, may="look")
    for room in ("art", "prepare", "depth", "motion", "look", "proof", "export"):
        page = other.get(address(made, f"{room}/"))
        assert page.status_code == 200 and "data-looks" in page.content.decode()
    assert other.get(address(made, "scene.json")).status_code == 200
    before, count = head(made), Revision.objects.count()
    for pattern in routes():
        if not any(pattern.endswith(end) or f"/{end}" in pattern for end in SAYS_ONLY):
            other.post(filled(pattern, made), {"title": "Mine", "room": "depth", "kind": "web"})
    assert head(made) == before and Revision.objects.count() == count and not made.exports.exists()
    assert Scene.objects.filter(pk=made.pk).exists(), "and it is not in the bin"
    assert "look at this scene, not change it" in edit(other, made, "title", title="Mine").content.decode()


def test_who_may_edit_edits_but_neither_deletes_nor_shares(shared, other) -> None:
    edit(other, shared, "title", title="Ours")
    assert head(shared).title == "Ours" and shared.head.author.username == "ben"
    for rest in ("delete/", "people/share/", "people/link/", "put/"):
        assert other.post(address(shared, rest), {"account": "ben", "may": "edit", "starts": "1"}).status_code == 404
    assert "Ours" in other.get("/").content.decode(), "it stands in his list"


def test_a_share_is_given_set_and_ended_by_name(visitor, made, other) -> None:
    share = address(made, "people/share/")
    answer = visitor.post(share, {"account": "nobody", "may": "look"})
    assert answer.status_code == 422 and "there is none called “nobody”" in answer.content.decode()
    assert "that is you" in visitor.post(share, {"account": "ada", "may": "look"}).content.decode()
    assert "Right:" in visitor.post(share, {"account": "ben", "may": "own"}).content.decode()
    visitor.post(share, {"account": "ben", "may": "look"})
    assert other.get(address(made)).status_code == 200
    visitor.post(share, {"account": "ben", "may": "edit"})
    assert Share.objects.get().may == "edit"
    visitor.post(share, {"account": "ben", "may": "no"})
    assert other.get(address(made)).status_code == 404


def test_a_link_lets_anybody_look_until_it_is_ended(visitor, made) -> None:
    visitor.post(address(made, "people/link/"))
    link, stranger = made.links.get(), Client()
    assert stranger.get(address(made)).status_code == 302
    assert stranger.get(f"/look/{link.token}/").status_code == 302
    page = stranger.get(address(made))
    assert page.status_code == 200 and "Look only" in page.content.decode()
    picture = re.search(r'src="(/art/[^"]+\.webp|/scenes/[^"]+\.webp[^"]*)"', page.content.decode())
    assert picture and stranger.get(picture[1]).status_code == 200, "with its pictures"
    before = head(made)
    edit(stranger, made, "title", title="Anybody's")
    assert head(made) == before
    assert "Sign in to comment" in stranger.post(address(made, "comments/say/"), {"text": "x"}).content.decode()
    visitor.post(address(made, f"people/link/{link.pk}/end/"))
    assert stranger.get(address(made)).status_code == 404 and stranger.get(f"/look/{link.token}/").status_code == 404
    assert stranger.get(picture[1]).status_code == 404


# --- undo ------------------------------------------------------------------------------------------------------------


def undo(client: Client, scene: Scene, way: str = "undo"):
    return client.post(address(scene, f"history/{way}/"), {"room": "depth"}).content.decode()


def test_undo_takes_back_one_s_own_change_and_leaves_the_other_s(visitor, shared, other) -> None:
    edit(visitor, shared, "depth", layer="front", rate="0.5")
    edit(other, shared, "title", title="Ben's")
    undo(visitor, shared)
    assert head(shared).title == "Ben's" and abs(head(shared).layer("front").depth) < 1e9
    assert shared.head.says.startswith("Took back: ")
    depth = head(shared).layer("front").depth
    assert "nothing of yours to undo" in undo(visitor, shared), "Ben's stays"
    assert head(shared).title == "Ben's"
    undo(visitor, shared, "redo")
    assert head(shared).layer("front").depth != depth and head(shared).title == "Ben's"
    undo(visitor, shared)
    assert head(shared).layer("front").depth == depth
    undo(other, shared)
    assert head(shared).title == "Three"


def test_what_another_changed_since_is_never_taken_back_silently(visitor, shared, other) -> None:
    edit(visitor, shared, "title", title="Ada's")
    edit(other, shared, "title", title="Ben's")
    answer = undo(visitor, shared)
    assert "cannot be taken back alone" in answer and head(shared).title == "Ben's"
    undo(other, shared)
    assert head(shared).title == "Ada's"
    assert "nothing of yours to redo" in undo(visitor, shared, "redo"), "that was Ben's"


def test_many_undos_go_back_over_one_s_own_changes_in_turn(visitor, shared, other) -> None:
    for layer, rate in (("back", "0.2"), ("middle", "0.4")):
        edit(visitor, shared, "depth", layer=layer, rate=rate)
        edit(other, shared, "layer", layer=layer, opacity="0.5")
    first = Revision.objects.filter(scene=shared).order_by("pk").first().document
    for _ in range(2):
        undo(visitor, shared)
    depths = {
        layer["id"]: layer["depth"] for layer in shared.__class__.objects.get(pk=shared.pk).head.document["layers"]
    }
    assert depths == {layer["id"]: layer["depth"] for layer in first["layers"]}
    for _ in range(2):
        undo(visitor, shared, "redo")
    assert {layer.id for layer in head(shared).layers if layer.depth != dict(depths)[layer.id]} == {"back", "middle"}


def test_redo_stands_also_where_another_edits_after_one_s_undo(visitor, shared, other) -> None:
    before, says = head(shared).layer("front").depth, ""
    for rate in ("0.5", "0.25"):
        edit(visitor, shared, "depth", layer="front", rate=rate)
        says = says or Scene.objects.get(pk=shared.pk).head.says
    wanted = head(shared).layer("front").depth
    for _ in range(2):
        undo(visitor, shared)
    assert head(shared).layer("front").depth == before
    edit(other, shared, "title", title="Ben's")
    page = visitor.get(address(shared)).content.decode()
    assert f'title="Redo: {says} (' in page, "the first of the two, in its own words"
    for _ in range(2):
        undo(visitor, shared, "redo")
    assert head(shared).layer("front").depth == wanted and head(shared).title == "Ben's"
    assert "There is nothing to redo" in undo(visitor, shared, "redo")
    for _ in range(2):
        undo(visitor, shared)
    assert head(shared).layer("front").depth == before and head(shared).title == "Ben's"


def test_looking_past_many_changes_of_another_costs_no_query_each(shared, other, django_assert_max_num_queries) -> None:
    a_chain(shared, 120)
    other.get(address(shared))
    with django_assert_max_num_queries(16):
        assert "Nothing to undo" in other.get(address(shared)).content.decode()


def test_a_refused_edit_is_seen_beside_the_head_and_taken_over_in_parts(visitor, shared, other) -> None:
    base = Scene.objects.get(pk=shared.pk).head_id
    edit(visitor, shared, "framing", base=base, layer="front", x="10", y="5")
    answer = edit(other, shared, "framing", base=base, layer="front", x="99", y="77").content.decode()
    assert "is kept as revision" in answer
    kept = Revision.objects.get(refused=True)
    page = other.get(address(shared, f"kept/{kept.pk}/")).content.decode()
    assert "Front: framing x" in page and "99" in page and 'value="[' in page
    nothing = other.post(address(shared, f"kept/{kept.pk}/parts/"), {})
    assert nothing.status_code == 422 and "nothing was chosen" in nothing.content.decode()
    parts = re.findall(r'name="part" value="([^"]+)"', page.replace("&quot;", '"'.replace('"', "&quot;")))
    wanted = next(part.replace("&quot;", '"') for part in parts if "framing" in part and "&quot;y&quot;" in part)
    other.post(address(shared, f"kept/{kept.pk}/parts/"), {"part": [wanted]})
    framing = head(shared).layer("front").framing
    assert (framing.x, framing.y) == (10, 77)
    assert Revision.objects.filter(pk=kept.pk).exists(), "the rest can still be taken"


def test_two_edits_of_one_scene_at_once_both_stand(transactional_db, django_user_model) -> None:
    """Of one who waits for the other: his head is the other's."""
    owner = django_user_model.objects.create_user("cleo")
    scene = Scene.objects.create(owner=owner, title="T")
    layers = [
        {"id": f"l{n}", "art": {"made": {"kind": "gradient"}, "width": 90, "height": 60}, "depth": n} for n in range(4)
    ]
    scene.head = Revision.objects.create(
        scene=scene, document=document.parse({"title": "T", "layers": layers}).to_json(), says="made"
    )
    scene.save()
    wrong: list[str] = []

    def move(n: int) -> None:
        try:
            made = document.parse(scene.head.document)
            moved = made.layers[n].model_copy(update={"depth": 500.0 + n})
            changed = [moved if layer.id == moved.id else layer for layer in made.layers]
            revise.revise(scene, scene.head_id, made.model_copy(update={"layers": tuple(changed)}), f"moved {n}", owner)
        except Exception as error:
            wrong.append(repr(error))
        finally:
            connection.close()

    threads = [threading.Thread(target=move, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong
    assert [layer.depth for layer in head(scene).layers] == [500, 501, 502, 503]


@pytest.mark.parametrize("meets", [False, True], ids=["something else", "the same"])
def test_a_scene_is_not_locked_while_an_answer_is_drawn_and_who_is_overtaken_is_merged(
    transactional_db, visitor, shared, ben, monkeypatch, meets
) -> None:
    layer, drawn, wanted, before = "front" if meets else "back", [], [], head(shared)

    def of_ben() -> None:
        try:
            scene = Scene.objects.get(pk=shared.pk)
            made, _ = apply(document.parse(scene.head.document), "depth", {"layer": layer, "rate": "0.25"})
            wanted.append(made.layer(layer).depth)
            revise.revise(scene, scene.head_id, made, "Ben's", ben)
        finally:
            connection.close()

    def overtaken(*told, **more):
        drawn.append(1)
        if len(drawn) == 1:
            thread = threading.Thread(target=of_ben)
            thread.start()
            thread.join(20)
            assert not thread.is_alive(), "Ben waits for the drawing"
        return parts(*told, **more)

    parts = answers.parts
    monkeypatch.setattr(answers, "parts", overtaken)
    answer = edit(visitor, shared, "depth", layer="front", rate="0.5").content.decode()
    now = head(shared)
    assert len(drawn) == 2 and now.layer(layer).depth == wanted[0] != before.layer(layer).depth
    if meets:
        assert (
            "was not saved: " in answer
            and "changed the same meanwhile" in answer
            and Revision.objects.filter(scene=shared, refused=True).count() == 1
        )
    else:
        assert "merged with what changed meanwhile" in answer
        assert now.layer("front").depth not in (before.layer("front").depth, wanted[0])


def test_an_edit_of_a_scene_that_was_just_deleted_is_refused_in_a_sentence(visitor, shared, other, monkeypatch) -> None:
    scene_of = scene_views.scene_of

    def and_deleted(request, pk, **how):
        scene = scene_of(request, pk, **how)
        visitor.post(address(shared, "delete/"))
        return scene

    monkeypatch.setattr(scene_views, "scene_of", and_deleted)
    answer = edit(other, shared, "depth", layer="front", rate="0.5")
    assert answer.status_code == 200 and "Three was deleted meanwhile" in answer.content.decode()


# --- comments, copies, the list, the past ------------------------------------------------------------------------------


def test_comments_are_pinned_answered_settled_and_deleted(visitor, shared, other) -> None:
    say = address(shared, "comments/say/")
    visitor.post(say, {"text": "Too quick", "pin": "layer", "layer": "front"})
    visitor.post(say, {"text": "Stop here", "pin": "moment", "scroll": "0.5", "u": "0", "v": "0", "time": "0"})
    visitor.post(say, {"text": "Is meant", "pin": "finding", "finding": "edge/front/left"})
    text = other.get(address(shared, "comments/")).content.decode()
    assert "Front" in text and "scroll 0.50" in text and "edge, Front" in text and 'data-open="3"' in text
    first = Comment.objects.order_by("pk").first()
    other.post(say, {"text": "Slower now", "answers": first.pk})
    assert first.replies.get().text == "Slower now"
    other.post(address(shared, f"comments/{first.pk}/settle/"))
    assert 'data-open="2"' in visitor.get(address(shared, "comments/")).content.decode()
    assert "only its author" in other.post(address(shared, f"comments/{first.pk}/delete/")).content.decode()
    visitor.post(address(shared, f"comments/{first.pk}/delete/"))
    assert Comment.objects.count() == 2, "with its answers"
    assert "nothing was written" in visitor.post(say, {"text": "  "}).content.decode()
    kept = visitor.post(say, {"text": "x" * 2001}).content.decode()
    assert "2001 characters" in kept and "x" * 2001 in kept, "what was typed stays"
    assert "&lt;b&gt;" in visitor.post(say, {"text": "<b>"}).content.decode()
    kept = visitor.post(say, {"text": "Which one?", "pin": "finding", "finding": ""}).content.decode()
    assert "no finding was pressed" in kept and "Which one?" in kept and 'value="finding" checked' in kept
    assert visitor.post(say, {"text": "To nobody", "answers": "²"}).status_code == 200
    last = Comment.objects.filter(answers=None).order_by("pk").last()
    empty = visitor.post(say, {"text": " ", "answers": last.pk}).content.decode()
    assert empty.index(f'id="reply-{last.pk}"') > empty.index("nothing was written") > empty.index(last.text), (
        "at its place"
    )


def test_the_list_says_how_long_ago_a_scene_was_changed(visitor, made) -> None:
    assert "changed just\xa0now" in visitor.get("/").content.decode()
    Scene.objects.filter(pk=made.pk).update(updated=timezone.now() - timedelta(minutes=3, seconds=5))
    assert "changed 3\xa0minutes ago" in visitor.get("/").content.decode()


def test_who_may_only_look_is_offered_to_settle_his_own_comments_alone(visitor, made, other, ben) -> None:
    visitor.post(address(made, "people/share/"), {"account": "ben", "may": "look"})
    visitor.post(address(made, "comments/say/"), {"text": "Mine"})
    assert "Settled" not in other.get(address(made, "comments/")).content.decode()
    other.post(address(made, "comments/say/"), {"text": "Ben's"})
    assert other.get(address(made, "comments/")).content.decode().count("Settled") == 1


def test_a_duplicate_stands_alone(visitor, made, other, ben) -> None:
    copy = copying.duplicate(made, ben)
    assert head(copy).layers == head(made).layers and copy.title == "Three, copy" and copy.owner == ben
    edit(visitor, made, "title", title="Gone on")
    assert head(copy).title == "Three, copy"
    visitor.post(address(made, "delete/"))
    page = other.get(address(copy))
    assert page.status_code == 200 and other.get(address(copy, "picture.webp")).status_code == 200


def test_a_copy_has_the_picture_that_was_drawn_of_the_first(visitor, made, monkeypatch) -> None:
    first = visitor.get(address(made, "picture.webp")).content
    visitor.post(address(made, "duplicate/"))
    copy = Scene.objects.exclude(pk=made.pk).get()
    monkeypatch.setattr(pictures, "drawn_at", lambda *_: pytest.fail("the same is drawn once more"))
    assert visitor.get(address(copy, "picture.webp")).content == first


def test_a_template_starts_new_scenes(visitor, made) -> None:
    visitor.post(address(made, "put/"), {"starts": "1"})
    text = visitor.get("/").content.decode()
    assert "From a template" in text
    visitor.post(address(made, "duplicate/"), {"title": "From Three"})
    assert sorted(Scene.objects.values_list("title", "starts")) == [("From Three", False), ("Three", True)]


def test_scenes_are_found_by_word_and_folder_and_put_in_order(
    visitor, made, someone, django_assert_max_num_queries
) -> None:
    for n in range(60):
        Scene.objects.create(owner=someone, title=f"Reef {n:02d}", head=made.head, folder="Sea" if n % 2 else "")
    visitor.post(address(made, "put/"), {"folder": "  Client   work "})
    found = titles(visitor.get("/?q=reef&folder=Sea&sort=title"))
    assert found[:2] == ["Reef 01", "Reef 03"] and len(found) == 24
    assert titles(visitor.get("/?q=reef&folder=Sea&sort=title&page=2"))[-1] == "Reef 59"
    assert titles(visitor.get("/?q=client")) == ["Three"]
    assert "No scene is called that" in visitor.get("/?q=nothing+such").content.decode()
    with django_assert_max_num_queries(9):
        visitor.get("/")


def titles(answer) -> list[str]:
    return re.findall(r"<h2>(.*?)</h2></a>", answer.content.decode())


def test_the_past_is_shown_named_and_restored(visitor, made) -> None:
    for rate in ("0.3", "0.6"):
        edit(visitor, made, "depth", layer="front", rate=rate)
    states = list(made.revisions.order_by("pk"))
    text = visitor.get(address(made, "past/")).content.decode()
    assert text.count('.webp" alt') == 3 and "as it is now" in text
    assert visitor.get(address(made, f"past/{states[1].pk}.webp")).status_code == 200
    visitor.post(address(made, f"past/{states[1].pk}/name/"), {"name": "For the client"})
    assert visitor.get(address(made, "past/?named=1")).content.decode().count('.webp" alt') == 1
    visitor.post(address(made, f"past/{states[1].pk}/restore/"))
    assert head(made).layers == type(head(made)).model_validate(states[1].document).layers
    undo(visitor, made)
    assert Scene.objects.get(pk=made.pk).head_id == states[2].pk
    gone = visitor.post(address(made, "past/999999/restore/"), follow=True).content.decode()
    assert "not kept any more" in gone


def test_a_state_with_a_name_is_not_thinned(visitor, made) -> None:
    edit(visitor, made, "depth", layer="front", rate="0.3")
    named = Scene.objects.get(pk=made.pk).head
    undo(visitor, made)
    edit(visitor, made, "depth", layer="front", rate="0.7")
    Revision.objects.update(created="2020-01-01T00:00Z")
    visitor.post(address(made, f"past/{named.pk}/name/"), {"name": "Kept"})
    assert thin.thin() == 0
    visitor.post(address(made, f"past/{named.pk}/name/"), {"name": ""})
    assert thin.thin() == 1


def test_more_layers_of_one_who_may_edit_belong_to_the_scene(shared, other, visitor) -> None:
    other.post(address(shared, "layers/"), {"files": [upload("ben.png", png(seed=9))], "room": "art"})
    assert [layer.name for layer in head(shared).layers][-1] == "Ben"
    page = visitor.get(address(shared, "art/")).content.decode()
    picture = re.search(r'src="(/art/[^"]+)"', page)
    assert picture and visitor.get(picture[1]).status_code == 200
