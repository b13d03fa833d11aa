"""A driven run whose process is killed: what was taken stays, and the next one goes on with the rest."""

from __future__ import annotations

import io
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.plan_file import read_plan
from verispect.files.run_file import read_run
from verispect.kit.equipment import Head
from verispect.plan.document import BodyBracket
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.rig.drive import RigStopError
from verispect.shoot.driven_run import DrivenRun

DEMO = Path(__file__).parents[2] / "src" / "verispect" / "ui" / "demo" / "demo.verispect"


def command(out: Path) -> list[str]:
    return [sys.executable, "-m", "verispect.cli", "run", str(DEMO), "--method", "turned-grid", "--simulated",
            "--pixels", "150x100", "--out", str(out), "--json"]  # fmt: skip


def taken(out: Path) -> list[str]:
    file = out / "run.json"
    return [str(frame.file) for frame in read_run(file).frames if frame.file] if file.exists() else []


def _lives(pid: int) -> bool:
    try:
        return "zombie" not in Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return False


def test_killed_half_way_it_goes_on(tmp_path: Path) -> None:
    first = subprocess.Popen(command(tmp_path), stdout=subprocess.DEVNULL)
    until = time.monotonic() + 60.0
    while not taken(tmp_path) and time.monotonic() < until:
        time.sleep(0.02)
    rig = [int(pid) for pid in Path(f"/proc/{first.pid}/task/{first.pid}/children").read_text().split()]
    assert len(rig) >= 2
    first.send_signal(signal.SIGKILL)
    first.wait()
    # The simulated rig does not outlive whoever started it.
    until = time.monotonic() + 20.0
    while any(_lives(pid) for pid in rig) and time.monotonic() < until:
        time.sleep(0.05)
    assert not [pid for pid in rig if _lives(pid)]
    kept = taken(tmp_path)
    assert kept
    grid = worked("turned-grid", build_scene(read_plan(DEMO)))
    again = DrivenRun(grid, tmp_path)
    assert again.todo == list(range(len(kept), grid.frame_count))
    assert [item.file for item in again.state.items if item.file] == kept


def test_what_cannot_be_driven_is_said_and_nothing_moves(tmp_path: Path, capsys, monkeypatch) -> None:
    monkeypatch.setattr("sys.stdin", io.StringIO(""))
    asked = ["run", str(DEMO), "--method", "turned-grid", "--port", "/dev/null", "--out", str(tmp_path)]
    assert main(asked) == 2
    assert "nothing was moved" in capsys.readouterr().err
    assert main([*asked, "--axis-free"]) == 1
    assert "no serial line" in capsys.readouterr().err
    assert main([*asked[:3], "series", *asked[4:], "--axis-free"]) == 2
    assert "moves neither a rail nor a head" in capsys.readouterr().err
    assert taken(tmp_path) == []


def test_a_bracket_that_was_broken_off_is_taken_whole_once_more(tmp_path: Path) -> None:
    lens = a_lens(85.0, f_numbers=[5.6, 5.6], tilt_deg=0) | {"focus_step": {"per_step_of_depth": 0.4}}
    plan = make_plan([(-1.6, 1.5, 4.0), (-2.4, 1.6, 6.5), (1.6, 1.4, 4.0)], framing=50.0, lenses=[lens])
    kit = plan.kit.model_copy(update={"head": Head()})
    choice = plan.choice.model_copy(update={"bracket": BodyBracket()})
    found = worked("turned-grid-series", build_scene(plan.model_copy(update={"kit": kit, "choice": choice})))
    each = found.bracket.count
    assert found.frame_count >= 2 * each >= 4
    driven = DrivenRun(found, tmp_path)
    with pytest.raises(RigStopError):
        driven.go(None, pixels=(60, 40), is_stopped=lambda: len(taken(tmp_path)) == each + 1)
    assert len(driven.todo) == found.frame_count - each - 1
    first = [item.file for item in driven.state.items]
    again = DrivenRun(found, tmp_path)
    again.go(None, pixels=(60, 40), is_stopped=lambda: False)
    assert again.todo == []
    # What was whole stays; the bracket that was not is the second one's.
    assert [item.file for item in again.state.items][:each] == first[:each]
    assert again.state.items[each].file != first[each]
    assert again.state.items[each].times_taken == 2
