"""What a piece of work held at most."""

from __future__ import annotations

import numpy as np

from verispect.prove.resources.peak_memory import begin_peak, peak_mb


def test_the_peak_is_that_of_the_work_since_it_began() -> None:
    """Ones written over 160 MB of 1024² bytes and let go: told once, and no more after a new beginning."""
    begin_peak()
    before = peak_mb()
    np.ones(160 * 2**20, np.uint8)
    after = peak_mb()
    assert 150 < after - before < 200
    begin_peak()
    assert peak_mb() < before + 60
