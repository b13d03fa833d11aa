"""Pieces of work by several processes give what one gives, whatever becomes of the others."""

from __future__ import annotations

import os
import signal
import time

import pytest

from tests.plan.advise.test_weigh import scattered_plan
from verispect.files.weighing_json import weighing_to_dict
from verispect.plan.advise import side_by_side
from verispect.plan.advise.follow_up import further
from verispect.plan.advise.side_by_side import each
from verispect.plan.advise.weigh import weigh


@pytest.fixture
def three(monkeypatch) -> None:
    monkeypatch.setattr(side_by_side, "_allowed", 3)


def where(number: int) -> tuple[int, int]:
    time.sleep(0.02)
    return number * number, os.getpid()


@pytest.mark.usefixtures("three")
def test_results_keep_their_order_and_come_from_several() -> None:
    found = each(where, range(12))
    assert [square for square, _ in found] == [k * k for k in range(12)]
    # On a machine that has other work the last of three may come too late for any of it.
    assert len({process for _, process in found}) in (2, 3)
    assert each(where, []) == []


def test_processors_are_used_within_and_not_after(monkeypatch) -> None:
    monkeypatch.setattr(os, "sched_getaffinity", lambda _process: set(range(16)))
    with side_by_side.using_processors():
        assert side_by_side._allowed == 4
        with pytest.raises(ValueError, match="x"), side_by_side.using_processors():
            raise ValueError("x")
        assert side_by_side._allowed == 4
    assert side_by_side._allowed == 1


def test_unasked_nothing_is_forked() -> None:
    told: list[float] = []
    assert {process for _, process in each(where, range(4), progress=told.append)} == {os.getpid()}
    assert told == [0.0, 0.25, 0.5, 0.75]


@pytest.mark.usefixtures("three")
def test_what_is_the_same_comes_back_as_the_very_object() -> None:
    large = [object()]
    found = each(lambda k: (where(k), large, list(large)), range(6), same=[large])
    assert all(got is large for _, got, _ in found)
    # What was not said to be the same is a copy where another process made it.
    assert any(got[0] is not large[0] for _, _, got in found)


@pytest.mark.usefixtures("three")
def test_what_another_process_leaves_undone_is_done_here() -> None:
    here = os.getpid()

    def fragile(number: int) -> int:
        time.sleep(0.02)
        if os.getpid() != here:
            os.kill(os.getpid(), signal.SIGKILL)
        return number

    assert each(fragile, range(9)) == list(range(9))


@pytest.mark.usefixtures("three")
def test_a_fault_is_raised_here_and_leaves_nobody_behind(monkeypatch) -> None:
    begun: list[int] = []
    really = os.fork

    def fork() -> int:
        begun.append(really())
        return begun[-1]

    monkeypatch.setattr(os, "fork", fork)

    here = os.getpid()

    def failing(number: int) -> int:
        # The others are still at work when it breaks off here.
        time.sleep(0.02 if os.getpid() == here else 5.0)
        raise ValueError(number)

    begin = time.monotonic()
    with pytest.raises(ValueError, match=r"\d"):
        each(failing, range(8))
    assert time.monotonic() - begin < 4.0
    assert side_by_side._allowed == 3
    assert len(begun) == 2
    for process in begun:
        # Ended and fetched: nobody has that number any more.
        with pytest.raises(ProcessLookupError):
            os.kill(process, 0)


@pytest.mark.parametrize("seed", [3, 4])
def test_a_weighing_by_several_is_the_one_of_one(monkeypatch, seed) -> None:
    plan = scattered_plan(seed)
    alone = weigh(plan)
    after = further(alone)
    monkeypatch.setattr(side_by_side, "_allowed", 3)
    shared = weigh(plan)
    assert weighing_to_dict(shared, further(shared)) == weighing_to_dict(alone, after)
    assert all(candidate.scene is shared.scene for candidate in shared.candidates if candidate.fits)
