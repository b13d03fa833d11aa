"""A simulated rig driven: every fault in turn, what is kept, and that it goes on."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np
import pytest

from verispect.files.run_file import read_run
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.intake import described
from verispect.rig.device_program import RigError, device_program
from verispect.rig.drive import RigStopError, begin_at
from verispect.rig.serial_line import SerialLine
from verispect.rig.simulated_rig import controller_process, parse_rig_fault
from verispect.rig.tethered_camera import moved_off
from verispect.shoot.driven_run import DrivenRun


@contextmanager
def pictures_for(triggers: Path, folder: Path) -> Iterator[None]:
    """A quick camera: a small grey picture for every trigger."""
    over = threading.Event()

    def watch() -> None:
        done = 0
        while not over.wait(0.01):
            lines = triggers.read_text().splitlines() if triggers.exists() else []
            if len(lines) > done:
                done += 1
                name = f"quick-{len(list(folder.glob('quick-*'))) + 1:03d}.png"
                cv2.imwrite(str(folder / name), np.full((8, 12), 120, np.uint8))

    thread = threading.Thread(target=watch)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def go(candidate: Candidate, folder: Path, *faults: str, is_stopped: Callable[[], bool] = lambda: False) -> DrivenRun:
    run = DrivenRun(candidate, folder)
    triggers = folder / "triggers"
    triggers.unlink(missing_ok=True)
    known = [parse_rig_fault(text) for text in faults]
    with controller_process(triggers, faults=known, rush=400.0) as port, pictures_for(triggers, folder):
        run.go(port, is_stopped=is_stopped)
    return run


def taken(folder: Path) -> list[str]:
    return [str(frame.file) for frame in read_run(folder / "run.json").frames if frame.file]


@pytest.mark.parametrize(
    ("fault", "why"),
    [("stall@4", "stalled"), ("low-battery@4", "battery at 5 %"), ("unplugged@4", "line to the controller is gone")],
)
def test_a_fault_stops_it_what_was_taken_is_kept_and_it_goes_on(
    grid: Candidate, tmp_path: Path, fault: str, why: str
) -> None:
    with pytest.raises(RigError, match=why):
        go(grid, tmp_path, fault)
    kept = taken(tmp_path)
    assert 0 < len(kept) < grid.frame_count
    run = go(grid, tmp_path)
    assert run.todo == []
    assert taken(tmp_path)[: len(kept)] == kept
    assert len(set(taken(tmp_path))) == grid.frame_count


def test_a_lost_step_shows_in_the_pictures_alone(rail: Candidate, tmp_path: Path) -> None:
    """The controller says ok; the rail stands a tenth of its move short from there on."""
    go(rail, tmp_path, "lost-step@3")
    assert len(taken(tmp_path)) == rail.frame_count
    told = [json.loads(line)["off"]["X"] for line in (tmp_path / "triggers").read_text().splitlines()]
    # The first place takes two moves, from below.
    assert told[0] == 0.0
    assert all(off < -1e-4 for off in told[1:]), "and stays short"
    exposure = rail.exposures[1]
    off = moved_off(exposure, {"X": -0.5})
    assert (off.pose.pupil_m - exposure.pose.pupil_m) @ exposure.pose.forward == pytest.approx(-0.0005)


def test_frames_of_a_whole_simulated_rig_lie_where_they_were_planned(grid: Candidate, tmp_path: Path) -> None:
    """Its head has half a degree of slack, which places come to from below do not show."""
    run = DrivenRun(grid, tmp_path)
    run.go(None, pixels=(300, 200), is_stopped=lambda: False)
    report = check([tmp_path], candidate=grid)
    assert [frame.faults for frame in report.frames] == [[]] * grid.frame_count
    assert {described(tmp_path / name).pixels for name in taken(tmp_path)} == {(300, 200)}


def test_it_is_stopped_by_hand(grid: Candidate, tmp_path: Path) -> None:
    with pytest.raises(RigStopError, match="Stopped"):
        go(grid, tmp_path, is_stopped=lambda: bool(taken(tmp_path)))
    assert 1 <= len(taken(tmp_path)) < grid.frame_count


@pytest.mark.parametrize("text", ["stall", "stall@0", "fire@1", "stall@x", ""])
def test_a_fault_written_wrongly_is_one_sentence(text: str) -> None:
    with pytest.raises(RigError, match="NAME@MOVE"):
        parse_rig_fault(text)


@pytest.mark.parametrize("home", [False, True])
def test_going_home_mends_a_step_that_was_lost(rail: Candidate, tmp_path: Path, home: bool) -> None:
    """A run is stopped after a step was lost, and gone on with at the same controller: by what its triggers tell."""
    triggers = tmp_path / "triggers"
    known = [parse_rig_fault("lost-step@3")]
    with controller_process(triggers, faults=known, rush=400.0) as port, pictures_for(triggers, tmp_path):
        with pytest.raises(RigStopError):
            DrivenRun(rail, tmp_path).go(port, is_stopped=lambda: len(list(tmp_path.glob("quick-*"))) >= 2)
        before = len(triggers.read_text().splitlines())
        DrivenRun(rail, tmp_path).go(port, home=home, is_stopped=lambda: False)
    off = [json.loads(line)["off"]["X"] for line in triggers.read_text().splitlines()]
    assert off[before - 1] < -1e-4
    assert all((value == pytest.approx(0.0, abs=1e-9)) == home for value in off[before:])


def test_on_the_way_home_a_stop_is_heeded(grid: Candidate, tmp_path: Path, monkeypatch) -> None:
    triggers = tmp_path / "triggers"
    with controller_process(triggers, rush=1.0) as port, SerialLine(port) as line:
        for text in ("G92 A0 B0", "G1 A40 B0 F100000"):
            line.send(text)
            while line.answer(0.1) != "ok":
                pass
        sent: list[float] = []
        send = line.send

        def told(text: str) -> None:
            sent.extend([time.monotonic()] if text == "G28" else [])
            send(text)

        monkeypatch.setattr(line, "send", told)
        with pytest.raises(RigStopError, match="before the first frame"):
            begin_at(
                device_program(grid), line, home=True,
                is_stopped=lambda: bool(sent) and time.monotonic() - sent[0] > 0.4,
            )  # fmt: skip
        assert time.monotonic() - sent[0] < 1.5
        assert line.places()["A"] > 1.0, "it never came home"
