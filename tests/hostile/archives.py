"""Archives and pictures that are not what they say."""

from tests.core.test_bringing import zipped
from tests.hostile import hostile
from tests.web.conftest import png


@hostile("bomb.zip", "unpacks to more than")
def a_member_that_unpacks_a_thousandfold() -> bytes:
    return zipped(bomb=b"\0" * 50_000_000)


@hostile("within.zip", "an archive within an archive")
def an_archive_in_an_archive() -> bytes:
    return zipped(inner__zip=zipped(a=png(20, 20)))


@hostile("empty.zip", "holds no file")
def an_archive_of_nothing() -> bytes:
    return zipped()


@hostile("broken.zip", "not an archive")
def an_archive_cut_off() -> bytes:
    return zipped(a=png(20, 20))[:40]


@hostile("broken.png", "broken.png")
def a_picture_cut_off() -> bytes:
    return png(40, 30)[:200]


@hostile("text.png", "text.png")
def words_that_call_themselves_a_picture() -> bytes:
    return b"I am a picture"


@hostile("nothing.png", "nothing.png")
def a_file_without_a_byte() -> bytes:
    return b""


@hostile("nul\0name.png", "")
def a_name_with_a_nul() -> bytes:
    return png(40, 30)
