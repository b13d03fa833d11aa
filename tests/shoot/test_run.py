"""A run: its acts, its file after each of them, and being taken up again after the process was killed."""

from __future__ import annotations

import signal
import subprocess
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO, a_lens, make_plan
from verispect.errors import FileError
from verispect.files.plan_file import read_plan
from verispect.files.run_file import read_run
from verispect.plan.document import ShotsEach
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.shoot.run import (
    Item,
    RunState,
    Step,
    begin,
    is_over,
    resume,
    save,
    seconds_before,
    shot_of,
    what_changes,
)

NOW = datetime(2027, 5, 4, 6, 30, tzinfo=UTC)


@pytest.fixture(scope="module")
def series() -> Candidate:
    return worked("series", build_scene(read_plan(DEMO)))


def test_frames_are_taken_in_order_until_all_are_done(series: Candidate) -> None:
    state = begin(series)
    for k in range(series.frame_count):
        assert state.place == k
        assert state.left == series.frame_count - k
        state = state.done(now=NOW + timedelta(seconds=k), file=f"a{k}.tif")
    assert state.is_over
    assert state.current is None
    assert (state.items[1].taken, state.items[1].file) == ("2027-05-04T06:30:01.000Z", "a1.tif")
    assert state.begun == "2027-05-04T06:30:00.000Z"
    assert state.done(now=NOW) is state


def test_again_takes_back_the_last_and_then_goes_on(series: Candidate) -> None:
    state = begin(series).done(now=NOW).done(now=NOW).again()
    assert state.place == 1
    assert state.items[1].step is Step.AGAIN
    state = state.done(now=NOW)
    assert (state.place, state.items[1].times_taken) == (2, 2)


def test_one_left_before_is_come_back_to(series: Candidate) -> None:
    state = begin(series)
    for _ in range(series.frame_count):
        state = state.done(now=NOW)
    state = state.repeat(1)
    assert (state.left, state.place) == (1, 1)
    assert state.done(now=NOW).is_over


def test_an_inserted_frame_has_the_settings_before_it(series: Candidate) -> None:
    state = begin(series).done(now=NOW).insert("a bird flew through")
    assert state.items[1] == Item(0, note="a bird flew through", inserted=True)
    assert len(state.items) == series.frame_count + 1
    assert state.place == 1


def test_while_it_is_held_nothing_is_done(series: Candidate) -> None:
    held = begin(series).pause(True)
    assert held.done(now=NOW) is held
    assert held.pause(False).done(now=NOW).place == 1


acts = st.lists(st.sampled_from(["done", "again", "insert", "note", "hold", "go", "repeat"]), max_size=25)


def acted(state: RunState, names: list[str]) -> RunState:
    for number, name in enumerate(names):
        state = {
            "done": lambda s, n=number: s.done(now=NOW + timedelta(seconds=n), file=f"{n}.tif"),
            "again": lambda s: s.again(),
            "insert": lambda s: s.insert("extra"),
            "note": lambda s, n=number: s.with_note(f"note {n}"),
            "hold": lambda s: s.pause(True),
            "go": lambda s: s.pause(False),
            "repeat": lambda s, n=number: s.repeat(n % len(s.items)),
        }[name](state)
    return state


@given(acts)
def test_whatever_was_done_is_taken_up_again_as_it_was(series: Candidate, tmp_path_factory, names: list[str]) -> None:
    path = tmp_path_factory.mktemp("run") / "run.json"
    state = acted(begin(series), names)
    assert state.left == sum(item.step is not Step.DONE for item in state.items)
    assert state.is_over == (state.left == 0)
    save(state, series, path, "yard.verispect")
    assert resume(path, series) == state
    assert read_run(path).plan == "yard.verispect"


