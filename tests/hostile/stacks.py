"""OpenRaster files that say what cannot be."""

import io
import zipfile

from tests.hostile import hostile
from tests.web.conftest import png


def stack(xml: str, *, art: bytes | None = None, **members: bytes) -> bytes:
    """An OpenRaster file of a stack.xml, with one picture of 40 × 30 px."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", xml)
        archive.writestr("data/a.png", art if art is not None else png(40, 30))
        for name, data in members.items():
            archive.writestr(name.replace("__", "/"), data)
    return out.getvalue()


def image(width: str = "40", height: str = "30", layer: str = '<layer src="data/a.png"/>') -> str:
    return f'<image w="{width}" h="{height}"><stack>{layer}</stack></image>'


@hostile("zero.ora", "stack.xml image w")
def a_stack_of_no_width() -> bytes:
    return stack(image("0"))


@hostile("minus.ora", "stack.xml image h")
def a_stack_of_less_than_no_height() -> bytes:
    return stack(image(height="-64"))


@hostile("endless.ora", "stack.xml image w")
def a_stack_wider_than_any_view() -> bytes:
    return stack(image("99999999"))


@hostile("superscript.ora", "stack.xml image w")
def a_width_that_only_looks_like_a_digit() -> bytes:
    return stack(image("²"))


@hostile("long.ora", "stack.xml image w")
def a_width_of_five_thousand_digits() -> bytes:
    return stack(image("9" * 5000))


@hostile("far.ora", "x is")
def a_layer_a_googol_away() -> bytes:
    return stack(image(layer='<layer src="data/a.png" x="1e300"/>'))


@hostile("infinite.ora", "y is")
def a_layer_infinitely_far_down() -> bytes:
    return stack(image(layer='<layer src="data/a.png" y="inf"/>'))


@hostile("adding-up.ora", "x is")
def offsets_that_add_up_to_too_much() -> bytes:
    return stack(image(layer='<stack x="9e8"><stack x="9e8"><layer src="data/a.png"/></stack></stack>'))


@hostile("deep.ora", "stacks within stacks")
def three_thousand_stacks_within_each_other() -> bytes:
    return stack(image(layer="<stack>" * 3000 + '<layer src="data/a.png"/>' + "</stack>" * 3000))


@hostile("named.ora", "")
def a_layer_with_a_name_of_five_hundred_letters() -> bytes:
    return stack(image(layer=f'<layer name="{"n" * 500}" src="data/a.png"/>'))


@hostile("file-named.ora", "")
def a_picture_with_a_file_name_of_five_hundred_letters() -> bytes:
    name = "n" * 500
    return stack(image(layer=f'<layer src="data/{name}.png"/>'), **{f"data__{name}.png": png(40, 30)})


@hostile("grouped.ora", "")
def groups_whose_names_together_are_too_long() -> bytes:
    group = f'<stack name="{"g" * 150}">'
    return stack(image(layer=group * 4 + '<layer src="data/a.png"/>' + "</stack>" * 4))


@hostile("other-size.ora", "")
def a_picture_of_another_size_than_its_stack_says() -> bytes:
    return stack(image(layer='<layer src="data/a.png" w="4000" h="3000"/>'))


@hostile("no-art.ora", "has no data/b.png")
def a_picture_that_is_not_there() -> bytes:
    return stack(image(layer='<layer src="data/b.png"/>'))


@hostile("outside.ora", "points outside")
def a_member_that_climbs_out() -> bytes:
    return stack(image(), **{"..__..__etc__passwd": b"x"})


@hostile("entities.ora", "cannot be read safely|not XML")
def a_stack_with_entities() -> bytes:
    return stack(
        '<!DOCTYPE a [<!ENTITY b "bbbb">]><image w="40" h="30"><stack><layer name="&b;" src="data/a.png"/></stack></image>'
    )


@hostile("no-layer.ora", "holds no layer")
def a_stack_of_nothing() -> bytes:
    return stack(image(layer=""))


@hostile("bad-scene.ora", "clinamen/scene.json")
def a_scene_inside_that_is_none() -> bytes:
    return stack(image(), clinamen__scene__json=b"").replace(b"clinamen/scene/json", b"clinamen/scene.json")
