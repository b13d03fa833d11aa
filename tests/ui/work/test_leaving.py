"""Work in the background ends with the window's process, also where that is killed."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

SCRIPT = """
import sys, time
from PyQt6.QtCore import QCoreApplication, QObject
from verispect.ui.work.job import Job

if __name__ == "__main__":
    app = QCoreApplication([])
    owner = QObject()
    job = Job(owner, time.sleep, 120)
    while not job._hand.worker.processes():
        time.sleep(0.01)
    print(*(process.pid for process in job._hand.worker.processes()), flush=True)
    app.exec()
"""


def lives(pid: int) -> bool:
    try:
        return "zombie" not in Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return False


def test_a_killed_window_leaves_no_work_behind(tmp_path: Path) -> None:
    script = tmp_path / "window.py"
    script.write_text(SCRIPT, encoding="utf-8")
    window = subprocess.Popen([sys.executable, str(script)], stdout=subprocess.PIPE, text=True)
    assert window.stdout is not None
    [worker] = [int(pid) for pid in window.stdout.readline().split()]
    # It has begun its work once it has imported what it needs.
    time.sleep(2.0)
    assert lives(worker)
    window.kill()
    window.wait()
    window.stdout.close()
    until = time.monotonic() + 20.0
    while lives(worker) and time.monotonic() < until:
        time.sleep(0.05)
    assert not lives(worker)
