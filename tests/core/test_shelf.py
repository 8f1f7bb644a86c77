import numpy as np
import pytest

from clinamen.core.bounded import Bounded
from clinamen.core.errors import BadArt
from clinamen.core.pictures.shelf import ArtShelf
from tests.conftest import layer, noise, scene, shelf_of


def test_a_bounded_memory_drops_what_was_used_longest_ago() -> None:
    memory: Bounded[str] = Bounded(10, len)
    made: list[str] = []

    def get(key: str) -> str:
        return memory.get(key, lambda: made.append(key) or key * 4)  # type: ignore[func-returns-value]

    assert get("a") == "aaaa" and get("b") == "bbbb"
    get("a")
    get("c")  # 12 bytes: b, used longest ago, goes
    get("a")
    assert made == ["a", "b", "c"]
    get("b")
    assert made == ["a", "b", "c", "b"] and memory.held <= 10


def test_one_value_larger_than_the_memory_is_still_given() -> None:
    memory: Bounded[str] = Bounded(3, len)
    assert memory.get("a", lambda: "too long") == "too long"


def test_art_is_read_once_and_checked_against_the_document() -> None:
    reads: list[str] = []
    inner = shelf_of({"a": noise(64, 48, 77)})

    def read(file: str) -> bytes:
        reads.append(file)
        return inner.read(file)

    shelf = ArtShelf(read)
    made = scene(layer("a", 64, 48)).layers[0]
    first, second = shelf.pixels(made), shelf.pixels(made)
    assert np.array_equal(first, second) and shelf.opaque(made).full
    assert len(reads) <= 2, "once for its content hash, once for its pixels"
    with pytest.raises(BadArt, match=r"art/a.png: is 64 × 48 px, the scene says 65 × 48 px"):
        shelf.opaque(scene(layer("a", 65, 48)).layers[0])


def test_the_same_content_under_two_names_is_one() -> None:
    data = shelf_of({"a": noise(30, 30, 78)}).read("art/a.png")
    shelf = ArtShelf(lambda file: data)
    assert shelf.content("art/a.png") == shelf.content("art/b.png")


def test_a_file_that_cannot_be_read_is_named_with_its_layer() -> None:
    made = scene(layer("l13", 64, 48, name="Reeds right"))
    shelf = ArtShelf(lambda file: b"\x89PNG\r\n\x1a\nand no more", scene=made)
    with pytest.raises(BadArt, match=r"Reeds right \(art/l13\.png\): "):
        shelf.pixels(made.layers[0])
