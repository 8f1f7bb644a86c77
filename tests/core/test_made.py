"""Made art: the same on every machine and at every size, without a joint where it tiles, moving so that loops close; shadows."""

from dataclasses import replace

import numpy as np
import pytest

from clinamen.core.checks import prove
from clinamen.core.document import parse
from clinamen.core.edits import apply
from clinamen.core.errors import BadArt, BadDocument, BadEdit
from clinamen.core.exports import EXPORTS, Told
from clinamen.core.made.kinds import KINDS, Shadow, Words
from clinamen.core.made.lettering import set_words
from clinamen.core.made.shadows import MARGIN, foot_row
from clinamen.core.made.sources import Sources
from clinamen.core.motion.states import State
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pictures.unseen import why_unseen
from clinamen.core.pixels import shrink
from clinamen.core.raster import render
from clinamen.core.readable import hidden_by, seen_shares, with_room
from clinamen.core.stage import stage_at
from tests.conftest import layer, noise, psnr, scene, shelf_of

NOBODY = Sources(lambda name: (_ for _ in ()).throw(KeyError(name)))
VIEW = {"width": 480, "height": 270}
PLAIN = [word for word, kind in KINDS.items() if kind is not Shadow]


def empty(**fields):
    return scene(
        layer("back", 620, 430, framing={"scale": 1.6}),
        view=VIEW,
        drivers={"time": {"duration": 8, "loop": True}},
        **fields,
    )


def shelf(document) -> ArtShelf:
    return ArtShelf(lambda file: (_ for _ in ()).throw(BadArt(file)), scene=document)


@pytest.mark.parametrize("word", PLAIN)
def test_a_kind_is_the_same_again_at_another_size_and_without_a_joint_where_it_tiles(word: str) -> None:
    made = KINDS[word]()
    width, height = (min(side, 400) for side in made.usual_size((320, 180)))
    once, again = (made.paint(width, height, 1.0, NOBODY) for _ in range(2))
    assert once.shape == (height, width, 4) and np.array_equal(once, again) and once[..., 3].max() > 0
    twice = made.paint(width, height, 2.0, NOBODY)
    assert twice.shape == (2 * height, 2 * width, 4)
    straight = (shrink(twice, width, height), once)
    seen = [p[..., :3] * (p[..., 3:] / 255) + 90 * (1 - p[..., 3:] / 255) for p in straight]
    if made.sharp:
        assert psnr(*(picture.astype(np.uint8) for picture in seen)) > 30, "the same picture, finer"
    for axis, tiles in ((1, made.tiles[0]), (0, made.tiles[1])):
        if tiles:
            rows = np.moveaxis(once[..., 3 if word != "grain" else 0].astype(float), axis, 0)
            inner = np.abs(np.diff(rows, axis=0)).mean(axis=1)
            assert np.abs(rows[0] - rows[-1]).mean() <= inner.mean() + 4 * inner.std() + 1, "no step at the joint"


def test_weather_is_made_in_sheets_at_depths_of_their_own_and_closes_with_the_loop() -> None:
    document, says = apply(empty(), "made-add", {"kind": "rain", "sheets": "3"})
    assert says == "Rain made in 3 sheets"
    sheets = document.layers[1:]
    rates = [float(stage_at(document, State())[x.id].rate[0]) for x in sheets]
    assert rates == pytest.approx([0.6, 1.0, 1.6], rel=1e-3)
    start, end = (stage_at(document, State(time=t)) for t in (0.0, 8.0))
    for x, rate in zip(sheets, rates, strict=True):
        moved = end[x.id].centre()[0][0] - start[x.id].centre()[0][0]
        tiles = moved / (np.array([x.art.width, x.art.height]) * x.framing.scale)
        assert tiles == pytest.approx(np.round(tiles), abs=1e-4) and tiles[1] >= 1, "whole tiles"
        assert moved[1] / 8 == pytest.approx(1400 * rate, rel=0.1), "about as quick as it says, nearer ones quicker"
    pictures = [
        render(document.model_copy(update={"layers": sheets}), State(time=t), shelf(document).loader(document))
        for t in (0.0, 8.0)
    ]
    assert np.array_equal(*pictures), "the loop closes"
    slower, _ = apply(document, "made-set", {"layer": sheets[1].id, "fall": "700 px"})
    assert next(t for t in slower.tracks if t.target == sheets[1].id and t.channel == "y").keys[-1].value < 8 * 800


