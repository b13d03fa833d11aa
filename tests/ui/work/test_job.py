"""Long work in another process, and the pictures that lie under a drawing."""

from __future__ import annotations

import os
import time

import numpy as np
import pytest
from PyQt6.QtCore import QObject

from verispect.errors import GeometryError
from verispect.ui.controls.theme import LIGHT
from verispect.ui.drawings import underlay
from verispect.ui.drawings.view import View
from verispect.ui.work.hands import close_idle, keep_one_ready, waiting
from verispect.ui.work.job import Job


def doubled(value: int) -> int:
    return 2 * value


def refusing() -> None:
    raise GeometryError("three marks on a line give no surface")


def broken() -> None:
    raise RuntimeError("a fault")


def counting(*, progress, is_cancelled) -> str:
    for k in range(200):
        progress(k / 200)
        if is_cancelled():
            return "given up"
        time.sleep(0.02)
    return "done"


def test_work_gives_its_outcome_or_its_complaint(qtbot) -> None:
    parent = QObject()
    with qtbot.waitSignals([(job := Job(parent, doubled, 21)).done, job.ended], timeout=20_000) as waited:
        pass
    assert waited.all_signals_and_args[0].args == (42,) or waited.all_signals_and_args[1].args == (42,)
    with qtbot.waitSignal(Job(parent, refusing).failed, timeout=20_000) as told:
        pass
    assert told.args == ["three marks on a line give no surface"]
    with qtbot.waitSignal(Job(parent, broken).failed, timeout=20_000) as told:
        pass
    assert "fault of this program" in told.args[0]


def test_the_next_job_finds_the_process_of_the_last_and_never_one_that_was_ended(qtbot) -> None:
    parent = QObject()
    close_idle()
    seen = []
    for function, arguments in ((os.getpid, ()), (os.getpid, ()), (broken, ()), (os.getpid, ())):
        job = Job(parent, function, *arguments)
        job.done.connect(seen.append)
        # One begun meanwhile has not done anything yet: what has is kept.
        keep_one_ready()
        with qtbot.waitSignal(job.ended, timeout=20_000):
            pass
    assert len(set(seen)) == 1, "a fault of the work leaves its process"
    job = Job(parent, time.sleep, 60)
    qtbot.wait(50)
    with qtbot.waitSignal(job.ended, timeout=20_000):
        job.give_up()
    job = Job(parent, os.getpid)
    job.done.connect(seen.append)
    with qtbot.waitSignal(job.ended, timeout=20_000):
        pass
    assert seen[-1] != seen[0]
    close_idle()


def test_work_tells_how_far_it_is_and_is_given_up(qtbot) -> None:
    parent = QObject()
    job = Job(parent, counting, watched=True)
    shares: list[float] = []
    outcomes: list[object] = []
    job.progress.connect(shares.append)
    job.done.connect(outcomes.append)
    qtbot.waitUntil(lambda: any(share > 0.0 for share in shares), timeout=20_000)
    with qtbot.waitSignal(job.ended, timeout=5_000):
        job.give_up()
    qtbot.wait(100)
    assert outcomes == []
    assert shares == sorted(shares)


VIEW = View((0.0, 10.0, 0.0, 5.0), (50.0, 250.0, 6.0, 106.0))


def test_a_field_is_even_where_sharp_striped_where_not_and_has_its_line_at_one() -> None:
    """Softness that grows evenly from 0 at the left to 2 at the right: the line lies in the middle."""
    places = underlay.field_places(VIEW)
    picture = underlay.with_field(VIEW, places[..., 0] / 5.0, LIGHT)
    assert picture.shape == (100, 200, 4)
    row = picture[50]
    assert (row[10:90, 3] > 60).all()
    dark = np.flatnonzero(row[:, 3] == 220)
    assert dark.size
    assert np.abs(dark - 100).max() <= 4
    right = picture[:, 120:190, 3] > 0
    assert 0.05 < right.mean() < 0.5
    # What nobody sees stays bare.
    unseen = np.where(places[..., 1] > 2.5, np.nan, 0.5)
    half = underlay.with_field(VIEW, unseen, LIGHT)
    assert half[:44, :, 3].max() == 0
    assert half[56:, :, 3].min() > 60


def test_dots_fall_where_their_places_are() -> None:
    heap = underlay.heaped(VIEW, np.array([[0.02, 4.98], [0.02, 4.98], [9.98, 0.02], [-3.0, 1.0], [4.0, 99.0]]))
    assert heap.sum() == 3
    assert heap[0, 0] == 2
    assert heap[99, 199] == 1
    picture = underlay.blank(VIEW)
    underlay.put_dots(picture, heap, LIGHT)
    assert picture[0, 0, 3] > picture[99, 199, 3] > 0
    assert np.count_nonzero(picture[..., 3]) == 2
    image = underlay.as_image(picture)
    assert (image.width(), image.height()) == (200, 100)
    assert image.pixelColor(0, 0).alpha() == picture[0, 0, 3]


@pytest.mark.parametrize("softness", [0.4, 3.0])
def test_samples_of_areas_are_full_or_hollow(softness: float) -> None:
    picture = underlay.blank(VIEW)
    underlay.put_spots(picture, VIEW, np.array([[5.0, 2.5], [-9.0, 0.0]]), np.array([softness, 0.1]), LIGHT)
    middle = picture[50, 100, 3]
    around = picture[49:52, 99:102, 3]
    assert (around > 0).sum() == (9 if softness <= 1.0 else 8)
    assert (middle > 0) == (softness <= 1.0)


_read: list[str] = []


def reading(name: str, *, progress, is_cancelled) -> list[str]:
    """What this process has read so far, after reading for a while."""
    _read.append(name)
    for k in range(40):
        if is_cancelled():
            break
        progress(k / 40)
        time.sleep(0.005)
    return list(_read)


def test_work_that_keeps_what_it_read_finds_it_again_even_where_it_was_given_up(qtbot) -> None:
    parent = QObject()
    close_idle()
    seen: list[list[str]] = []
    for name, given_up in (("a", False), ("b", True), ("c", False)):
        job = Job(parent, reading, name, watched=True, keeps="reading")
        job.done.connect(seen.append)
        # What else is asked meanwhile has another process.
        other = Job(parent, reading, "x", watched=True)
        other.done.connect(seen.append)
        with qtbot.waitSignals([job.ended, other.ended], timeout=20_000):
            if given_up:
                qtbot.waitUntil(lambda job=job: job._hand.share.value > 0.0, timeout=20_000)
                job.give_up()
    assert sorted(seen) == [["a"], ["a", "b", "c"], ["x"], ["x", "x"], ["x", "x", "x"]]
    assert sorted(hand.keeps for hand in waiting()) == ["", "reading"]
    close_idle()
