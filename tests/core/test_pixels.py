"""Checks that look at pixels, at speeds and at what the view's edge cuts: on small art whose answer is known."""

import cv2
import numpy as np
import pytest

from clinamen.core.bounds.speeds import top_speed
from clinamen.core.checks import CHECKS, Subject
from clinamen.core.edits import apply
from clinamen.core.motion.mixes import Motion
from clinamen.core.motion.states import State
from clinamen.core.pictures.rims import rim_of
from clinamen.core.pictures.shelf import ArtShelf
from clinamen.core.pictures.telling import Telling, flicker_of
from clinamen.core.raster import render
from clinamen.core.stage import corners, project, stage_at
from tests.conftest import layer, noise, scene, shelf_of, track

VIEW = {"width": 320, "height": 180}


def looked(made, art, check: str, shelf: ArtShelf | None = None):
    """What a check finds in a scene with this art."""
    shelf = shelf or shelf_of(art, made)
    shelf.scene = made
    return CHECKS[check].run(Subject(made, shelf.opaque_sets(made), True, art=Telling(shelf)))


def after(made, finding, number: int = 0, **other: str):
    fix = finding.fixes[number]
    return apply(made, fix.edit, {**fix.values, **other})[0]


def ramp(width: int = 200, height: int = 180) -> np.ndarray:
    """Opaque art whose left is dark and whose right is light: tiled, its joint is seen."""
    grey = np.linspace(40, 200, width).astype(np.uint8)[None, :].repeat(height, axis=0)
    return np.dstack([grey, grey, grey, np.full_like(grey, 255)])


def test_a_joint_of_tiled_art_is_measured_as_it_is_drawn_and_mirrored_away() -> None:
    made = scene(layer("wall", 200, 180, repeat={"x": "tile"}), view=VIEW)
    (finding,) = looked(made, {"wall": ramp()}, "seam")
    drawn = render(made, State(), shelf_of({"wall": ramp()}, made).loader(made))
    light = cv2.cvtColor(drawn[..., :3].astype(np.float32) / 255, cv2.COLOR_RGB2Lab)[..., 0].mean(axis=0)
    steps = np.abs(np.diff(light))
    assert finding.amount == pytest.approx(np.sort(steps)[-2:].mean() - np.median(steps), rel=0.05), (
        "two joints are in the view"
    )
    joints = np.argsort(steps)[-2:]
    assert any(finding.where.x <= at <= finding.where.x + finding.where.width for at in joints)
    mirrored = after(made, finding)
    assert mirrored.layer("wall").repeat.x == "mirror" and looked(mirrored, {"wall": ramp()}, "seam") == []
    even = np.full((180, 200, 4), 255, np.uint8)
    assert looked(made, {"wall": even}, "seam") == [], "art that goes on as it ended has none"
    hidden = scene(layer("wall", 400, 180, repeat={"x": "tile"}), view=VIEW)
    assert looked(hidden, {"wall": ramp(400)}, "seam") == [], "what never comes into the view is not seen"


def test_art_that_ends_at_its_joint_where_nothing_goes_on_has_a_seam() -> None:
    art = ramp()
    art[:, :, :3] = 90
    art[:90, 100:, 3] = 0
    made = scene(layer("roofs", 200, 180, repeat={"x": "tile"}), view=VIEW)
    assert len(looked(made, {"roofs": art}, "seam")) == 1


def spotted(width: int = 200) -> np.ndarray:
    art = np.full((180, width, 4), (60, 60, 70, 255), np.uint8)
    cv2.circle(art, (50, 90), 45, (250, 90, 20, 255), -1)
    return art


def test_a_telling_piece_is_counted_where_it_is_twice_in_the_view_and_water_is_not() -> None:
    made = scene(layer("wall", 200, 180, repeat={"x": "tile"}), view=VIEW)
    (finding,) = looked(made, {"wall": spotted()}, "repeat")
    assert (finding.amount, finding.side) == (pytest.approx(320 / 200, rel=0.01), "at once")
    mist = np.full((180, 200, 4), 200, np.uint8)
    assert looked(made, {"wall": mist}, "repeat") == []
    wide = scene(layer("wall", 400, 180, repeat={"x": "tile"}), view=VIEW)
    assert looked(wide, {"wall": spotted(400)}, "repeat") == []


