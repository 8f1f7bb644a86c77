"""SVG files whose sizes or contents cannot be."""

from tests.hostile import hostile


def svg(attributes: str, inside: str = '<rect width="20" height="20" fill="#123"/>') -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg" {attributes}>{inside}</svg>'.encode()


@hostile("infinite.svg", "infinite.svg")
def a_width_that_is_infinite() -> bytes:
    return svg('width="inf" height="20"')


@hostile("huge.svg", "huge.svg")
def a_width_of_a_googol() -> bytes:
    return svg('width="1e300" height="20"')


@hostile("dotted.svg", "dotted.svg")
def a_width_with_two_points() -> bytes:
    return svg('width="1.2.3" height="20"')


@hostile("dots.svg", "dots.svg")
def a_view_box_of_dots() -> bytes:
    return svg('viewBox="0 0 ..... ....."')


@hostile("nan.svg", "nan.svg")
def a_view_box_that_is_no_number() -> bytes:
    return svg('viewBox="nan nan nan nan"')


@hostile("minus.svg", "minus.svg")
def a_height_below_nothing() -> bytes:
    return svg('width="20" height="-20"')


@hostile("nested.svg", "nested.svg")
def groups_within_groups_without_end() -> bytes:
    return svg('width="20" height="20"', "<g>" * 5000 + "<rect/>" + "</g>" * 5000)


@hostile("entity.svg", "entity.svg")
def entities_that_multiply() -> bytes:
    lines = "".join(f'<!ENTITY e{n} "{f"&e{n - 1};" * 10 if n else "x"}">' for n in range(9))
    return f'<!DOCTYPE svg [{lines}]><svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><text>&e8;</text></svg>'.encode()


@hostile("outside.svg", "outside.svg")
def a_picture_fetched_from_elsewhere() -> bytes:
    return svg('width="20" height="20"', '<image href="file:///etc/passwd" width="20" height="20"/>')


@hostile("cut-off.svg", "cut-off.svg")
def a_file_that_stops_in_the_middle() -> bytes:
    return svg('width="20" height="20"')[:-20]
