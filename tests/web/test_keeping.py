"""Many pictures that come in together: read two at a time, kept in order, each read once."""

import threading

import pytest

from clinamen.art import store
from clinamen.art.files import StoreAway
from clinamen.art.models import Picture
from clinamen.core.errors import BadArt
from tests.web.conftest import png

pytestmark = pytest.mark.django_db


@pytest.fixture
def read_by_name(monkeypatch) -> list[str]:
    """The names of the files that were read, as they were."""
    names: list[str] = []
    learned = store.learned

    def noting(data: bytes, name: str) -> store.Read:
        names.append(name)
        return learned(data, name)

    monkeypatch.setattr(store, "learned", noting)
    return names


def test_pictures_come_in_order_each_as_what_it_is_or_as_what_is_wrong_with_it() -> None:
    files = [(png(40 + n, 30, n), f"{n}.png") for n in range(7)]
    files[3] = (b"no picture", "3.png")
    kept = list(store.keep_all(files))
    assert [each.width for each in kept if isinstance(each, Picture)] == [40, 41, 42, 44, 45, 46]
    assert isinstance(kept[3], BadArt) and str(kept[3]).startswith("3.png: ")
    for (data, _), picture in zip(files, kept, strict=True):
        assert isinstance(picture, BadArt) or store.read(picture) == data


def test_what_is_kept_already_is_not_read_again(read_by_name) -> None:
    first = store.keep(png(40, 30, 1), "one.png")
    kept = list(store.keep_all([(png(40, 30, 1), "same.png"), (png(40, 30, 2), "two.png")]))
    assert kept[0] == first and read_by_name == ["one.png", "two.png"]
    assert list(store.keep_all([])) == []


def test_where_the_store_does_not_answer_the_rest_is_not_read(monkeypatch) -> None:
    failed, begun = threading.Event(), []

    def learned(data: bytes, name: str) -> store.Read:
        begun.append(name)
        if len(begun) > 2:  # the first may be kept while others are read
            failed.wait(20)
        return read(data, name)

    def away(*told: object) -> None:
        failed.set()
        raise StoreAway(OSError())

    read = store.learned
    monkeypatch.setattr(store, "learned", learned)
    monkeypatch.setattr(store.files, "write", away)
    with pytest.raises(StoreAway):
        list(store.keep_all([(png(40, 30, n), f"{n}.png") for n in range(200)]))
    assert len(begun) < 200 and not Picture.objects.exists()