def test_a_piece_that_comes_again_soon_is_told_in_seconds() -> None:
    made = scene(
        layer("wall", 400, 180, repeat={"x": "tile"}), view=VIEW, drivers={"time": {"duration": 12}},
        tracks=[track("camera", "x", "time", (0, 0), (12, 1200))],
    )  # fmt: skip
    (finding,) = looked(made, {"wall": spotted(400)}, "repeat")
    assert finding.side == "again" and finding.amount == pytest.approx(60 / 4, rel=0.01), "400 px at 100 px a second"
    assert looked(after(made, finding), {"wall": spotted(400)}, "repeat") == []
    nearly = after(made, finding, duration=str(finding.fixes[0].value * 0.985))
    assert len(looked(nearly, {"wall": spotted(400)}, "repeat")) == 1


def disc_on(background: tuple[int, int, int], ring: bool) -> tuple[np.ndarray, np.ndarray]:
    """A noisy orange disc on a plain ground, and the same cut out; with `ring`, cut 2 px too wide, so that ground is left."""
    ground = np.zeros((240, 240, 4), np.uint8)
    ground[...] = (*background, 255)
    rng = np.random.default_rng(2)
    away = np.hypot(*(np.mgrid[0:240, 0:240] - 120))
    piece = away < 80
    ground[piece, :3] = np.clip(np.array([220, 120, 30]) + rng.normal(0, 3, (piece.sum(), 3)), 0, 255).astype(np.uint8)
    cut = ground.copy()
    cut[..., 3] = np.where(away < (82 if ring else 79), 255, 0)
    return ground, cut


def test_an_edge_that_kept_its_old_background_is_told_from_a_clean_one() -> None:
    ground, dirty = disc_on((20, 60, 200), ring=True)
    rim = rim_of(dirty, ground)
    assert (
        rim and rim.away - rim.own > 20 and rim.outward > 0.5 and rim.length == pytest.approx(2 * np.pi * 82, rel=0.25)
    )
    clean = rim_of(disc_on((20, 60, 200), ring=False)[1], ground)
    assert clean and clean.away - clean.own < 2 and clean.outward < 0.1


def test_a_fringe_is_found_on_a_cut_and_taken_off_by_the_least_step() -> None:
    ground, _ = disc_on((20, 60, 200), ring=True)
    around = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    nodes = [{"x": round(120 + 82 * np.cos(a), 2), "y": round(120 + 82 * np.sin(a), 2)} for a in around]
    recipe = {"width": 240, "height": 240, "steps": [{"step": "outline", "nodes": nodes}]}
    made = scene(layer("disc", 240, 240, recipe=recipe), view=VIEW)
    shelf = shelf_of({"disc": ground}, made)
    (finding,) = looked(made, {}, "fringe", shelf)
    assert finding.amount > 10 and finding.fixes[0].kind == "fringe"
    reach = int(finding.fixes[0].value)
    assert looked(after(made, finding), {}, "fringe", shelf) == []
    rim = Telling(shelf).rim(made.layers[0], float(reach - 1)) if reach > 1 else Telling(shelf).rim(made.layers[0])
    assert rim.away - rim.own > 5, "a pixel less would leave it"


WALL = layer("wall", 400, 260)


def cut_ready(kind: str) -> np.ndarray:
    """An orange disc that came cut out: clean; drawn with a dark outline; with a rim of white that was mixed in or left opaque."""
    away = np.hypot(*(np.mgrid[0:240, 0:240] + 0.5 - 120))
    art = np.zeros((240, 240, 4), np.uint8)
    art[..., :3] = (220, 120, 30)
    alpha = np.clip(80.5 - away, 0, 1) if kind != "soft" else np.clip((81.5 - away) / 3, 0, 1)
    if kind == "outlined":
        art[away > 77.5, :3] = (20, 16, 12)
    if kind == "hard":
        share = np.clip((away - 77.5) / 2, 0, 1)[..., None]
        art[..., :3] = np.rint(art[..., :3] * (1 - share) + 255 * share)
    if kind == "soft":
        art[..., :3] = np.rint(art[..., :3] * alpha[..., None] + 255 * (1 - alpha[..., None]))
    art[..., 3] = np.rint(255 * alpha)
    return art


