"""Device programs: what they move to against the frames, and that a plan's text is never a command."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import pytest

from verispect.plan.document import ShotsEach
from verispect.plan.methods.candidate import Candidate
from verispect.plan.methods.registry import worked
from verispect.rig.device_program import RigError, device_program, gcode, moves_to


def moves(text: str) -> list[dict[str, float]]:
    """The G1 lines, read by a grammar of the test's own."""
    lines = [line.split(";")[0].split() for line in text.splitlines()]
    return [
        {word[0]: float(word[1:]) for word in words[1:] if word[0] in "XAB"}
        for words in lines
        if words and words[0] == "G1"
    ]


def test_the_head_looks_where_the_frames_look_and_comes_from_below(grid: Candidate) -> None:
    program = device_program(grid)
    for stop, exposure in zip(program.stops, grid.exposures, strict=True):
        a, b = (math.radians(value) for value in stop.places)
        looks = (math.sin(a) * math.cos(b), math.sin(b), math.cos(a) * math.cos(b))
        assert looks == pytest.approx(tuple(exposure.pose.forward), abs=2e-6)
    assert program.slack == 0.5
    first = moves_to(program, program.stops[0].places, None)
    assert len(first) == 2, "the first place is come to from below too"
    up = moves_to(program, (2.0, 2.0), (1.0, 1.0))
    assert up == ["G1 A2.0000 B2.0000 F360"]
    down = moves_to(program, (2.0, 1.0), (1.0, 3.0))
    assert down == ["G1 A1.5000 B0.5000 F360", "G1 A2.0000 B1.0000 F360"]


def test_every_frame_is_moved_to_settled_triggered_and_waited_for(rail: Candidate) -> None:
    program, text = device_program(rail), gcode(device_program(rail))
    assert text.count("M8\n") == text.count("M9\n") == rail.frame_count >= 3
    assert text.count(f"G4 P{rail.scene.plan.kit.times.settle_s:.3f}") == rail.frame_count
    places = [move["X"] for move in moves(text)]
    for stop in program.stops:
        assert round(stop.places[0], 4) in places
    # Steps of the rail against the pupil's own places.
    ahead = [
        1000.0 * float((e.pose.pupil_m - rail.exposures[0].pose.pupil_m) @ e.pose.forward) for e in rail.exposures
    ]
    assert [stop.places[0] for stop in program.stops] == pytest.approx(ahead, abs=1e-4)
    assert text.splitlines()[-1] == "M2"
    assert "G21" in text
    assert "G90" in text


def test_no_word_of_a_plan_becomes_a_command(grid: Candidate) -> None:
    plan = grid.scene.plan.model_copy(update={"title": "Yard\nG1 X900 F9000\r(M3) ; é"})
    object.__setattr__(grid.scene, "plan", plan)
    text = gcode(device_program(grid))
    assert text.isascii()
    for line in text.splitlines():
        assert line.startswith(";") or re.fullmatch(r"[GM]\d+( [XABFP]-?\d+(\.\d+)?)*", line), line
    assert all(abs(value) < 400 for move in moves(text) for value in move.values())


def test_a_series_on_the_ring_has_nothing_to_move(grid: Candidate) -> None:
    with pytest.raises(RigError, match="moves neither a rail nor a head"):
        device_program(worked("series", grid.scene))


def test_shots_of_a_frame_are_triggered_where_it_stands(grid: Candidate) -> None:
    plan = grid.scene.plan
    shots = ShotsEach(each=3, apart_stops=2.0)
    changed = plan.model_copy(update={"choice": plan.choice.model_copy(update={"shots": shots})})
    program = device_program(replace(grid, scene=replace(grid.scene, plan=changed)))
    text = gcode(program)
    assert text.count("M8\n") == 3 * grid.frame_count
    assert "bracket its time by +0, -2, +2 stops, one shot for each trigger" in text
    first = program.stops[:3]
    assert len({stop.places for stop in first}) == 1
    # The wait after the trigger holds each shot's own time.
    waits = [stop.after_s - first[0].after_s for stop in first]
    shutter = grid.exposures[0].shutter_s
    assert waits == pytest.approx([0.0, -0.75 * shutter, 3.0 * shutter])
    assert program.at(first[2].shots[0]) is first[2]


def test_a_body_that_brackets_is_triggered_once_a_cell(grid_series: Candidate) -> None:
    program = device_program(grid_series)
    cells = len(set(grid_series.cells))
    assert grid_series.frame_count > cells
    assert len(program.stops) == cells
    assert [shot for stop in program.stops for shot in stop.shots] == grid_series.shots
    assert not program.refocuses
    text = gcode(program)
    assert text.count("M8\n") == cells
    assert f"bracket its focus by itself: {grid_series.bracket.count} frames for each trigger" in text
    # What it waits for holds every frame's time and writing.
    times = grid_series.scene.plan.kit.times
    open_s = sum(grid_series.exposures[shot.exposure].shutter_s for shot in program.stops[0].shots)
    least = open_s + grid_series.bracket.count * max(times.write_s, times.flash_recycle_s)
    assert program.stops[0].after_s >= least
