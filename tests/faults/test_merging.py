"""Two windows on one scene: what touches different keys is merged, what touches the same is refused, nothing is lost."""

import pytest

from clinamen.core import document
from clinamen.scenes.merging import flatten, merge, unflatten
from tests.conftest import ROOT, layer, scene, track

BASE = scene(
    layer("a", 40, 30), layer("b", 40, 30), drivers={"scroll": {}, "time": {"duration": 8}},
    tracks=[
        track("camera", "x", "scroll", (0, 0, "ease"), (0.5, 10), (1, 20)), track("a", "y", "time", (0, 0), (8, 5)),
    ],
).to_json()  # fmt: skip


def with_key(data: dict, index: int, **fields) -> dict:
    keys = [dict(key) for key in data["tracks"][0]["keys"]]
    keys[index] |= fields
    return {**data, "tracks": [{**data["tracks"][0], "keys": keys}, *data["tracks"][1:]]}


def test_two_people_moving_two_keys_of_one_track_both_win() -> None:
    merged = merge(BASE, with_key(BASE, 0, value=-40.0), with_key(BASE, 2, value=90.0))
    assert [key.value for key in document.parse(merged).tracks[0].keys] == [-40, 10, 90]


def test_a_key_moved_along_and_another_changed_both_win() -> None:
    merged = document.parse(merge(BASE, with_key(BASE, 1, at=0.6), with_key(BASE, 2, value=90.0)))
    assert [(key.at, key.value) for key in merged.tracks[0].keys] == [(0, 0), (0.6, 10), (1, 90)]


def test_the_same_key_moved_twice_is_refused() -> None:
    assert merge(BASE, with_key(BASE, 1, value=11.0), with_key(BASE, 1, value=12.0)) is None
    assert merge(BASE, with_key(BASE, 1, at=0.6), with_key(BASE, 1, value=12.0)) is None


def test_a_track_taken_out_by_one_and_changed_by_the_other_is_refused() -> None:
    without = {**BASE, "tracks": BASE["tracks"][1:]}
    assert merge(BASE, without, with_key(BASE, 1, value=12.0)) is None
    assert [t["target"] for t in merge(BASE, without, {**BASE, "title": "New"})["tracks"]] == ["a"]


def test_a_track_added_by_each_is_there_twice_over_different_things() -> None:
    def adding(*fresh: dict) -> dict:
        return document.parse({**BASE, "tracks": [*BASE["tracks"], *fresh]}).to_json()

    merged = merge(BASE, adding(track("b", "x", "scroll", (0, 1))), adding(track("b", "y", "scroll", (0, 2))))
    assert {(t["target"], t["channel"]) for t in merged["tracks"]} >= {("b", "x"), ("b", "y")}
    same = merge(BASE, adding(track("b", "x", "scroll", (0, 1))), adding(track("b", "x", "scroll", (0, 2))))
    assert same is None


@pytest.mark.parametrize("name", ["kelp-descent", "glasshouse", "orrery"])
def test_a_document_survives_being_taken_apart(name: str) -> None:
    import json

    whole = document.parse(json.loads((ROOT / f"demo/{name}/scene.json").read_text()))
    again = document.parse(unflatten(flatten(whole.to_json())))
    assert again == whole


def test_a_drift_beside_keys_is_a_track_of_its_own() -> None:
    drifting = {"target": "a", "channel": "y", "driver": "time", "drift": {"reach": 9.0, "pace": 0.3, "seed": 4}}
    mine = {**BASE, "tracks": [*BASE["tracks"], drifting]}
    merged = document.parse(merge(BASE, mine, with_key(BASE, 0, value=-40.0)))
    assert [bool(each.drift) for each in merged.tracks if each.target == "a"] == [False, True]
    slower, wider = ({**mine, "tracks": [*BASE["tracks"], {**drifting, "drift": {**drifting["drift"], **new}}]}
                     for new in ({"pace": 0.1}, {"reach": 20.0}))  # fmt: skip
    both = document.parse(merge(mine, slower, wider))
    assert next(each.drift for each in both.tracks if each.drift).model_dump() == {"reach": 20, "pace": 0.1, "seed": 4}
    assert (
        merge(
            mine,
            slower,
            {**wider, "tracks": [*BASE["tracks"], {**drifting, "drift": {**drifting["drift"], "pace": 2.0}}]},
        )
        is None
    )


def test_two_people_moving_two_carriers_both_win_and_one_carrier_twice_is_refused() -> None:
    base = document.parse(
        {**BASE, "carriers": [{"id": "raft"}, {"id": "float"}], "groups": [{"name": "House", "carrier": "raft"}]}
    ).to_json()

    def moved(name: str, **fields) -> dict:
        return {**base, "carriers": [each | fields if each["id"] == name else each for each in base["carriers"]]}

    merged = document.parse(merge(base, moved("raft", x=5.0), moved("float", rotation=20.0)))
    assert [(each.id, each.x, each.rotation) for each in merged.carriers] == [("raft", 5, 0), ("float", 0, 20)]
    assert merged.groups[0].carrier == "raft"
    assert merge(base, moved("raft", x=5.0), moved("raft", x=6.0)) is None
    gone = {**base, "carriers": base["carriers"][:1]}
    assert [each["id"] for each in merge(base, gone, moved("raft", x=5.0))["carriers"]] == ["raft"]
