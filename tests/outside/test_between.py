"""In-betweens against Shapely: areas and Hausdorff distances of what comes out, and what two forms must have alike."""

import re

import numpy as np
import pytest
from shapely import Polygon
from shapely.affinity import rotate, scale, translate

from clinamen.core.errors import BadArt, BadEdit
from clinamen.core.exchange.actors import between_of
from clinamen.core.motion.between import aligned, between, mixed
from clinamen.core.pictures.reading import forms_of


def svg(body: str, size: int = 200) -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="{size}" height="{size}">{body}</svg>'.encode()


def path_of(shape: Polygon, fill: str = "#336699", begin: int = 0, reverse: bool = False) -> str:
    points = list(shape.exterior.coords)[:-1]
    points = points[begin:] + points[:begin]
    points = points[::-1] if reverse else points
    return f'<path fill="{fill}" d="M{"L".join(f"{x:.4f} {y:.4f}" for x, y in points)}Z"/>'


CLOUD = Polygon(
    [
        (60 + 40 * np.cos(a) + 6 * np.cos(3 * a), 80 + 30 * np.sin(a) + 5 * np.sin(5 * a))
        for a in np.linspace(0, 2 * np.pi, 120)[:-1]
    ]
)


@pytest.mark.parametrize("reverse", [False, True])
@pytest.mark.parametrize("begin", [0, 17, 90])
def test_a_form_moved_and_grown_goes_straight_there_wherever_its_outline_begins(begin: int, reverse: bool) -> None:
    goal = translate(scale(CLOUD, 1.5, 1.5, origin=(60, 80)), 50, 20)
    one, two = (
        forms_of(svg(path), "a.svg")[2] for path in (path_of(CLOUD), path_of(goal, begin=begin, reverse=reverse))
    )
    for share in (0.0, 0.25, 0.5, 1.0):
        (drawn,) = between(one, two, np.array([share]))[0]
        wanted = translate(scale(CLOUD, 1 + share / 2, 1 + share / 2, origin=(60, 80)), 50 * share, 20 * share)
        made = Polygon(drawn.outlines[0])
        assert made.is_valid
        assert made.area == pytest.approx(wanted.area, rel=0.004)
        assert made.hausdorff_distance(wanted) < 0.8


def test_a_form_turned_a_little_turns_and_does_not_fold() -> None:
    goal = rotate(CLOUD, 16)
    one, two = (forms_of(svg(path_of(shape)), "a.svg")[2] for shape in (CLOUD, goal))
    (half,) = between(one, two, np.array([0.5]))[0]
    assert Polygon(half.outlines[0]).hausdorff_distance(rotate(CLOUD, 8)) < 3


def test_no_other_start_has_a_shorter_way() -> None:
    one, two = (forms_of(svg(path_of(shape)), "a.svg")[2][0].outlines[0] for shape in (CLOUD, rotate(CLOUD, 110)))
    best = aligned(one, two)
    ways = [np.sum((one - np.roll(best, shift, axis=0)) ** 2) for shift in range(len(best))]
    assert min(ways) == ways[0]


def test_colours_meet_in_linear_light() -> None:
    # a worked value: half of black and white in linear light is 0.7354 in sRGB (IEC 61966-2-1)
    assert mixed((0, 0, 0, 1), (1, 1, 1, 1), 0.5) == pytest.approx((0.7354, 0.7354, 0.7354, 1), abs=1e-4)
    assert mixed((1, 0, 0, 1), (0, 0, 1, 0), 0.5) == pytest.approx((1, 0, 0, 0.5)), "what is clear lends no colour"


def test_shapes_transforms_and_curves_of_svg_are_read_at_their_size() -> None:
    width, height, (disc, ring) = forms_of(
        svg('<circle cx="60" cy="50" r="30" fill="#f00" opacity=".5"/><g transform="translate(100 100) scale(2)">'
            '<path fill="rgb(0,128,0)" d="M0 0C0 10 10 20 20 20H0ZM2 12h4v4h-4z"/></g><rect width="9" height="9" fill="none"/>'), "a.svg"
    )  # fmt: skip
    assert (width, height, disc.colour, len(ring.outlines)) == (200, 200, (1, 0, 0, 0.5), 2)
    assert Polygon(disc.outlines[0]).area == pytest.approx(np.pi * 900, rel=1e-3)
    assert Polygon(ring.outlines[1]).area == pytest.approx(64, rel=0.02)
    assert ring.outlines[1].min() == pytest.approx(104, abs=0.2)


def test_a_strip_of_in_betweens_holds_both_ends_and_plays_to_and_fro() -> None:
    files = [("smoke-1.svg", svg(path_of(CLOUD))), ("smoke-2.svg", svg(path_of(translate(CLOUD, 60, 30), "#ffffff")))]
    strip = between_of(files, 4, "linear", 8)
    assert (strip.frames.count, strip.frames.play, strip.frames.fps, strip.width) == (6, "to-and-fro", 8, 200)
    cells = re.findall(r'<svg x="(\d+)" y="(\d+)".*?d="M([\d.]+) ([\d.]+)L', strip.data.decode())
    assert len(cells) == 6
    x = [float(cell[2]) for cell in cells]
    assert np.diff(x) == pytest.approx(60 / 5, abs=0.6), "even steps"


@pytest.mark.parametrize(
    ("files", "error", "says"),
    [
        ([("a.svg", svg(path_of(CLOUD)))], BadEdit, "need two drawings, not 1"),
        ([("a.svg", svg(path_of(CLOUD))), ("b.svg", svg(path_of(CLOUD) * 2))], BadEdit, "1 filled shapes, the second 2"),
        ([("a.svg", svg(path_of(CLOUD))), ("b.svg", svg('<path fill="#000" d="M0 0h9v9zM20 20h9v9z"/>'))], BadEdit, "1 outlines in the first drawing, 2"),
        ([("a.svg", svg(path_of(CLOUD))), ("b.svg", svg(path_of(CLOUD), 300))], BadEdit, "on the same canvas"),
        ([("a.svg", svg(path_of(CLOUD))), ("b.svg", svg(path_of(CLOUD, "url(#g)")))], BadArt, "filled with a gradient"),
        ([("a.svg", svg(path_of(CLOUD))), ("b.png", b"\x89PNG nonsense")], BadArt, "is no SVG"),
        ([("a.svg", svg(path_of(CLOUD))), ("b.svg", svg('<path fill="none" d="M0 0h9v9z"/>'))], BadArt, "holds no filled shape"),
    ],
)  # fmt: skip
def test_forms_that_do_not_answer_each_other_are_said(files, error, says: str) -> None:
    with pytest.raises(error) as wrong:
        between_of(files, 3)
    assert says in str(wrong.value)