def before_a_wall(colour: tuple[int, int, int]) -> dict[str, np.ndarray]:
    return {"wall": np.full((260, 400, 4), (*colour, 255), np.uint8)}


@pytest.mark.parametrize("kind", ["soft", "hard"])
def test_art_that_came_cut_out_with_a_rim_of_neither_side_is_found_and_cured(kind: str) -> None:
    made = scene(WALL, layer("disc", 240, 240), view={"width": 400, "height": 260})
    shelf = shelf_of({**before_a_wall((30, 50, 60)), "disc": cut_ready(kind)}, made)
    (finding,) = looked(made, {}, "fringe", shelf)
    assert finding.layer == "disc" and finding.amount > 5
    cured = after(made, finding)
    assert looked(cured, {}, "fringe", shelf) == []
    # in the picture: no pixel that is lighter than both the disc and the wall
    light = [render(each, State(), shelf.loader(each))[..., 2].astype(int).max() for each in (made, cured)]
    assert light[0] > 100 and light[1] <= 62


@pytest.mark.parametrize("kind", ["clean", "outlined"])
def test_a_clean_edge_and_a_drawn_outline_are_no_fringe(kind: str) -> None:
    made = scene(WALL, layer("disc", 240, 240), view={"width": 400, "height": 260})
    assert looked(made, {**before_a_wall((30, 50, 60)), "disc": cut_ready(kind)}, "fringe") == []


def test_a_rim_of_the_colour_behind_it_is_no_fringe() -> None:
    made = scene(WALL, layer("disc", 240, 240), view={"width": 400, "height": 260})
    white = {**before_a_wall((250, 248, 246)), "disc": cut_ready("hard")}
    assert looked(made, white, "fringe") == []


def test_a_rectangle_cut_loose_is_found_where_it_was_moved_and_its_subject_cut_out() -> None:
    ground, _ = disc_on((20, 60, 200), ring=False)
    box = {"x": 20, "y": 20, "width": 200, "height": 200}
    recipe = {"width": 240, "height": 240, "steps": [{"step": "rectangle", "box": box}]}

    def made(wall: tuple[int, int, int]):
        one = scene(WALL, layer("disc", 240, 240, recipe=recipe), view={"width": 400, "height": 260})
        return one, shelf_of({**before_a_wall(wall), "disc": ground}, one)

    assert looked(*[made((20, 60, 200))[0], {}, "fringe", made((20, 60, 200))[1]]) == [], (
        "before its own place nobody sees it"
    )
    one, shelf = made((120, 160, 60))
    (finding,) = looked(one, {}, "fringe", shelf)
    assert finding.side == "loose" and finding.amount > 40
    cured = after(one, finding)
    assert looked(cured, {}, "fringe", shelf) == []
    shelf.scene = cured
    picture = render(cured, State(), shelf.loader(cured)).astype(int)
    assert (np.abs(picture[..., :3] - (20, 60, 200)).sum(axis=2) < 60).mean() < 0.002, (
        "nothing of its old background is left"
    )


def walker(stride: float = 80.0, count: int = 8) -> np.ndarray:
    """Cells of two feet that take turns on the ground, going back along it by an eighth of a stride from cell to cell."""
    cells = []
    for n in range(count):
        cell = np.zeros((100, 120, 4), np.uint8)
        cell[20:70, 50:70] = (90, 60, 40, 255)
        for foot in (0.0, 0.5):
            phase = (n / count + foot) % 1
            if phase < 0.5:
                x = 60 + stride * (0.25 - phase)
                cell[70:98, round(x) - 6 : round(x) + 6] = (30, 30, 30, 255)
        cells.append(cell)
    return np.concatenate(cells, axis=1)