def test_made_art_needs_no_file_and_is_exported_like_any_other(tmp_path) -> None:
    document = parse({"format": "clinamen/scene", "version": 1, "view": VIEW, "layers": [
        {"id": "sky", "art": {"made": {"kind": "gradient"}, "width": 600, "height": 340}},
        {"id": "name", "art": {"made": {"kind": "text", "text": "Tide", "size": 60}, "width": 240, "height": 110}},
    ]})  # fmt: skip
    assert parse(document.to_json()) == document and "file" not in document.to_json()["layers"][0]["art"]
    made = shelf(document)
    assert prove(document, made.opaque_sets(document)) == []
    page = EXPORTS["web"].build(document, made, EXPORTS["web"].options(), Told())
    assert page["art/name.svg"].count(b"<path") == 4 and b"art/name.svg" in page["index.html"], "words stay outlines"
    lit = document.model_copy(update={"light": type(document.light)(ambient=0.5)})
    dim = EXPORTS["web"].build(lit, replace(made, scene=lit), EXPORTS["web"].options(), Told())
    assert any(name.startswith("art/name-") for name in dim), "but for what light or look is baked into"
    kit = EXPORTS["engine"].build(document, made, EXPORTS["engine"].options(vectors=False), Told())
    assert b'"id": "name"' in kit["kit.json"]
    layered = EXPORTS["layered"].build(document, made, EXPORTS["layered"].options(), Told())
    assert layered


def test_words_take_the_room_they_need_and_say_what_letters_are_not_there() -> None:
    document, _ = apply(empty(), "made-add", {"kind": "text", "text": "Tide", "size": "60"})
    longer, _ = apply(document, "made-set", {"layer": "words", "text": "Tide market\nby night"})
    before, after = (d.layer("words").art for d in (document, longer))
    assert after.width > 2 * before.width and after.height > 1.6 * before.height
    alpha = shelf(longer).pixels(longer.layer("words"))[..., 3]
    assert not alpha[0].any() and not alpha[-1].any() and not alpha[:, 0].any() and not alpha[:, -1].any()
    assert set_words(Words(text="Zażółć 漢", family="oswald")).lacks == "漢"
    wide, narrow = (set_words(Words(text="AVAV", spacing=s, family="fraunces")).width for s in (20.0, 0.0))
    assert wide - narrow == pytest.approx(60)


def test_a_shadow_is_its_layers_silhouette_and_stands_on_its_feet() -> None:
    figure = np.zeros((200, 120, 4), np.uint8)
    figure[20:180, 40:80] = 255
    assert foot_row(figure[..., 3]) == 180
    shadow = Shadow(of="a", softness=0, grows=0, fades=0, opacity=1)
    art = shadow.paint(120 + 2 * MARGIN, 400 + 2 * MARGIN, 1.0, Sources(lambda name: ([figure], 1, 1)))[..., 3]
    rows, columns = np.flatnonzero(art.any(axis=1)), np.flatnonzero(art.any(axis=0))
    assert (rows[-1] + 1, len(rows)) == (200 + MARGIN, 160), "feet on the middle row"
    assert (columns[0] - MARGIN, columns[-1] - MARGIN) == (40, 79)


@pytest.mark.parametrize("towards", [0, 50, 130, -100])
def test_a_shadow_starts_at_the_feet_and_falls_where_it_is_told(towards: int) -> None:
    document = scene(
        layer("back", 900, 600, depth=800),
        layer("a", 120, 200, framing={"x": 30, "y": -10, "rotation": 4, "scale": 0.8}),
        view=VIEW,
    )
    document, _ = apply(document, "cast-shadow", {"layer": "a", "foot": "180", "towards": str(towards), "height": "45"})
    shadow, staged = document.layer("a-shadow"), stage_at(document, State())
    middle = staged["a-shadow"].matrix[0] @ [0, 0, 1]
    foot = staged["a"].matrix[0] @ [0, 80, 1]
    assert middle[:2] / middle[2] == pytest.approx(foot[:2] / foot[2], abs=2e-3), "at the feet"
    head = staged["a-shadow"].matrix[0] @ [0, -160, 1]
    across = head[0] / head[2] - middle[0] / middle[2]
    if towards:  # straight away it runs to the vanishing point
        assert np.sign(across) == np.sign(np.sin(np.radians(towards))), "to its side"
    assert (head[2] > middle[2]) == (np.cos(np.radians(towards)) > 0), "away or nearer"
    again, _ = apply(document, "cast-shadow", {"layer": "a", "foot": "180", "towards": "20", "height": "60"})
    assert len(again.layers) == len(document.layers) and again.layer(shadow.id).framing != shadow.framing


