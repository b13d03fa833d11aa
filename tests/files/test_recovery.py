from __future__ import annotations

import csv
import io
import json
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import DEMO, EXAMPLES, make_plan
from verispect.cli import main
from verispect.files.frames_csv import frames_to_csv
from verispect.files.plan_file import plan_to_text
from verispect.files.recovery import RecoveryStore
from verispect.plan.advise.weigh import weigh
from verispect.plan.document import Plan


def ended_process() -> int:
    """The number of a process that is surely gone."""
    process = subprocess.Popen([sys.executable, "-c", ""])
    process.wait()
    return process.pid


def leave_copy(folder: Path, name: str, *, pid: int, text: str | None = None, origin: str | None = None) -> None:
    folder.mkdir(exist_ok=True)
    content = {"pid": pid, "origin": origin, "plan": text or plan_to_text(make_plan([(0, 1, 2)]))}
    (folder / f"{name}.recovery.json").write_text(json.dumps(content))


def test_work_of_a_process_that_is_gone_is_found(tmp_path: Path) -> None:
    folder = tmp_path / "recovery"
    leave_copy(folder, "a", pid=ended_process(), origin="somewhere.verispect")
    found = RecoveryStore(folder).left_behind()
    assert len(found) == 1
    assert found[0].plan.marks[0].z_m == 2
    assert found[0].origin == Path("somewhere.verispect")


def test_work_of_a_running_process_is_left_alone(tmp_path: Path) -> None:
    import os

    leave_copy(tmp_path, "mine", pid=os.getpid())
    assert RecoveryStore(tmp_path).left_behind() == []


def test_own_copy_is_kept_and_forgotten(tmp_path: Path) -> None:
    store = RecoveryStore(tmp_path / "new")
    store.keep(make_plan([(0, 1, 2)]), None)
    assert len(list((tmp_path / "new").iterdir())) == 1
    store.forget()
    store.forget()
    assert list((tmp_path / "new").iterdir()) == []


def test_broken_copies_are_passed_over_and_not_removed(tmp_path: Path) -> None:
    (tmp_path / "x.recovery.json").write_text("{")
    leave_copy(tmp_path, "y", pid=ended_process(), text="no plan")
    assert RecoveryStore(tmp_path).left_behind() == []
    assert len(list(tmp_path.iterdir())) == 2


def test_no_folder_means_nothing_left(tmp_path: Path) -> None:
    assert RecoveryStore(tmp_path / "none").left_behind() == []


def test_frame_list_reads_back_with_units_in_its_header() -> None:
    candidate = weigh(make_plan([(0, 1.5, 1.2), (0, 1.5, 30)])).by_key("series")
    rows = list(csv.DictReader(io.StringIO(frames_to_csv(candidate))))
    assert len(rows) == candidate.frame_count
    first = candidate.exposures[0]
    assert float(rows[0]["focus from sensor [m]"]) == pytest.approx(first.focus_m, rel=1e-5)
    assert float(rows[0]["f-number"]) == pytest.approx(first.state.f_number, rel=1e-5)
    assert float(rows[0]["tilt [deg]"]) == 0.0
    assert [row["frame"] for row in rows] == [str(k + 1) for k in range(len(rows))]


# The command line -----------------------------------------------------------------------------------------


def test_weigh_prints_json(capsys) -> None:
    assert main(["weigh", str(DEMO), "--json"]) == 0
    printed = json.loads(capsys.readouterr().out)
    assert printed["advised"] == "tilt"


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_weigh_prints_a_table(path: Path, capsys) -> None:
    assert main(["weigh", str(path)]) == 0
    out = capsys.readouterr().out
    assert out.splitlines()[0].startswith("method")
    assert "Turned grid" in out


def test_bad_input_ends_with_2_and_one_sentence(tmp_path: Path, capsys) -> None:
    cut = tmp_path / "cut.verispect"
    cut.write_text(DEMO.read_text()[:300])
    empty = tmp_path / "empty.verispect"
    empty.write_text(plan_to_text(make_plan([(0, 1, 2)]).model_copy(update={"marks": ()})))
    newer = tmp_path / "newer.verispect"
    newer.write_text(DEMO.read_text().replace('"version": 1', '"version": 2'))
    for path in (cut, empty, newer, tmp_path / "gone.verispect"):
        assert main(["weigh", str(path), "--json"]) == 2
        captured = capsys.readouterr()
        assert captured.out == ""
        assert captured.err.startswith(f"verispect: {path}")
        assert captured.err.count("\n") == 1


def test_command_runs_without_qt_being_imported() -> None:
    code = (
        "import sys; from verispect.cli import main; main(['weigh', sys.argv[1]]);"
        "assert not [name for name in sys.modules if name.startswith(('PyQt6', 'pyqtgraph'))]"
    )
    done = subprocess.run([sys.executable, "-c", code, str(DEMO)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_a_process_number_that_came_round_again_does_not_hide_lost_work(tmp_path: Path) -> None:
    store = RecoveryStore(tmp_path)
    store.keep(Plan(title="lost"), None)
    [copy] = tmp_path.iterdir()
    content = json.loads(copy.read_text())
    # The number is this very process's, which began at another time.
    content["born"] = "another-start 12345"
    copy.rename(tmp_path / "1-old.recovery.json")
    (tmp_path / "1-old.recovery.json").write_text(json.dumps(content))
    [found] = RecoveryStore(tmp_path).left_behind()
    assert found.plan.title == "lost"
