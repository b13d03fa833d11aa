"""Surfaces by the blocks that lie on them: planes whose blur is known, with something before them and frames gone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.prove.softness.test_proposed import EYE, a_series, wall
from verispect.plan.methods.candidate import Candidate
from verispect.prove.report import surface_words
from verispect.prove.softness.block_map import BlockMap
from verispect.prove.softness.on_surfaces import SurfaceSoftness, surfaces_told
from verispect.prove.verdict import redo
from verispect.subject.surface import Surface


def on(candidate: Candidate, *surfaces: Surface) -> Candidate:
    """The method of the plan with surfaces; nothing else of it changes."""
    plan = candidate.scene.plan.model_copy(update={"surfaces": surfaces})
    return replace(candidate, scene=replace(candidate.scene, plan=plan))


def the_wall(**more) -> Surface:
    """As the blocks show it: from 1.5 m at the left to 4 m at the right, three metres high."""
    left, right = np.array([-0.51, 1.5]), np.array([1.36, 4.0])
    across = right - left
    x, z = 0.5 * (left + right)
    bearing = float(np.degrees(np.arctan2(-across[1], across[0])))
    return Surface(name="Wall", kind="wall", x_m=x, z_m=z, bearing_deg=bearing, slope_deg=90.0,
                   width_m=float(np.hypot(*across)) * 1.05, length_m=3.0, **more)  # fmt: skip


def told(blocks: BlockMap, *surfaces: Surface) -> list[SurfaceSoftness]:
    candidate = on(a_series(), *surfaces)
    return surfaces_told(blocks, candidate, candidate.exposures)


def test_a_wall_is_told_by_every_block_that_lies_on_it() -> None:
    blocks, away = wall()
    (found,) = told(blocks, the_wall())
    assert (found.told, found.soft, found.verdict) == (blocks.softness.size, 0, "sharp")
    assert found.softness == 0.5
    assert found.planned is not None
    softer = replace(blocks, softness=np.where(away > 3.5, 1.4, 0.5))
    (found,) = told(softer, the_wall())
    assert found.soft == int((away > 3.5).sum())
    assert found.verdict == "soft"
    assert found.away_m == pytest.approx(away[away > 3.5].min(), rel=0.2)
    assert "1.40 ± 0.10" in str(surface_words(found))
    # One block alone may be chance.
    one = blocks.softness.copy()
    one[3, 7] = 1.6
    assert told(replace(blocks, softness=one), the_wall())[0].verdict == "sharp"


def test_what_stands_before_it_or_was_planned_elsewhere_is_none_of_it() -> None:
    blocks, away = wall()
    near = np.zeros_like(away, bool)
    near[:, :6] = True
    depth = 1000.0 * away / np.linalg.norm(blocks.directions, axis=-1)
    hidden = replace(blocks, sharp_at_mm=np.where(near, 1.0 / (1.0 / 50.0 - 1.0 / (0.7 * depth)), blocks.sharp_at_mm))
    (found,) = told(hidden, the_wall())
    assert found.told == int((~near).sum())
    nearer = the_wall().model_copy(update={"name": "Screen", "z_m": the_wall().z_m - 0.6})
    screen, behind = told(blocks, nearer, the_wall())
    assert (screen.told, screen.verdict, screen.softness) == (0, "cannot-say", None)
    assert behind.told < blocks.softness.size
    assert str(surface_words(screen)) == "nothing of it can be told"


def test_what_must_be_sharp_and_is_not_is_to_be_done_again() -> None:
    blocks, away = wall()
    soft = replace(blocks, softness=np.where(away < 2.0, 1.7, 0.4))
    musts, shoulds = told(soft, the_wall()), told(soft, the_wall(need="should"))
    assert not shoulds[0].is_missed
    found = replace(musts[0], planned=0.7)
    assert found.is_missed
    assert redo([], surfaces=[found])[0].startswith("Wall: ")
    # Where it was planned soft nobody failed.
    assert redo([], surfaces=[replace(found, planned=1.5)]) == []
    assert redo([], gaps=[{"between": [0, 1], "remedy": "one more frame"}], surfaces=[found]) == [
        "between 1 and 2: one more frame"
    ]


def test_a_camera_that_stood_elsewhere_sees_it_from_there() -> None:
    blocks, _ = wall()
    candidate = on(a_series(), the_wall())
    looked = type("Stood", (), {"stood_m": np.array([0.0, 0.0, -1.5])})()
    assert surfaces_told(blocks, candidate, candidate.exposures, looked)[0].told == 0
    assert EYE[1] == pytest.approx(candidate.exposures[0].pose.pupil_m[1])
