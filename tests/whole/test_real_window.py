"""The program as a user starts it, in a real window under Xvfb, driven from outside by pointer and keys."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import DEMO, ROOT

pytestmark = [
    pytest.mark.skipif(
        not (shutil.which("Xvfb") and shutil.which("xdotool")),
        reason="needs Xvfb and xdotool, which make test installs",
    ),
    # One display after another: two servers that start at once may reach for the same number.
    pytest.mark.xdist_group("display"),
]


class Hand:
    """Pointer and keys of an X display."""

    def __init__(self, environment: dict[str, str], home: Path) -> None:
        self.environment, self.home = environment, home

    def __call__(self, *words: object) -> str:
        done = subprocess.run(
            ["xdotool", *map(str, words)],
            env=self.environment,
            capture_output=True,
            text=True,
            check=False,
            timeout=30,
        )
        return done.stdout.strip()

    def click(self, x: int, y: int) -> None:
        self("mousemove", x, y, "sleep", 0.1, "click", 1, "sleep", 0.2)

    def drag(self, start: tuple[int, int], end: tuple[int, int]) -> None:
        self("mousemove", *start, "sleep", 0.1, "mousedown", 1, "sleep", 0.1)
        for k in range(1, 6):
            x, y = (round(a + (b - a) * k / 5) for a, b in zip(start, end, strict=True))
            self("mousemove", x, y, "sleep", 0.05)
        self("mouseup", 1, "sleep", 0.2)

    def until(self, ready: Callable[[], bool], seconds: float = 25.0) -> None:
        limit = time.monotonic() + seconds
        while not ready():
            assert time.monotonic() < limit, "waited in vain"
            time.sleep(0.1)


@pytest.fixture
def hand(tmp_path: Path) -> Iterator[Hand]:
    """A virtual display with nothing on it."""
    reading, writing = os.pipe()
    # Without -noreset the server begins anew whenever its last client leaves, and loses whoever comes just then.
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(writing), "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-noreset"],
        pass_fds=[writing],
        stderr=subprocess.DEVNULL,
    )
    os.close(writing)
    with os.fdopen(reading) as stream:
        display = stream.readline().strip()
    clean = {key: value for key, value in os.environ.items() if key not in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY")}
    home = {
        "XDG_CONFIG_HOME": str(tmp_path / "config"),
        "XDG_STATE_HOME": str(tmp_path / "state"),
        "HOME": str(tmp_path),
    }
    yield Hand(clean | home | {"DISPLAY": f":{display}"}, tmp_path)
    server.terminate()
    server.wait(timeout=10)


def started(hand: Hand, *arguments: str) -> subprocess.Popen[bytes]:
    log = (hand.home / "stderr.txt").open("wb")
    process = subprocess.Popen(
        [sys.executable, "-m", "verispect.cli", *arguments],
        env=hand.environment,
        stderr=log,
    )
    log.close()
    hand.until(lambda: bool(hand("search", "--onlyvisible", "--name", "Verispect")) or process.poll() is not None)
    assert process.poll() is None, (hand.home / "stderr.txt").read_text()
    hand("search", "--onlyvisible", "--name", "Verispect", "windowfocus", "sleep", 3)
    return process


def test_a_plan_is_changed_saved_and_left_by_pointer_and_keys_alone(hand: Hand) -> None:
    path = hand.home / "job.verispect"
    shutil.copy(DEMO, path)
    process = started(hand, str(path))
    try:
        before = json.loads(path.read_text())
        hand.click(400, 750)  # the focus series in the strip
        hand("key", "ctrl+1", "sleep", 0.3)
        hand.click(418, 97)  # the first mark's distance
        hand("key", "F2", "sleep", 0.6, "key", "ctrl+a", "sleep", 0.2, "type", "9 ft 2 in")
        hand("key", "Return", "sleep", 0.4, "key", "ctrl+s", "sleep", 0.5)
        hand.until(lambda: json.loads(path.read_text()) != before)
        after = json.loads(path.read_text())
        assert after["choice"]["method"] == "series"
        assert after["marks"][0]["z_m"] == pytest.approx(2.794)
        assert after["marks"][1]["z_m"] == before["marks"][1]["z_m"]
        # Two steps back and saved again, it is the plan it was.
        hand("key", "ctrl+z", "sleep", 0.2, "key", "ctrl+z", "sleep", 0.2, "key", "ctrl+s", "sleep", 0.5)
        hand.until(lambda: json.loads(path.read_text())["choice"]["method"] is None)
        assert json.loads(path.read_text())["marks"][0]["z_m"] == before["marks"][0]["z_m"]
        hand("key", "ctrl+q")
        hand.until(lambda: process.poll() is not None)
        assert process.returncode == 0
        assert "Traceback" not in (hand.home / "stderr.txt").read_text()
    finally:
        process.kill()
        process.wait()


def test_a_killed_program_leaves_its_work_to_be_brought_back(hand: Hand) -> None:
    process = started(hand, "--demo")
    recovery = hand.home / "state" / "verispect" / "recovery"

    def moved() -> bool:
        hand.drag((1180, 81), (1123, 119))  # the tower's mark in the elevation, once it is drawn
        for _ in range(12):
            hand("sleep", 0.5)  # work is kept at the latest after five seconds
            if recovery.is_dir() and any(recovery.iterdir()):
                return True
        return False

    hand.until(moved)
    process.kill()
    process.wait()
    [copy] = recovery.iterdir()
    tower = json.loads(json.loads(copy.read_text())["plan"])["marks"][5]
    assert tower["z_m"] < 24.0
    assert tower["y_m"] < 9.8
    again = started(hand)
    try:

        def brought_back() -> bool:
            hand.click(1085, 42)  # "Bring it back" in the bar above the board, once it is there
            return not copy.exists()

        hand.until(brought_back)
    finally:
        again.kill()
        again.wait()


@pytest.mark.skipif(not shutil.which("xvfb-run"), reason="needs xvfb-run, which make test installs")
def test_demo_without_a_display_says_so_and_opens(tmp_path: Path) -> None:
    gone = ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY", "DISPLAY")
    clean = {key: value for key, value in os.environ.items() if key not in gone}
    clean |= {"XDG_CONFIG_HOME": str(tmp_path), "XDG_STATE_HOME": str(tmp_path), "HOME": str(tmp_path)}
    out = tmp_path / "out.txt"
    with out.open("wb") as stream:
        process = subprocess.Popen(
            [str(ROOT / "tools" / "demo.sh")], env=clean, stdout=stream, stderr=stream, start_new_session=True
        )
    try:
        limit = time.monotonic() + 30
        # The window writes its settings when it is up.
        while not (tmp_path / "verispect" / "settings.ini").exists():
            assert process.poll() is None, out.read_text()
            assert time.monotonic() < limit
            time.sleep(0.2)
        assert "No display found" in out.read_text()
        assert "Traceback" not in out.read_text()
    finally:
        os.killpg(process.pid, signal.SIGTERM)
        process.wait(timeout=20)
