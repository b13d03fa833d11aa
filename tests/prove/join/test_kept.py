"""What was measured comes back to the last digit, and never for other frames."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from tests.prove.join.spheres import turn
from verispect.prove.checks.parallax import Slide
from verispect.prove.expected import View
from verispect.prove.join.canvas import canvas_for
from verispect.prove.join.ghosts import Ghost
from verispect.prove.join.kept import canvas_as_json, canvas_from_json, read_measured, write_measured
from verispect.prove.join.pointing import Pair


def test_it_comes_back_and_never_for_others(tmp_path: Path) -> None:
    path = tmp_path / "measured.json"
    views = [View(turn(b / 3, 7), 1234.567, (10.1, 20.2), 0.0123) for b in (1, 50)]
    pairs = [Pair(0, 1, 0.3, 0.91, np.array([1e-4, -2e-3, 3e-5]), math.nan, 1e-4, np.diag([1.0, 0.9, 0.1]))]
    ghosts = [Ghost(np.array([[0.1, 0.2, 0.97], [0.1, 0.21, 0.97], [0.11, 0.2, 0.97]]), 1, (0,), passed=True)]
    write_measured(path, "these", (views, pairs, np.array([0.1, -0.1]), ghosts, Slide(12.5, 1.25, 3.0), [1]))
    found = read_measured(path, "these")
    assert found is not None
    for own, other in zip(views, found[0], strict=True):
        assert np.array_equal(own.rotation, other.rotation)
        assert own.centre_px == other.centre_px
        assert own.bend == other.bend == 0.0123
    assert np.array_equal(found[3][0].outline, ghosts[0].outline)
    assert (found[3][0].shown_by, found[3][0].out, found[3][0].passed) == (1, (0,), True)
    assert np.array_equal(found[1][0].turn, pairs[0].turn)
    assert np.array_equal(found[1][0].held, pairs[0].held)
    assert math.isnan(found[1][0].residual_px)
    assert found[2].tolist() == [0.1, -0.1]
    assert found[4] == Slide(12.5, 1.25, 3.0)
    assert found[5] == [1]
    assert read_measured(path, "others") is None
    path.write_text("{half", encoding="utf-8")
    assert read_measured(path, "these") is None
    canvas = canvas_for(views, (300, 200), None, None)
    again = canvas_from_json(canvas_as_json(canvas))
    assert np.array_equal(again.basis, canvas.basis)
    assert (again.size, again.corner, again.projection) == (canvas.size, canvas.corner, canvas.projection)
