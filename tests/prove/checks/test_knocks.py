"""What is said of a pushed camera, and how far a few things may feign one."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from verispect.prove.align.motion import Motion
from verispect.prove.checks.knocks import astray_px, knock_words


@pytest.mark.parametrize(("leans", "most"), [(0.0, 0.0), (0.05, 0.0), (0.1, 0.25), (0.3, 1.25)])
def test_what_full_pictures_hang_on_their_parts_by_excuses_nothing(leans: float, most: float) -> None:
    evidence = SimpleNamespace(
        motion=lambda k, before, planned: Motion(planned, 0.9, 0.1), leans_px=lambda k, before, matrix: leans
    )
    assert astray_px(evidence, 2, 1, np.eye(3)) == pytest.approx(most)


def test_it_is_said_what_to_take_again() -> None:
    frames = [SimpleNamespace(path=Path(f"{k}.tif")) for k in range(6)]
    used = list(range(6))
    assert knock_words("1.0 px down", used, (2, 3), frames) == (
        "the camera moved: 1.0 px down",
        "take this frame again",
    )
    said, remedy = knock_words("1.0 px down", used, (2, 4), frames)
    assert said.startswith("the camera stands elsewhere from 2.tif on")
    assert remedy.startswith("take 2.tif to 3.tif again")
    _, remedy = knock_words("1.0 px down", used, (2, 6), frames)
    assert "before 2.tif again from where it stands now" in remedy
