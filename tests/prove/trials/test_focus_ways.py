"""Ways of focusing, held against one another on frames of one scene."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.plan_file import plan_to_text
from verispect.plan.document import Plan
from verispect.prove.trials.focus_ways import Way, Ways, tried, verdict, way_words, ways_of
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rig.rehearsed_run import Writing, rehearse_to


@pytest.fixture(scope="module")
def plan() -> Plan:
    """Three marks in depth, at f/4, on so small a print that blur is told at the size of these frames."""
    lens = a_lens(85.0, f_numbers=[4, 4], tilt_deg=0, closest_m=0.5)
    return make_plan([(-0.3, 1.35, 3.0), (0.2, 1.6, 3.7), (0.3, 1.4, 5.0)], framing=85.0, lenses=[lens],
                     line_pairs_per_mm=0.6)  # fmt: skip


@pytest.fixture(scope="module")
def ways(plan: Plan) -> Ways:
    return ways_of(plan)


@pytest.fixture(scope="module")
def frames(ways: Ways, tmp_path_factory) -> list[Path]:
    folder = tmp_path_factory.mktemp("ways") / "set"
    run = rehearse_to(ways.candidate, Options(pixels=(1200, 800)), Writing(folder))
    return [folder / taken.file for taken in run.frames]


def test_what_is_to_be_taken(ways: Ways) -> None:
    away = [exposure.focus_m for exposure in ways.candidate.exposures]
    assert away == sorted(away)
    assert len(away) == len(ways.names) >= 3
    assert {exposure.state.f_number for exposure in ways.candidate.exposures} == {4.0}
    # The farthest must stands 5 m away, and all that says infinity is one.
    assert any(metres == pytest.approx(5.0, rel=0.05) for metres in away)
    assert sum("infinity" in str(name) for name in ways.names) == 1
    # Both ends of the depth are as soft with the focus at 2 u₁u₂ / (u₁ + u₂).
    equal = next(k for k, name in enumerate(ways.names) if "equal blur" in str(name))
    assert away[equal] == pytest.approx(2.0 * 3.0 * 5.0 / 8.0, rel=0.03)


def test_each_way_is_as_soft_as_the_lens_makes_it(ways: Ways, frames: list[Path]) -> None:
    found = tried(frames, ways)
    assert [way.file for way in found] == [path.name for path in frames]
    for way in found:
        assert not way.untold
        assert way.worst == pytest.approx(way.planned, rel=0.15, abs=0.15)
    # The thin lens by hand: the blur of what is at u with the focus at s
    # goes with |1/s − 1/u|, on every frame alike.
    depth = {"m0": 3.0, "m1": 3.7, "m2": 5.0}
    names = sorted(found[0].softness)
    by_hand = np.array([[abs(1.0 / way.focus_m - 1.0 / depth[name]) for name in names] for way in found])
    measured = np.array([[way.softness[name] for name in names] for way in found])
    defocused = by_hand > 0.1
    ratios = measured[defocused] / by_hand[defocused]
    assert ratios.std() < 0.1 * ratios.mean()
    # And the best way is the one whose farthest mark off, by hand, is nearest.
    told = str(verdict(found))
    best = int(np.argmin(by_hand.max(axis=1)))
    assert str(ways.names[best]) in told
    assert told.startswith("Best: " + str(ways.names[best]))


def test_a_focus_that_was_set_wrong_counts_as_it_came_out(ways: Ways, frames: list[Path], tmp_path: Path) -> None:
    number = next(k for k, name in enumerate(ways.names) if "the optimum" in str(name))
    fault = parse_fault(f"refocus@{number}:2.5", frames=len(ways.names))
    run = rehearse_to(ways.candidate, Options(pixels=(1200, 800)), Writing(tmp_path / "set"), faults=[fault])
    found = tried([tmp_path / "set" / taken.file for taken in run.frames], ways)
    good = tried(frames, ways)[number]
    assert found[number].focus_m != pytest.approx(good.focus_m, rel=0.02)
    # Both ends were about as soft: whichever way it went, one is softer by what it went.
    assert found[number].worst == pytest.approx(good.worst + 2.5, abs=0.4)
    assert found[number].planned == good.planned


def test_the_command_tells_what_to_take_and_what_came_out(
    plan: Plan, ways: Ways, frames: list[Path], tmp_path: Path, capsys
) -> None:
    kept = tmp_path / "plan.verispect"
    kept.write_text(plan_to_text(plan))
    assert main(["compare", "--ways", "--plan", str(kept)]) == 0
    told = capsys.readouterr().out
    assert "at f/4, in this order" in told
    assert all(str(name) in told for name in ways.names)
    assert main(["compare", "--ways", "--plan", str(kept), "--json"]) == 0
    asked = json.loads(capsys.readouterr().out)
    assert [way["name"] for way in asked["take"]] == [str(name) for name in ways.names]
    assert asked["take"][-1]["focus_m"] is None
    assert asked["ways"] == []
    assert asked["verdict"] is None
    assert main(["compare", *map(str, frames), "--ways", "--plan", str(kept), "--json", "--quiet"]) == 0
    report = json.loads(capsys.readouterr().out)
    assert report["format"] == "verispect-focus-ways"
    assert len(report["ways"]) == len(frames)
    assert all(math.isfinite(way["worst"]) for way in report["ways"])
    assert report["verdict"].startswith("Best: ")


def test_what_no_way_renders_prefers_none(plan: Plan) -> None:
    ways = ways_of(plan)
    way = Way(ways.names[0], "a.tif", 3.0, {"m0": 0.4}, ("m1",), ("m2",), "m1", 1.2, 1.2)
    assert "m1 1.20 times the allowed blur by the plan, not told" in str(way_words(way))
    other = replace(way, name=ways.names[1], worst_mark="m0", worst=math.inf, planned=math.inf)
    told = str(verdict([way, other]))
    assert told.startswith(f"Best: {ways.names[0]}. Its softest must, m1, comes to 1.20")
    assert "(no way renders m2)" in told
    assert "leaves m0 at ∞" in told
    assert "As good as one another" in str(verdict([way, replace(way, name=ways.names[1], worst=1.25)]))
    assert "cannot be told" in str(verdict([replace(way, softness={})]))


def test_what_cannot_be_tried_is_refused(ways: Ways, frames: list[Path], capsys) -> None:
    assert main(["compare", *map(str, frames), "--ways"]) != 0
    assert "--ways needs --plan" in capsys.readouterr().err
    assert main(["compare"]) != 0
    assert "two or more" in capsys.readouterr().err
    with pytest.raises(FileError, match=f"{len(frames) - 1} of the {len(frames)} frames of the trial"):
        tried(frames[:-1], ways)
    flat = make_plan([(-0.3, 1.25, 5.0), (0.2, 1.6, 5.0), (0.5, 1.4, 5.01)], lenses=[a_lens(24.0)],
                     line_pairs_per_mm=0.02)  # fmt: skip
    with pytest.raises(FileError, match="come to the same"):
        ways_of(flat)