def test_feet_that_slip_are_measured_and_mended_by_another_pace() -> None:
    frames = {"columns": 8, "rows": 1, "count": 8, "fps": 8}
    made = scene(
        layer("floor", 900, 60, framing={"y": 60}, repeat={"x": "tile"}), layer("man", 120, 100, frames=frames),
        view=VIEW, drivers={"time": {"duration": 10}},
        tracks=[track("floor", "x", "time", (0, 0), (10, -1000))],
    )  # fmt: skip
    art = {"floor": noise(900, 60, 1), "man": walker()}
    (finding,) = looked(made, art, "slide")
    assert finding.layer == "man" and finding.amount == pytest.approx(100 - 80, abs=3), (
        "100 px of floor pass while 80 are covered"
    )
    assert looked(after(made, finding), art, "slide") == []
    slower = made.model_copy(
        update={
            "tracks": (
                made.tracks[0].model_copy(
                    update={
                        "keys": (made.tracks[0].keys[0], made.tracks[0].keys[1].model_copy(update={"value": -800.0}))
                    }
                ),
            )
        }
    )
    assert looked(slower, art, "slide") == []


def gliding(far: float, seconds: float = 4, ease: str = "linear"):
    return scene(
        layer("bird", 40, 30, framing={"x": -100}), view=VIEW, drivers={"time": {"duration": seconds}},
        tracks=[track("bird", "x", "time", (0, 0, ease), (1, far))],
    )  # fmt: skip


def test_top_speed_is_the_easings_steepest_place_and_the_fix_brings_it_down() -> None:
    made = gliding(200)
    assert top_speed(made, Motion(made), made.layers[0], "time").whole == pytest.approx(200 * 4, rel=1e-6)
    eased = gliding(200, ease="ease-in-out")  # CSS Easing: cubic-bezier(.42, 0, .58, 1), steepest in the middle
    t = np.linspace(0, 1, 100_001)
    x, y = 3 * (1 - t) ** 2 * t * 0.42 + 3 * (1 - t) * t**2 * 0.58 + t**3, 3 * (1 - t) * t**2 + t**3
    steepest = np.max(np.diff(y) / np.diff(x))
    assert top_speed(eased, Motion(eased), eased.layers[0], "time").whole == pytest.approx(800 * steepest, rel=2e-3)
    quick = gliding(600)
    (finding,) = looked(quick, {"bird": noise(40, 30)}, "speed")
    assert (finding.amount, finding.unit, finding.severity) == (pytest.approx(600, rel=1e-3), "px/s", "note")
    assert looked(after(quick, finding), {"bird": noise(40, 30)}, "speed") == []
    nearly = after(quick, finding, duration=str(finding.fixes[0].value * 0.985))
    assert len(looked(nearly, {"bird": noise(40, 30)}, "speed")) == 1, "a little shorter would leave it"


def test_speed_is_that_of_what_is_seen_in_pictures() -> None:
    made = gliding(600)
    art = {"bird": np.full((30, 40, 4), 255, np.uint8)}
    loader = shelf_of(art, made).loader(made)
    at = [np.flatnonzero(render(made, State(time=t), loader)[90, :, 0] > 150).mean() for t in (0.1, 0.2)]
    assert (at[1] - at[0]) / 0.1 == pytest.approx(600, rel=0.01)


def blinking(times: int, depth: float = 0.0):
    """A sheet over the whole view that comes and goes so many times in a second."""
    keys = [(i / (2 * times), 1 if i % 2 == 0 else depth) for i in range(2 * times + 1)]
    return scene(
        layer("lamp", 320, 180),
        view=VIEW,
        drivers={"time": {"duration": 4}},
        tracks=[track("lamp", "opacity", "time", *keys)],
    )


@pytest.mark.parametrize(("times", "depth", "flashes"), [(5, 0.0, 5), (3, 0.0, 0), (5, 0.92, 0), (9, 0.5, 9)])
def test_flashes_are_counted_as_wcag_counts_them(times: int, depth: float, flashes: int) -> None:
    """WCAG 2.2, 2.3.1: more than three pairs of opposing changes by a tenth of luminance within a second."""
    found = looked(blinking(times, depth), {"lamp": np.full((180, 320, 4), 255, np.uint8)}, "speed")
    found = [finding for finding in found if finding.unit == "flashes/s"]
    assert [round(finding.amount) for finding in found] == ([flashes] if flashes else [])
    assert all(finding.severity == "error" for finding in found)


