"""`offsets` against another reading of the written rules, on generated scenes: 1e-6 px, 1e-9 in shares."""

from hypothesis import given, settings
from hypothesis import strategies as st

from clinamen.core.document import CAMERA_CHANNELS, CARRIER_CHANNELS, LAYER_CHANNELS
from clinamen.core.motion.states import State
from clinamen.core.stage import project, stage_at
from tests.agreement.cases import FROM_TO
from tests.agreement.reading import FACTORS, carried_by, carrying, channel, seen
from tests.conftest import layer, scene

EASES = st.one_of(
    st.sampled_from(["linear", "ease", "ease-in", "ease-out", "ease-in-out", "step-start", "step-end", "hold"]),
    st.tuples(st.floats(0, 1), st.floats(-0.5, 1.5), st.floats(0, 1), st.floats(-0.5, 1.5)),
    st.builds(lambda x, y: {"linear": [[0, 0], [x, y], [1, 1]]}, st.floats(0.01, 0.99), st.floats(-1, 2)),
)


@st.composite
def tracks(draw: st.DrawFn, target: str, names: tuple[str, ...], end: dict[str, float]) -> list[dict]:
    found = []
    for name in draw(st.lists(st.sampled_from(names), max_size=3, unique=True)):
        driver = draw(st.sampled_from(["scroll", "time"]))
        low, high = sorted((FROM_TO[name][0], FROM_TO[name][1]))
        low = max(low, 0.05) if name in FACTORS else low
        at = sorted(draw(st.lists(st.floats(0, 1), min_size=1, max_size=4, unique_by=lambda x: round(x, 3))))
        keys = [{"at": round(a, 3) * end[driver], "value": draw(st.floats(low, high)), "ease": draw(EASES)} for a in at]
        found.append({"target": target, "channel": name, "driver": driver, "keys": keys})
    return found


@st.composite
def worlds(draw: st.DrawFn):
    end = {"scroll": 1.0, "time": 6.0}
    framing = {"x": draw(st.floats(-200, 200)), "y": draw(st.floats(-90, 90)), "scale": draw(st.floats(0.3, 3)),
               "rotation": draw(st.floats(-180, 180)), "stretch": draw(st.sampled_from([1.0, 0.6])), "skew": draw(st.sampled_from([0.0, 25.0]))}  # fmt: skip
    tilt = {"lean": draw(st.floats(-40, 40)), "turn": draw(st.floats(-40, 40))}
    depth = draw(st.one_of(st.just("infinite"), st.floats(-250, 4000)))
    carriers = [
        {
            "id": name,
            "at": {"x": draw(st.floats(-200, 200)), "y": draw(st.floats(-90, 90))},
            "x": draw(st.floats(-50, 50)),
            "scale": draw(st.floats(0.5, 2)),
            "rotation": draw(st.floats(-90, 90)),
            "depth": draw(st.floats(-50, 200)),
            "opacity": draw(st.floats(0.2, 1)),
            "carrier": above,
        }
        for name, above in (("raft", draw(st.sampled_from([None, "float"]))), ("float", None), ("house", None))
    ]
    rides = draw(st.sampled_from([None, "raft", "b"]))
    made = scene(
        layer("a", 300, 200, framing=framing, tilt=tilt, depth=depth, opacity=draw(st.floats(0, 1)),
              anchor={"x": draw(st.floats(-150, 150)), "y": draw(st.sampled_from([0.0, 80.0]))},
              carrier=rides, group="House / Porch"),
        layer("b", 300, 200, framing={"x": 40, "y": -30}, carrier=draw(st.sampled_from([None, "raft"]))),
        carriers=carriers, groups=[{"name": "House", "carrier": draw(st.sampled_from([None, "house", "float"]))}],
        view={"width": 480, "height": 270}, drivers={"scroll": {}, "pointer": {}, "time": {"duration": 6, "loop": draw(st.booleans())}},
        camera={"target": {"x": draw(st.floats(-90, 90)), "y": draw(st.floats(-50, 50)), "depth": draw(st.floats(-200, 900))},
                "arc": draw(st.floats(-20, 20)), "crane": draw(st.sampled_from([0.0, 4.0])), "x": draw(st.floats(-40, 40)), "z": draw(st.floats(-90, 90)), "yaw": draw(st.floats(-9, 9)), "zoom": draw(st.floats(0.5, 2))},
        tracks=[*draw(tracks("camera", CAMERA_CHANNELS, end)), *draw(tracks("a", LAYER_CHANNELS, end)),
                *draw(tracks("raft", CARRIER_CHANNELS, end)), *draw(tracks("b", LAYER_CHANNELS, end))],
    )  # fmt: skip
    pointer = (draw(st.floats(-1, 1)), draw(st.floats(-1, 1)))
    return made, State(draw(st.floats(0, 1)), pointer, draw(st.floats(0, 14)))


@settings(max_examples=120, deadline=None)
@given(worlds())
def test_the_stage_is_what_the_rules_say(world) -> None:
    made, state = world
    sheet = stage_at(made, state)["a"]
    document, told = (
        made.to_json(),
        {"scroll": state.scroll, "u": state.pointer[0], "v": state.pointer[1], "time": state.time},
    )
    own = document["layers"][0]
    for a, b in ((0.0, 0.0), (150.0, 100.0), (-150.0, 40.0)):
        wanted, ahead = seen(document, own, told, a, b)
        (ours,), (depth,) = project(sheet.matrix[0], sheet.matrix[0][0:1, :2] * 0 + [[a, b]])
        assert abs(depth - ahead) < 1e-6
        if ahead > 1:
            size = max(1.0, *map(abs, wanted))
            assert max(abs(ours[0] - wanted[0]), abs(ours[1] - wanted[1])) < 1e-6 * size
    opacity = channel(document, "a", "opacity", own["opacity"], told)
    for name in carried_by(document, own):
        opacity *= carrying(document, name, told)[1]["opacity"]
    opacity = min(1.0, max(0.0, opacity))
    assert abs(sheet.opacity[0] - opacity) < 1e-9
    assert abs(sheet.blur[0] - max(0.0, channel(document, "a", "blur", 0.0, told))) < 1e-9
