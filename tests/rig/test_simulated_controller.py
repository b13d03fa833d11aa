"""The simulated controller: how long its moves take, its slack, its answers, and how soon it stops."""

from __future__ import annotations

import json
import os
import threading
import time
import tty
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from verispect.rig.serial_line import SerialLine
from verispect.rig.simulated_controller import Axes, Controller, RigFault, seconds_for


@pytest.mark.parametrize(("way", "feed"), [(0.05, 2.0), (3.0, 2.0), (40.0, 6.0)])
def test_a_move_takes_as_long_as_its_speeds_add_up_to(way: float, feed: float) -> None:
    """Speed, rising evenly, held, and falling evenly to nothing, summed over that time is the way."""
    speeding = 40.0
    whole = seconds_for(way, feed, speeding)
    t = np.linspace(0.0, whole, 20001)
    speed = np.minimum(np.minimum(speeding * t, speeding * (whole - t)), feed)
    assert np.trapezoid(speed, t) == pytest.approx(way, rel=1e-4)
    assert seconds_for(0.0, feed) == 0.0


def test_slack_is_taken_up_before_anything_follows() -> None:
    axes = Axes(slack=0.3)
    axes.go("X", 2.0)
    axes.go("X", 1.0)
    assert axes.real["X"] == pytest.approx(1.3), "0.3 of the way back is slack"
    axes.go("X", 0.5)
    assert axes.real["X"] == pytest.approx(0.8)
    axes.go("X", 1.0)
    assert axes.real["X"] == pytest.approx(1.0), "and again as it turns"


@pytest.fixture
def served(tmp_path: Path) -> Iterator[tuple[SerialLine, Controller]]:
    ours, theirs = os.openpty()
    tty.setraw(ours)
    controller = Controller(ours, tmp_path / "triggers", faults={RigFault.LOST_STEP: 9})
    thread = threading.Thread(target=controller.serve, daemon=True)
    thread.start()
    with SerialLine(Path(os.ttyname(theirs))) as line:
        yield line, controller
    os.close(theirs)
    thread.join(timeout=3.0)


def said(line: SerialLine, text: str) -> str | None:
    line.send(text)
    return line.answer(5.0)


def test_lines_are_carried_out_and_nonsense_is_refused(served: tuple[SerialLine, Controller], tmp_path: Path) -> None:
    line, controller = served
    assert line.places() == {}
    for text in ("G21", "G90", "G92 X0", "G1 X0.2 F600", "G4 P0.01", "M8", "M9", "; a word"):
        assert said(line, text) == "ok", text
    assert line.places() == {"X": pytest.approx(0.2)}
    for text, why in (("G7", "not known"), ("hello there", "not understood"), ("G1 X1e9", "not understood"),
                      ("G1 X900 F60", "limit"), ("G1 X", "not understood")):  # fmt: skip
        answer = said(line, text)
        assert (answer or "").startswith("error"), text
        assert why in (answer or ""), text
    told = json.loads((tmp_path / "triggers").read_text().splitlines()[0])
    assert (told["told"], told["off"]) == ({"X": 0.2}, {"X": 0.0})
    assert 0.0 <= time.monotonic() - told["at"] < 60.0
    assert controller.battery < 1.0


def test_a_stop_is_heeded_at_once_with_a_full_line(served: tuple[SerialLine, Controller]) -> None:
    line, controller = served
    said(line, "G92 X0")
    line.send("G1 X100 F300")
    for _ in range(40):
        line.send("G1 X200 F300")
    time.sleep(0.3)
    begun = time.monotonic()
    line.stop()
    answers = []
    while (answer := line.answer(2.0)) is not None:
        answers.append((time.monotonic() - begun, answer))
        if "stopped on the way" in answer:
            break
    # A tenth where the machine has time for it; the line before it holds a minute of moves.
    assert answers[-1][0] < 1.0
    stood = controller.axes.told["X"]
    assert 0.0 < stood < 100.0
    time.sleep(0.1)
    assert controller.axes.told["X"] == stood, "what was still in the line is forgotten"
    assert "stopped" in (said(line, "G1 X5 F300") or "")
    line.go_on()
    assert np.isclose(line.places()["X"], stood, atol=1e-3)
    assert said(line, "G1 X5 F6000") == "ok"
