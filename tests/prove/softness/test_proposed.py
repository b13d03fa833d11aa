"""Places that a series proposes as marks: of a slanted wall whose image the thin lens draws block by block."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.plan.entry.found_distance import Proposed, with_proposed
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.prove.check import check
from verispect.prove.looked import Looked
from verispect.prove.softness.block_map import BlockMap
from verispect.prove.softness.proposed import proposed_places

FOCAL, EYE = 50.0, np.array([0.0, 1.5, 0.0])


@cache
def a_series() -> Candidate:
    places = [(0.0, 1.5, 1.2), (0.1, 1.5, 2.5), (0.0, 1.6, 5.0)]
    return worked("series", build_scene(make_plan(places, framing=FOCAL, lenses=[a_lens(FOCAL, f_numbers=[4, 8])])))


def wall(rows: int = 10, columns: int = 15, sigma_mm: float = 0.01) -> tuple[BlockMap, np.ndarray]:
    """1.5 m away at the picture's left to 4 m at its right; and how far each block's ray goes."""
    across, down = np.meshgrid(np.linspace(-0.34, 0.34, columns), np.linspace(0.22, -0.22, rows))
    directions = np.stack([across, down, np.ones_like(across)], axis=-1)
    # 1/z goes straight over the picture of a plane.
    depth = 1000.0 / (1.0 / 1.5 + (1.0 / 4.0 - 1.0 / 1.5) * (across + 0.34) / 0.68)
    image = 1.0 / (1.0 / FOCAL - 1.0 / depth)
    shape = across.shape
    blocks = BlockMap(
        (1500, 1000), np.linspace(50, 950, rows), np.linspace(50, 1450, columns), np.full(shape, 0.5),
        np.full(shape, 0.1), np.zeros(shape, int), image, np.full(shape, sigma_mm), np.zeros(shape, int), directions,
        np.eye(3),
    )  # fmt: skip
    return blocks, np.linalg.norm(directions, axis=-1) * depth / 1000.0


def test_places_lie_on_the_wall_from_its_nearest_to_its_farthest() -> None:
    blocks, away = wall()
    found = proposed_places(blocks, a_series(), 6)
    assert 4 <= len(found) <= 6
    for place in found:
        seen = np.array(place.place_m) - EYE
        assert np.linalg.norm(seen) == pytest.approx(place.distance_m, rel=1e-9)
        off = np.linalg.norm(blocks.directions - seen / seen[2], axis=-1)
        row, column = np.unravel_index(int(np.argmin(off)), off.shape)
        # Through the middle of a block.
        assert off[row, column] < 1e-9
        # Blocks that agree are taken together: those beside it lie a little nearer and farther.
        assert place.distance_m == pytest.approx(away[row, column], rel=0.05)
        assert place.plus_minus_m == pytest.approx(0.01 * (place.distance_m / FOCAL) ** 2 * 1000.0, rel=0.2)
    assert [one.distance_m for one in found] == sorted(one.distance_m for one in found)
    assert found[0].distance_m < 1.1 * away.min()
    assert found[-1].distance_m > 0.9 * away.max()
    assert len({one.place_m for one in found}) == len(found)


def test_a_camera_that_looked_and_stood_elsewhere_shows_what_is_there() -> None:
    """Turned 3° to the right, and 20 cm aside: the same pictures show the same distances along other rays."""
    blocks, _ = wall()
    turn = Rotation.from_euler("Y", 3.0, degrees=True).as_matrix()
    # Right and forward lean to the right; of a world direction the camera sees its parts along them.
    basis = np.eye(3) @ turn.T
    aside = replace(blocks, basis=basis, directions=blocks.directions @ basis)
    stood = np.array([0.2, 0.0, 0.0])
    looked = Looked(turn, stood, 3.0, 0.0, 0.0, 0.0, (), np.zeros((0, 3)))
    before, after = proposed_places(blocks, a_series(), 6), proposed_places(aside, a_series(), 6, looked)
    assert [one.distance_m for one in after] == pytest.approx([one.distance_m for one in before], rel=1e-9)
    for one, other in zip(before, after, strict=True):
        np.testing.assert_allclose(
            np.array(other.place_m) - EYE - stood, turn @ (np.array(one.place_m) - EYE), atol=1e-9
        )


def test_what_no_block_beside_it_bears_out_is_not_believed() -> None:
    blocks, away = wall()
    image = blocks.sharp_at_mm.copy()
    image[4, 7] = 60.0
    untold = replace(blocks, sharp_at_mm=image)
    assert all(one.distance_m > 0.9 * away.min() for one in proposed_places(untold, a_series(), 6))
    nothing = replace(blocks, sharp_at_mm=np.full_like(image, np.nan))
    assert proposed_places(nothing, a_series(), 6) == []
    assert proposed_places(blocks, a_series(), 0) == []
    assert len(proposed_places(blocks, a_series(), 1)) == 1


def test_no_mark_is_put_where_one_is() -> None:
    blocks, _ = wall()
    plan = a_series().scene.plan
    places = proposed_places(blocks, a_series(), 6)
    more, count = with_proposed(plan, places)
    assert count == len(places)
    assert with_proposed(more, places) == (more, 0)


def test_rehearsed_placards_are_proposed_where_they_stand(rehearsed, known, series: Candidate) -> None:
    """Each stands at a mark; with half of the marks gone from the plan theirs are put back."""
    found = proposed_places(check([rehearsed()], candidate=series, recall=known).blocks, series, 4)
    assert len(found) == 4
    eye = series.exposures[0].pose.pupil_m
    away = [float(np.linalg.norm(place - eye)) for place in series.scene.world_m[: series.scene.mark_count]]
    for place in found:
        assert min(abs(place.distance_m - one) for one in away) <= place.plus_minus_m
    plan = series.scene.plan
    assert with_proposed(plan, found)[1] == 0
    bare = plan.model_copy(update={"marks": plan.marks[:2]})
    more, count = with_proposed(bare, found)
    assert count == 4
    assert [mark.name for mark in more.marks[2:]] == [f"Place {number}" for number in range(1, 5)]


def test_the_command_asks_where_proposals_go_and_writes_them(
    rehearsed, series: Candidate, tmp_path, capsys, monkeypatch
) -> None:
    """The placards stand at the plan's marks: so that there is something to put, one place is told beside them."""
    plan, out = tmp_path / "a.verispect", tmp_path / "b.verispect"
    plan.write_text(plan_to_text(series.scene.plan))
    common = ["check", str(rehearsed()), "--plan", str(plan), "--method", "series", "--propose", "3"]
    assert main(common) == 2
    assert "--distances-out" in capsys.readouterr().err

    def told(blocks: BlockMap, candidate: Candidate, most: int, looked: Looked | None) -> list[Proposed]:
        assert (most, looked) == (3, None)
        return [*proposed_places(blocks, candidate, most, looked), Proposed((0.5, 1.2, 3.7), 3.74, 0.05)]

    monkeypatch.setattr("verispect.prove.softness.proposed.proposed_places", told)
    assert main([*common, "--distances-out", str(out), "--quiet"]) == 0
    before, after = series.scene.plan.marks, read_plan(out).marks
    (put,) = after[len(before) :]
    assert (put.name, put.x_m, put.z_m, put.plus_minus_m) == ("Place 1", 0.5, 3.7, 0.05)