def test_what_is_small_does_not_flash_and_what_is_dark_hardly_does() -> None:
    small = blinking(5).model_copy(update={"layers": (scene(layer("lamp", 40, 30)).layers[0],)})
    assert looked(small, {"lamp": np.full((30, 40, 4), 255, np.uint8)}, "speed") == []


def test_an_actors_cells_flash_and_are_played_slower() -> None:
    dark, light = np.full((180, 320, 4), (0, 0, 0, 255), np.uint8), np.full((180, 320, 4), 255, np.uint8)
    assert flicker_of(np.stack([dark, light])) == [(1.0, 0.0), (0.0, 1.0)]
    frames = {"columns": 2, "rows": 1, "count": 2, "fps": 12}
    made = scene(layer("lamp", 320, 180, frames=frames), view=VIEW, drivers={"time": {"duration": 4}})
    art = {"lamp": np.concatenate([dark, light], axis=1)}
    (finding,) = looked(made, art, "speed")
    assert finding.amount == 6
    slower = after(made, finding)
    assert looked(slower, art, "speed") == [] and slower.layers[0].frames.fps == pytest.approx(6)
    assert len(looked(after(made, finding, fps="7"), art, "speed")) == 1


def walking_off(far: float, **fields):
    return scene(
        layer("man", 60, 80, frames={"columns": 1, "rows": 1, "count": 1, "fps": 1}), view=VIEW, drivers={"scroll": {}, "pointer": {"reach_x": 9}},
        tracks=[track("man", "x", "scroll", (0, 0), (1, far))], **fields,
    )  # fmt: skip


def test_an_actor_cut_by_the_views_edge_is_measured_to_half_a_pixel() -> None:
    made = walking_off(150)
    (finding,) = looked(made, {"man": np.full((80, 60, 4), 255, np.uint8)}, "cut")
    points, _ = project(stage_at(made, finding.state)["man"].matrix[0], corners(made.layers[0]))
    assert finding.amount == pytest.approx(150 + 30 + 9 - 160, abs=0.5) and finding.amount == pytest.approx(
        points[:, 0].max() - 320, abs=0.01
    )
    assert (finding.side, finding.severity) == ("right", "warning")
    for number, fix in enumerate(finding.fixes):
        assert (
            fix.kind == "reach"
            and looked(after(made, finding, number), {"man": np.full((80, 60, 4), 255, np.uint8)}, "cut") == []
        )
    assert looked(walking_off(130 - 9), {"man": np.full((80, 60, 4), 255, np.uint8)}, "cut") == []
    assert looked(walking_off(400), {"man": np.full((80, 60, 4), 255, np.uint8)}, "cut") == [], "it was meant to leave"


def test_a_camera_that_strays_is_noted_and_levelled() -> None:
    made = scene(layer("wall", 900, 600), view=VIEW, drivers={"scroll": {}},
                 tracks=[track("camera", "x", "scroll", (0, 0), (1, 300)), track("camera", "y", "scroll", (0, 0), (1, 6))])  # fmt: skip
    (finding,) = looked(made, {"wall": noise(900, 600)}, "level")
    assert (finding.layer, finding.amount) == ("", 6)
    assert looked(after(made, finding), {"wall": noise(900, 600)}, "level") == []


def test_a_loop_that_leaps_and_a_jump_are_mended() -> None:
    leaps = scene(layer("boat", 60, 40), view=VIEW, drivers={"time": {"duration": 4, "loop": True}},
                  tracks=[track("boat", "x", "time", (0, 0), (2, 40), (4, 25))])  # fmt: skip
    art = {"boat": noise(60, 40)}
    (finding,) = looked(leaps, art, "close")
    assert finding.amount == pytest.approx(25)
    assert looked(after(leaps, finding), art, "close") == []
    jumps = scene(layer("boat", 60, 40), view=VIEW, drivers={"scroll": {}},
                  tracks=[track("boat", "x", "scroll", (0, 0, "hold"), (0.5, 40), (1, 60))])  # fmt: skip
    (finding,) = looked(jumps, art, "jump")
    assert finding.amount == pytest.approx(40, abs=0.1)
    assert looked(after(jumps, finding), art, "jump") == []
    stops = scene(layer("boat", 60, 40), view=VIEW, drivers={"time": {"duration": 2, "loop": False}},
                  tracks=[track("boat", "x", "time", (0, -100), (2, 100))])  # fmt: skip
    (finding,) = looked(stops, art, "jump")
    assert finding.amount == pytest.approx(100, rel=1e-3)
    assert looked(after(stops, finding), art, "jump") == []


