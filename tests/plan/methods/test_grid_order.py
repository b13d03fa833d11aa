"""The way through a grid: by hand on a small one, and for every path the same frames, none lost or taken twice."""

from __future__ import annotations

import itertools
import json

import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.files.plan_file import plan_to_text
from verispect.plan.document import GridPath, Plan
from verispect.plan.methods.grid_order import _visited
from verispect.plan.methods.registry import worked
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.head import head_setting

BY_HAND = {
    ("rows", "top left", False): "00 01 02 10 11 12",
    ("rows", "top left", True): "00 01 02 12 11 10",
    ("rows", "bottom right", False): "12 11 10 02 01 00",
    ("rows", "bottom right", True): "12 11 10 00 01 02",
    ("columns", "top left", False): "00 10 01 11 02 12",
    ("columns", "top right", True): "02 12 11 01 00 10",
    ("columns", "bottom left", False): "10 00 11 01 12 02",
}


@pytest.mark.parametrize("given", BY_HAND)
def test_two_rows_of_three_by_hand(given) -> None:
    by, start, back = given
    found = _visited((3, 3), GridPath(by=by, start=start, there_and_back=back))
    assert " ".join(f"{row}{column}" for row, column in found) == BY_HAND[given]


ALL = list(
    itertools.product(("rows", "columns"), ("top left", "top right", "bottom left", "bottom right"), (False, True))
)


@pytest.mark.parametrize("rows", [(1,), (4,), (2, 3, 2), (1, 2, 5), (3, 3, 3)])
def test_every_path_comes_to_every_place_once(rows) -> None:
    cells = {(row, column) for row, count in enumerate(rows) for column in range(count)}
    for by, start, back in ALL:
        found = _visited(rows, GridPath(by=by, start=start, there_and_back=back))
        assert len(found) == len(cells)
        assert set(found) == cells


def test_there_and_back_never_jumps_across() -> None:
    for by, start, _ in ALL:
        found = _visited((4, 4, 4), GridPath(by=by, start=start, there_and_back=True))
        steps = [abs(a[0] - b[0]) + abs(a[1] - b[1]) for a, b in itertools.pairwise(found)]
        assert max(steps) == 1


def plan_with(path: GridPath | None = None) -> Plan:
    places = [(-2.0, 2.5, 8.0), (2.0, 0.4, 3.0), (0.0, 1.5, 20.0)]
    plan = make_plan(places, framing=18.0, lenses=[a_lens(50.0)], print_mm=(1200, 800))
    return (
        plan
        if path is None
        else plan.model_copy(update={"choice": plan.choice.model_copy(update={"grid_path": path})})
    )


@pytest.mark.parametrize("key", ["turned-grid", "turned-grid-series", "shift-grid"])
def test_the_frames_are_the_same_in_another_order(key: str) -> None:
    lens = a_lens(28.0, image_circle_mm=120.0, shift_mm=40.0)
    plain = plan_with()
    if key == "shift-grid":
        plain = plain.model_copy(update={"kit": make_plan([(0, 1, 4)], lenses=[lens]).kit})
    path = GridPath(by="columns", start="bottom right", there_and_back=True)
    turned = plain.model_copy(update={"choice": plain.choice.model_copy(update={"grid_path": path})})
    first, other = (worked(key, build_scene(plan)) for plan in (plain, turned))
    assert first.fits
    assert len(first.cells) == first.frame_count > 2
    where = [
        [(tuple(e.pose.forward.round(9)), e.sensor_centre_mm, e.state.image_distance_mm) for e in found.exposures]
        for found in (first, other)
    ]
    assert where[0] != where[1]
    assert sorted(where[0]) == sorted(where[1])
    assert dict(zip(where[0], first.cells, strict=True)) == dict(zip(where[1], other.cells, strict=True))
    assert other.worst_softness == pytest.approx(first.worst_softness, rel=1e-12)
    # What is read off the grid itself does not hang on the order.
    heads = [head_setting(found) for found in (first, other) if found.method.turns]
    assert len({(head.covered, head.smallest_overlap) for head in heads if head}) <= 1
    assert dict.fromkeys(other.cells) == dict.fromkeys(_visited(other.grid_cells, path))


def test_settings_follow_the_path_and_name_it(tmp_path, capsys) -> None:
    plan = tmp_path / "a.verispect"
    plan.write_text(plan_to_text(plan_with(GridPath(by="rows", there_and_back=True))))
    assert main(["settings", str(plan), "--method", "turned-grid", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    cells = [tuple(frame["cell"]) for frame in told["frames"]]
    counts = [sum(cell[0] == row for cell in cells) for row in sorted({cell[0] for cell in cells})]
    assert cells == _visited(counts, GridPath(there_and_back=True))
    assert told["head"]["order"] == "row by row from the top left, there and back"