def test_a_shadow_goes_along_with_its_layer_and_falls_from_the_key_light() -> None:
    document = scene(layer("a", 120, 200), view=VIEW, drivers={"scroll": {}}, light={"ambient": 0.5, "key": {"x": -200, "y": -300, "depth": 400}},
                     tracks=[{"target": "a", "channel": "x", "driver": "scroll", "keys": [{"at": 0, "value": 0}, {"at": 1, "value": 90}]}])  # fmt: skip
    document, _ = apply(document, "cast-shadow", {"layer": "a", "foot": "200"})
    shadow = document.layer("a-shadow")
    assert shadow.tilt.lean == -90 and shadow.framing.skew < 0, "from behind on the left: to the front, to the right"
    for scroll in (0.3, 1.0):
        staged = stage_at(document, State(scroll))
        places = [m[:2] / m[2] for m in (staged["a-shadow"].matrix[0] @ [0, 0, 1], staged["a"].matrix[0] @ [0, 100, 1])]
        assert places[0] == pytest.approx(places[1], abs=1e-6)
    below, _ = apply(document, "light", {"y": "900"})
    with pytest.raises(BadEdit, match="below the feet"):
        apply(below, "cast-shadow", {"layer": "a", "foot": "200"})


@pytest.mark.parametrize(
    ("art", "says"),
    [
        ({"width": 9, "height": 9}, "name a file"), ({"file": "a.png", "made": {"kind": "solid"}, "width": 9, "height": 9}, "take one of both out"),
        ({"made": {"kind": "magic"}, "width": 9, "height": 9}, "made"), ({"made": {"kind": "shadow", "of": "nobody"}, "width": 9, "height": 9}, "no layer 'nobody'"),
        ({"made": {"kind": "text", "text": ""}, "width": 9, "height": 9}, "text"),
    ],
)  # fmt: skip
def test_made_art_that_cannot_be_is_said_with_its_path(art, says: str) -> None:
    with pytest.raises(BadDocument) as wrong:
        parse({"format": "clinamen/scene", "version": 1, "layers": [{"id": "a", "art": art}]})
    assert any(says in str(problem) for problem in wrong.value.problems)


def test_letters_make_room_for_who_stands_before_them_over_the_whole_move() -> None:
    figure = np.zeros((160, 60), np.uint8)
    figure[:, 15:45] = 255
    made = Words(text="TIDEWATER", family="archivo", size=60)
    width, height = made.fitted()
    document = parse({"format": "clinamen/scene", "version": 1, "view": VIEW, "drivers": {"scroll": {}}, "layers": [
        {"id": "name", "art": {"made": made.model_dump(), "width": width, "height": height}, "depth": 300},
        {**layer("a", 60, 160), "framing": {"x": 10}},
    ], "tracks": [{"target": "camera", "channel": "x", "driver": "scroll", "keys": [{"at": 0, "value": -40}, {"at": 1, "value": 40}]}]})  # fmt: skip
    words, subject = document.layers
    before = seen_shares(made, hidden_by(document, words, subject, figure))
    assert min(share for _, share in before) < 0.5
    changed, after = with_room(document, words, subject, figure)
    assert min(share for _, share in after) > 0.995 and changed.art.width > words.art.width
    apart = changed.art.made.apart
    assert list(apart) == sorted(apart) and apart[0] <= 0 <= apart[-1], "the order stays, both sides give way"
    aside = document.model_copy(
        update={
            "layers": (words, subject.model_copy(update={"framing": subject.framing.model_copy(update={"y": 400})}))
        }
    )
    assert not any(with_room(aside, words, aside.layers[1], figure)[0].art.made.apart)


def test_new_grain_is_felt_more_than_seen() -> None:
    made, _ = apply(scene(layer("a", 320, 180), view={"width": 320, "height": 180}), "made-add", {"kind": "grain"})
    grey = np.full((180, 320, 4), 255, np.uint8)
    grey[..., :3] = 128
    with_grain = render(made, State(), shelf_of({"a": grey}, made).loader(made))[..., 0].astype(float)
    assert 0.3 < with_grain.std() < 5, "of 255"


def test_a_shadow_that_covers_nothing_says_why() -> None:
    figure = np.zeros((400, 120, 4), np.uint8)
    figure[40:360, 30:90] = 255
    art = {"a": figure, "wall": noise(640, 400)}

    def said(of: dict, **wall) -> str:
        made = scene(
            layer("a", 120, 400, **of), layer("wall", 640, 400, depth=-10, **wall), view={"width": 640, "height": 400}
        )
        made, _ = apply(made, "cast-shadow", {"layer": "a", "foot": "180", "towards": "0", "height": "45"})
        shelf = shelf_of(art, made)
        shadow = made.layer("a-shadow")
        return why_unseen(made, shadow, shelf.alpha(shadow), shelf.opaque_sets(made))

    assert said({}, visible=False) == ""
    assert said({}) == "wall lies over it"
    assert said({"framing": {"y": 900}}, visible=False) == "it falls outside the view"
