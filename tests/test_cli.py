"""The program as a process of its own: what it leaves behind, and what it says where nobody can take it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

EXAMPLE = Path(__file__).parents[1] / "examples" / "table-of-goods.verispect"
ENTERED = "import sys; from verispect.cli import entered; sys.exit(entered())"


def started(*arguments: str, out: int | None = subprocess.PIPE) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-c", ENTERED, *arguments]
    return subprocess.run(command, stdout=out, stderr=subprocess.PIPE, text=True, check=False, timeout=120)


def test_a_brief_command_ends_with_all_that_it_printed() -> None:
    done = started("weigh", str(EXAMPLE), "--json", "--no-follow-up")
    assert done.returncode == 0
    assert done.stderr == ""
    told = json.loads(done.stdout)
    assert told["format"] == "verispect-weighing"
    assert len(told["methods"]) == 8


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="the system has no device that is always full")
@pytest.mark.parametrize("command", ["weigh", "settings"])
def test_a_full_disk_is_one_sentence(command: str) -> None:
    with Path("/dev/full").open("w") as full:
        done = started(command, str(EXAMPLE), out=full.fileno())
    assert done.returncode == 2
    assert done.stderr == "verispect: no space left on device\n"


def test_a_reader_that_has_gone_is_no_fault() -> None:
    command = [sys.executable, "-c", ENTERED, "weigh", str(EXAMPLE), "--json", "--no-follow-up"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        assert process.stderr is not None
        process.stdout.close()
        assert process.stderr.read() == ""
        assert process.wait(timeout=120) == 0


def test_what_is_not_there_is_one_sentence() -> None:
    done = started("weigh", "nowhere.verispect")
    assert done.returncode == 2
    assert done.stdout == ""
    assert done.stderr == "verispect: nowhere.verispect: there is no such file\n"
