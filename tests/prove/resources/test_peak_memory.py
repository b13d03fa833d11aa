"""What a piece of work held at most."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np

from verispect.prove.resources.peak_memory import Held, begin_peak, peak_mb


def test_the_peak_is_that_of_the_work_since_it_began() -> None:
    """Ones written over 160 MB of 1024² bytes and let go: told once, and no more after a new beginning."""
    begin_peak()
    before = peak_mb()
    np.ones(160 * 2**20, np.uint8)
    after = peak_mb()
    assert 150 < after - before < 200
    begin_peak()
    assert peak_mb() < before + 60


def test_what_is_held_counts_other_processes_and_no_mapped_pages(tmp_path: Path) -> None:
    held = Held()
    before = held.most_mb
    mapped = np.memmap(tmp_path / "mapped", np.uint8, "w+", shape=160 * 2**20)
    mapped[:] = 1
    held.look()
    assert held.most_mb < before + 40
    words = "import sys; held = b'1' * (120 * 2**20); print(flush=True); sys.stdin.read()"
    with subprocess.Popen([sys.executable, "-c", words], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as other:
        assert other.stdout is not None
        other.stdout.readline()
        held.look()
        other.communicate(b"")
    assert 110 < held.most_mb - before < 220
