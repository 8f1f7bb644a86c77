"""Depth and Proof through the address bar: drawings, comparisons, the map and the report, with wrong input too."""

import pytest

from tests.web.conftest import stage_of

pytestmark = pytest.mark.django_db


def edit(visitor, made, name: str, **values: str):
    made.refresh_from_db()
    return visitor.post(f"/scenes/{made.pk}/edit/{name}/", {"base": made.head_id, "room": "depth", **values})


def head(made):
    made.refresh_from_db()
    return made.head.document


def test_another_lens_is_compared_before_it_is_taken(visitor, made) -> None:
    edit(visitor, made, "depth", layer="back", depth="2667")
    told = visitor.get(f"/scenes/{made.pk}/lens/", {"focal_length": "25 mm"}).content.decode()
    assert "at 25 mm" in told and "<td" in told
    wrong = visitor.get(f"/scenes/{made.pk}/lens/", {"focal_length": "wide"}).content.decode()
    assert "focal length" in wrong and "not a number" in wrong
    before = [layer["depth"] for layer in head(made)["layers"]]
    edit(visitor, made, "lens", focal_length="25", lens_keeps="depths")
    assert [layer["depth"] for layer in head(made)["layers"]] == before


def test_the_turntable_and_the_ground_come_with_the_room(visitor, made) -> None:
    page = visitor.get(f"/scenes/{made.pk}/depth/", {"drawn": "turntable", "layer": "back"}).content.decode()
    assert 'id="turntable"' in page and page.count("data-card-matrix") == len(head(made)["layers"])
    edit(visitor, made, "foot", layer="back", chosen="back")
    stage = stage_of(visitor.get(f"/scenes/{made.pk}/depth/", {"layer": "back"}))
    assert stage["ground"]["foot"] and stage["ground"]["horizon"] < stage["ground"]["meets"]
    refused = edit(visitor, made, "foot", layer="back", x="10", y="-500").content.decode()
    assert "foot: is not below the horizon" in refused


def test_plain_shifting_is_sent_beside_the_view(visitor, made) -> None:
    stage = stage_of(visitor.get(f"/scenes/{made.pk}/depth/", {"beside": "plain"}))
    assert stage["beside"]["says"] == "plain shifting" and stage["beside"]["markup"]
    assert stage_of(visitor.get(f"/scenes/{made.pk}/depth/"))["beside"] is None


def test_the_map_is_drawn_over_each_driver_and_other_words_are_no_driver(visitor, made) -> None:
    edit(visitor, made, "driver", driver="scroll", on="1")
    edit(visitor, made, "travel", driver="scroll", channel="x", end="900")
    page = visitor.get(f"/scenes/{made.pk}/proof/", {"drawn": "map"}).content.decode()
    assert f"/scenes/{made.pk}/map/" in page
    drawn = visitor.get(f"/scenes/{made.pk}/map/", {"fan_driver": "scroll"}).content.decode()
    assert 'class="map"' in drawn and "data-map-go" in drawn and "gap at " in drawn
    assert visitor.get(f"/scenes/{made.pk}/map/", {"fan_driver": "wind"}).status_code == 200
    assert visitor.get(f"/scenes/{made.pk}/motion/", {"fan_driver": "u"}).status_code == 200


def test_the_report_is_a_page_and_a_file_and_nobody_elses(visitor, made, client, django_user_model) -> None:
    edit(visitor, made, "title", title="Three & more")
    answer = visitor.get(f"/scenes/{made.pk}/report/")
    assert b"<h1>Three &amp; more</h1>" in answer.content and "data:" in answer["Content-Security-Policy"]
    saved = visitor.get(f"/scenes/{made.pk}/report/", {"download": "1"})
    assert saved["Content-Disposition"] == 'attachment; filename="three-more-proof.html"'
    client.force_login(django_user_model.objects.create_user("eve", password="another-passphrase"))
    assert client.get(f"/scenes/{made.pk}/report/").status_code == 404
    assert client.get(f"/scenes/{made.pk}/map/").status_code == 404


def test_folded_groups_are_left_out_of_list_and_ladder_and_remembered(visitor, made) -> None:
    edit(visitor, made, "group", layers="back middle", group="Far / Away")
    unfolded = visitor.get(f"/scenes/{made.pk}/art/").content.decode()
    assert 'id="name-back"' in unfolded and unfolded.count("group-row") == 2, "each level has its heading"
    visitor.cookies["folded"] = "Far"
    folded = visitor.get(f"/scenes/{made.pk}/art/").content.decode()
    assert 'id="name-back"' not in folded and 'id="card-back"' not in folded and 'id="rung-back"' in folded
    assert "2 folded away" in folded