def test_soft_art_is_scaled_to_where_it_holds_and_no_smaller() -> None:
    made = scene(layer("wall", 100, 60, framing={"scale": 1.6}), view=VIEW)
    (finding,) = looked(made, {"wall": noise(100, 60)}, "soft")
    assert finding.amount == pytest.approx(1.6)
    assert looked(after(made, finding), {"wall": noise(100, 60)}, "soft") == []
    scale = finding.fixes[0].value * 1.01
    assert len(looked(after(made, finding, scale=str(scale)), {"wall": noise(100, 60)}, "soft")) == 1


def test_weight_tells_what_is_drawn_over_what_could_be_one_and_resizes_what_is_too_large() -> None:
    many = scene(*(layer(f"sheet-{n}", 320, 180) for n in range(10)), view=VIEW)
    art = {f"sheet-{n}": noise(320, 180, n) for n in range(10)}
    (finding,) = looked(many, art, "weight")
    assert (
        finding.amount == pytest.approx(10) and finding.side == "overdraw" and "could be one layer" in finding.message
    )
    large = scene(layer("wall", 4400, 60), view=VIEW)
    (finding,) = looked(large, {"wall": noise(4400, 60)}, "weight")
    resized = after(large, finding)
    assert resized.layers[0].art.width == 4096
    at = [project(stage_at(each, State())["wall"].matrix[0], corners(each.layers[0]))[0] for each in (large, resized)]
    assert at[0] == pytest.approx(at[1], abs=0.6), "it is seen as large as before"


def test_a_camera_that_cuts_a_subject_goes_as_far_as_it_may() -> None:
    made = scene(
        layer("man", 60, 80, frames={"columns": 1, "rows": 1, "count": 1, "fps": 1}), view=VIEW, drivers={"scroll": {}, "pointer": {"reach_x": 5}},
        tracks=[track("camera", "x", "scroll", (0, 0), (1, 150))],
    )  # fmt: skip
    art = {"man": np.full((80, 60, 4), 255, np.uint8)}
    (finding,) = looked(made, art, "cut")
    (fix,) = (fix for fix in finding.fixes if fix.edit == "shorten")
    assert fix.value == pytest.approx((160 - 30 + 2 - 5) / 150, abs=0.005)
    assert looked(after(made, finding, finding.fixes.index(fix)), art, "cut") == []
    assert len(looked(after(made, finding, finding.fixes.index(fix), share=str(fix.value * 1.01)), art, "cut")) == 1


def test_what_is_kept_of_a_layer_is_asked_anew_when_anything_of_it_changes() -> None:
    """Repeats, opacity, looks: they change what a layer shows and move nothing."""
    art = {"boat": noise(200, 40), "back": noise(320, 180), "front": noise(200, 120)}
    leaps = scene(layer("boat", 200, 40), view=VIEW, drivers={"time": {"duration": 4, "loop": True}},
                  tracks=[track("boat", "x", "time", (0, 0), (4, 200))])  # fmt: skip
    shelf = shelf_of(art, leaps)
    assert len(looked(leaps, {}, "close", shelf)) == 1
    goes_on, _ = apply(leaps, "layer", {"layer": "boat", "repeat_x": "tile"})
    assert looked(goes_on, {}, "close", shelf) == [], "a whole repeat farther it is the same"
    faint, _ = apply(leaps, "layer", {"layer": "boat", "opacity": "0"})
    assert looked(faint, {}, "close", shelf) == []
    stacked = scene(
        layer("back", 320, 180, depth=-50), layer("front", 200, 120, depth=300), view=VIEW, drivers={"scroll": {}}
    )
    (whole,) = looked(stacked, {}, "order", shelf)
    faded, _ = apply(stacked, "look-add", {"layer": "front", "step": "fade", "y": "-20", "to_y": "20"})
    (half,) = looked(faded, {}, "order", shelf)
    assert half.amount < 0.8 * whole.amount, "what is faded away hides nothing"