def test_a_killed_process_loses_at_most_the_frame_it_was_at(series: Candidate, tmp_path: Path) -> None:
    """kill -9 while it saves after every frame: what is read again is whole and holds a run's beginning."""
    path = tmp_path / "run.json"
    work = f"""
import sys
from datetime import datetime, UTC
from pathlib import Path
from verispect.files.plan_file import read_plan
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.shoot.run import begin, save
candidate = worked("series", build_scene(read_plan(Path({str(DEMO)!r}))))
state = begin(candidate)
while True:
    for _ in range(candidate.frame_count):
        state = state.done(now=datetime.now(UTC))
        save(state, candidate, Path({str(path)!r}), None)
        print("saved", flush=True)
    state = begin(candidate)
"""
    process = subprocess.Popen([sys.executable, "-c", work], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    for _ in range(7):
        assert process.stdout.readline() == "saved\n"
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    found = resume(path, series)
    assert found.place >= 1
    assert [item.step for item in found.items[: found.place]] == [Step.DONE] * found.place


def test_a_run_of_another_plan_is_not_taken_up(series: Candidate, tmp_path: Path) -> None:
    path = tmp_path / "run.json"
    save(begin(series), series, path, None)
    other = worked("series", build_scene(make_plan([(0, 1.5, 2.0), (0, 1.5, 40.0)], lenses=[a_lens(85.0)])))
    assert other.frame_count != series.frame_count
    with pytest.raises(FileError, match=r"this run is of series with \d+ exposures; the plan now has series"):
        resume(path, other)


def test_what_must_be_waited_for_is_what_changes(series: Candidate) -> None:
    times = series.scene.plan.kit.times
    assert seconds_before(series, None, Item(0)) == (0.0, times.settle_s)
    assert seconds_before(series, Item(0), Item(1)) == (times.refocus_s, times.settle_s)
    assert seconds_before(series, Item(1), Item(1)) == (0.0, times.settle_s)
    assert "focus_m" in what_changes(series, Item(0), Item(1))
    grid = worked("turned-grid", build_scene(read_plan(DEMO)))
    if grid.fits and grid.frame_count > 1:
        assert seconds_before(grid, Item(0), Item(1))[0] >= times.turn_s


def test_a_state_is_never_changed_in_place(series: Candidate) -> None:
    state = begin(series)
    before = replace(state)
    acted(state, ["done", "insert", "again", "note", "hold"])
    assert state == before


def test_a_file_of_a_run_tells_whether_it_is_over(tmp_path, series: Candidate) -> None:
    state, path = begin(series), tmp_path / "run.json"
    assert not is_over(path)
    save(state, series, path, None)
    assert not is_over(path)
    while not state.is_over:
        state = state.done(now=NOW)
    save(state, series, path, None)
    assert is_over(path)
    save(state.repeat(0), series, path, None)
    assert not is_over(path)
    path.write_text("no run", encoding="utf-8")
    assert not is_over(path)


def with_shots(candidate: Candidate, each: int, apart: float = 0.0) -> Candidate:
    plan = candidate.scene.plan
    shots = ShotsEach(each=each, apart_stops=apart)
    changed = plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": shots})})
    return replace(candidate, scene=replace(candidate.scene, plan=changed))


def test_each_frame_is_gone_through_shot_by_shot_and_taken_up_again(series: Candidate, tmp_path: Path) -> None:
    bracketed = with_shots(series, 3, 2.0)
    state = begin(bracketed)
    assert [(item.exposure, item.shot) for item in state.items[:4]] == [(0, 0), (0, 1), (0, 2), (1, 0)]
    first, second, third, fourth = state.items[:4]
    assert what_changes(bracketed, first, second) == ["shutter_s"]
    assert seconds_before(bracketed, second, third)[0] == 0.0, "nothing is moved between shots of one frame"
    assert "focus_m" in what_changes(bracketed, third, fourth)
    assert shot_of(bracketed, third).stops == 2.0
    state = state.done(now=NOW).done(now=NOW)
    save(state, bracketed, tmp_path / "run.json", None)
    assert resume(tmp_path / "run.json", bracketed) == state
    assert [frame.shot for frame in read_run(tmp_path / "run.json").frames[:3]] == [0, 1, 2]
    inserted = state.insert()
    assert (inserted.items[2].exposure, inserted.items[2].shot) == (0, 1)
    with pytest.raises(FileError, match="shots of its frames; the plan now asks for"):
        resume(tmp_path / "run.json", with_shots(series, 2))
