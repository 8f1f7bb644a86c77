"""ReaderTurns at the readers of files: one account's slow files keep nobody else waiting, and nobody reads without end."""

import threading
import time

import pytest

from clinamen.core.errors import BadArt, Busy
from clinamen.core.pictures import pool, reader_turns, reading
from clinamen.core.pictures.encoding import encode_png
from clinamen.core.pictures.reader_turns import ReaderTurns, asking, check_budget, spend
from tests.conftest import noise
from tests.faults.test_pictures import ENDLESS


@pytest.fixture(autouse=True)
def nobody_has_spent_anything(monkeypatch) -> None:
    monkeypatch.setattr(reader_turns, "_spent", {})


class Reader(threading.Thread):
    """Somebody who waits for a turn, has it, and keeps it until told to end."""

    def __init__(self, at: ReaderTurns, account: str, slow: bool = False) -> None:
        super().__init__(daemon=True)
        self.at, self.account, self.slow = at, account, slow
        self.has, self.ends = threading.Event(), threading.Event()
        before = len(at.waiting) + at.held.total()
        self.start()
        while len(at.waiting) + at.held.total() == before:
            time.sleep(0.001)

    def run(self) -> None:
        with asking(lambda: self.account), self.at.turn(self.slow, f"{self.account}.svg"):
            self.has.set()
            self.ends.wait(30)

    def end(self) -> None:
        self.ends.set()
        self.join()


def test_slow_files_never_hold_the_last_reader() -> None:
    at = ReaderTurns(2)
    slow = [Reader(at, "ada", slow=True) for _ in range(3)]
    assert slow[0].has.wait(5)
    quick = Reader(at, "bo")
    assert quick.has.wait(5), "a reader is free for what is quickly read"
    assert not slow[1].has.is_set()
    for each in (quick, *slow):
        each.end()


def test_accounts_take_turns() -> None:
    at = ReaderTurns(1)
    first = Reader(at, "ada")
    assert first.has.wait(5)
    second, third, other = Reader(at, "ada"), Reader(at, "ada"), Reader(at, "bo")
    first.end()
    assert other.has.wait(5) and not second.has.is_set() and not third.has.is_set()
    for each in (other, second, third):
        each.end()


def test_who_waits_too_long_is_told_so(monkeypatch) -> None:
    monkeypatch.setattr(reader_turns, "LONGEST_WAIT", 0.05)
    at = ReaderTurns(1)
    first = Reader(at, "ada")
    with (
        pytest.raises(Busy, match=r"card\.png: was not read within 0\.05 s, so many others are; try again"),
        at.turn(False, "card.png"),
    ):
        pytest.fail("there was no turn to have")
    first.end()
    with at.turn(False, "card.png"):
        pass


def test_a_request_and_an_account_have_so_much_to_spend() -> None:
    with asking(lambda: "ada"):
        spend(reader_turns.A_REQUEST + 1)
        with pytest.raises(
            BadArt, match=r"late\.svg: was not read, the files before it took 120 s; bring it in by itself"
        ):
            check_budget("late.svg")
    with asking(lambda: "ada"):
        check_budget("another-request.svg")
        spend(reader_turns.AN_ACCOUNT - reader_turns.A_REQUEST)
        with pytest.raises((BadArt, Busy)):
            check_budget("late.svg")
    with (
        asking(lambda: "ada"),
        pytest.raises(Busy, match="your files have taken 5 minutes to read in the last 10; try"),
    ):
        check_budget("third.svg")
    with asking(lambda: "bo"):
        check_budget("bos.png")


def test_one_accounts_endless_files_do_not_delay_anothers_picture(monkeypatch) -> None:
    """The picture is read while every one of the other's files is still being read, or waits."""
    made = pool.Pool(2, seconds=2.0)
    monkeypatch.setattr(reading, "POOL", made)
    ended: list[int] = []

    def storm(number: int) -> None:
        with asking(lambda: "ada"):
            try:
                reading.decode(ENDLESS, f"storm-{number}.svg")
            except BadArt:
                ended.append(number)

    storms = [threading.Thread(target=storm, args=(number,)) for number in range(3)]
    for each in storms:
        each.start()
    while made.turns.held.total() + len(made.turns.waiting) < len(storms):
        time.sleep(0.001)
    with asking(lambda: "bo"):
        assert reading.decode(encode_png(noise(64, 48)), "card.png").shape == (48, 64, 4)
    assert len(ended) < len(storms), "nobody stood behind all of them"
    for each in storms:
        each.join()
    assert sorted(ended) == [0, 1, 2]
    made.close()
