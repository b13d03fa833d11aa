"""Rehearsed frames with planted faults: each is found, nothing is found where nothing is wrong."""

from __future__ import annotations

import json
import math
import re
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from verispect.errors import Cancelled
from verispect.files.picture_out import Shot, write_picture
from verispect.files.run_file import read_run
from verispect.plan.entry.found_distance import with_distances
from verispect.plan.frames.rendering import render
from verispect.plan.methods.candidate import Candidate
from verispect.plan.scene.scene import build_scene
from verispect.plan.setting.losses import lost_with
from verispect.prove.check import check
from verispect.prove.intake import described, linear_of, read_coded
from verispect.prove.looked import Pointed
from verispect.prove.report import Report, found_places, report_dict, report_table
from verispect.prove.verdict import losses_words
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rehearse.sensor_noise import srgb_16
from verispect.rig.rehearsed_run import Writing, rehearse_to

# One process makes the frames once.
pytestmark = pytest.mark.xdist_group("frames")


def names(report: Report) -> dict[int | None, set[str]]:
    """Faults by planned exposure."""
    return {frame.planned_exposure: {fault.name for fault in frame.faults} for frame in report.frames if frame.faults}


@pytest.fixture(scope="module")
def good(rehearsed, known, series: Candidate) -> Report:
    return check([rehearsed()], recall=known, candidate=series)


@pytest.fixture(scope="module")
def knocked(rehearsed, series: Candidate) -> Report:
    """The third frame by six pixels."""
    return check([rehearsed("knock@2:6")], candidate=series)


def test_good_frames_have_no_fault(good: Report, series: Candidate) -> None:
    report = good
    assert names(report) == {}
    assert report.dust == []
    assert any("Dust" in line for line in report.advice)
    assert [frame.planned_exposure for frame in report.frames] == list(range(series.frame_count))
    assert report.gaps == []
    assert report.redo == []
    assert report.passed
    for frame in report.frames:
        assert math.hypot(*frame.shift_px) < 0.25
        assert abs(frame.turn_deg) < 0.02
        assert abs(frame.exposure_stops) < 0.02
        assert frame.verdict == "good"


def test_without_a_plan_frames_are_still_held_against_one_another(rehearsed) -> None:
    report = check([rehearsed("exposure@1:-0.5")])
    assert [{fault.name for fault in frame.faults} for frame in report.frames][1] == {"exposure"}
    assert report.marks == []
    assert "With a plan" in " ".join(report.advice)


def test_light_lost_to_extension_is_taken_off_without_a_plan_too(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    """Four frames are too few for a drift; how large they draw tells how far the lens is drawn out."""
    for k, path in enumerate(sorted(rehearsed().glob("*.tif"))[:4]):
        lost = (85.0 / series.exposures[k].state.image_distance_mm) ** 2 * (0.7 if k == 3 else 1.0)
        light = linear_of(read_coded(described(path))) * np.float32(lost)
        write_picture(tmp_path / path.name, srgb_16(light), shot=Shot())
    report = check([tmp_path])
    told = [frame.exposure_stops for frame in report.frames]
    assert told == pytest.approx([0.0, 0.0, 0.0, math.log2(0.7)], abs=0.004)


def test_a_knock_is_found_with_its_size(knocked: Report) -> None:
    found = names(knocked)
    assert found[2] == {"knock"}
    assert set(found) <= {2}
    shift = math.hypot(*knocked.frames[2].shift_px)
    # In its own pixels, as it was turned.
    assert shift == pytest.approx(6.0, abs=0.05)
    assert any("frame-003" in line for line in knocked.redo)


@pytest.mark.parametrize("stops", [0.3])
def test_another_exposure_is_found_with_its_size(rehearsed, series: Candidate, stops: float) -> None:
    report = check([rehearsed(f"exposure@1:{stops:g}")], candidate=series)
    assert names(report) == {1: {"exposure"}}
    assert report.frames[1].exposure_stops == pytest.approx(stops, abs=0.06)
    # The simulated camera writes the settings of the plan: that frame was set as all are.
    assert "the light changed" in report.frames[1].faults[0].says


def test_a_missing_frame_leaves_its_gap(rehearsed, series: Candidate) -> None:
    folder = rehearsed("missing@2")
    for run in (None, read_run(folder / "run.json")):
        report = check([folder], candidate=series, run=run)
        assert names(report) == {2: {"missing"}}
        assert report.frames[-1].file is None
        told = report_dict(report)
        assert [frame["file"] is None for frame in told["frames"]] == [number == 2 for number in range(8)]
        assert all(told["frames"][mark["frame"]]["planned_exposure"] == mark["exposure"] for mark in told["marks"])
        assert any(gap["between"] == [1, 3] for gap in report.gaps)
        assert not report.passed
        # What of it matters is said before anybody walks back.
        lost = lost_with(series, {index: one for index, one in enumerate(series.exposures) if index != 2})
        assert losses_words(lost) in report.advice


def test_beside_a_missing_frame_it_takes_more_to_call_one_shaken(rehearsed, series: Candidate, monkeypatch) -> None:
    """What is next to a gap shows things at other focus altogether, and swings by that."""
    asked: list[list[float]] = []

    def shaken(powers: list, care: Callable[[int], float], *, compressed: bool) -> dict:
        assert not compressed
        asked.append([care(number) for number in range(len(powers))])
        return {}

    monkeypatch.setattr("verispect.prove.series_check.shaken_in", shaken)
    check([rehearsed("missing@3")], candidate=series)
    assert asked == [[1.0, 1.0, 2.0, 2.0, 1.0, 1.0, 1.0]]


def test_a_black_frame_within_the_set_is_a_fault(rehearsed, series: Candidate) -> None:
    report = check([rehearsed("dark@1")], candidate=series)
    assert names(report)[1] == {"dark"}
    assert len(report.sets) == 1


def test_missed_focus_is_found(rehearsed, series: Candidate) -> None:
    """Three allowed blurs off at the second frame."""
    report = check([rehearsed("autofocus-miss@1:3")], candidate=series)
    told = next(fault for fault in report.frames[1].faults if fault.name == "missed-focus")
    assert told.size == pytest.approx(3.0, abs=0.8)
    assert set(names(report)) == {1}


def test_a_frame_shaken_by_wind_is_found_with_its_direction(series: Candidate, tmp_path: Path) -> None:
    """Larger frames than the others: of so few pixels as theirs the spectra of a shake are often not told."""
    options = Options(pixels=(1080, 720), quality=Quality(share=0.8, least=3))
    wind = parse_fault("wind@4:5", frames=series.frame_count)
    run = rehearse_to(series, options, Writing(tmp_path / "set"), faults=[wind])
    report = check([tmp_path / "set"], candidate=series)
    assert names(report) == {4: {"motion"}}
    apart = abs(report.frames[4].motion_direction - run.frames[4].happened["wind_direction_deg"]) % 180
    assert min(apart, 180 - apart) < 5.0
    assert report.frames[4].motion_length == pytest.approx(5.0, rel=0.2)


@pytest.mark.parametrize(("fault", "size", "within"), [("moved", 14.0, 2.0), ("gust", 9.0, 1.0)])
def test_a_thing_that_moved_is_found_where_it_stands(rehearsed, series: Candidate, fault, size, within) -> None:
    """Between two frames or while one of them was taken."""
    folder = rehearsed(f"{fault}@1:{size:.0f}")
    run = read_run(folder / "run.json")
    happened = run.frames[1].happened
    place = next(mark["pixel"] for mark in run.frames[0].marks if mark["name"] == happened[f"{fault}_mark"])
    report = check([folder], candidate=series)
    told = next(fault for fault in report.frames[1].faults if fault.name == "moved-subject")
    row, column = (int(part) for part in re.findall(r"\d+", told.says)[:2])
    assert told.size == pytest.approx(size, abs=within)
    assert math.hypot(row - place[0], column - place[1]) < 60
    assert {name for found in names(report).values() for name in found} == {"moved-subject"}


def test_several_faults_at_once(rehearsed, series: Candidate) -> None:
    report = check([rehearsed("knock@0:5", "exposure@2:-1")], candidate=series)
    assert names(report) == {0: {"knock"}, 2: {"exposure"}}


def test_what_moved_is_told_between_frames_of_another_light(rehearsed, series: Candidate) -> None:
    report = check([rehearsed("exposure@1:-1", "moved@3:12", "exposure@4:-0.6")], candidate=series)
    assert names(report) == {1: {"exposure"}, 3: {"moved-subject"}, 4: {"exposure"}}


def test_what_shows_something_else_accuses_nobody_beside_it(rehearsed, series: Candidate, tmp_path: Path) -> None:
    folder = Path(shutil.copytree(rehearsed(), tmp_path / "set"))
    strange = sorted(folder.glob("*.tif"))[3]
    pixels = read_coded(described(strange))
    write_picture(strange, np.ascontiguousarray(np.roll(pixels[::-1], 97, axis=1)), shot=Shot(), force=True)
    report = check([folder], candidate=series)
    assert names(report) == {3: {"knock"}}
    assert "too little in common" in report.frames[3].faults[0].says
    assert any(gap["between"] == [2, 4] for gap in report.gaps)


def test_of_two_frames_that_show_different_things_one_is_named(rehearsed, series: Candidate, tmp_path: Path) -> None:
    """Coarsely the second looks like the first, and on it lies other grain; it ended in a warning of NumPy's."""
    first = read_coded(described(sorted(rehearsed().glob("*.tif"))[3]))
    grain = cv2.GaussianBlur(np.random.default_rng(0).normal(0.0, 8000.0, first.shape[:2]), (0, 0), 1.5)
    coarse = cv2.GaussianBlur(first.astype(float), (0, 0), 30.0)
    write_picture(tmp_path / "1.tif", first, shot=Shot())
    write_picture(tmp_path / "2.tif", np.clip(coarse + grain[..., None], 0, 65535).astype(np.uint16), shot=Shot())
    report = check([tmp_path], candidate=series)
    assert "too little in common" in " ".join(fault.says for frame in report.frames for fault in frame.faults)


def test_two_of_the_same_picture(rehearsed, tmp_path: Path) -> None:
    first, second = sorted(rehearsed().glob("*.tif"))[:2]
    for name, source in (("1.tif", first), ("2.tif", second), ("3.tif", second)):
        (tmp_path / name).write_bytes(source.read_bytes())
    report = check([tmp_path / f"{k}.tif" for k in (1, 2, 3)])
    assert [frame.duplicate_of for frame in report.frames] == [None, None, "2.tif"]


def test_softness_of_marks_comes_out_as_the_plan_has_it(good: Report, series: Candidate) -> None:
    report = good
    assert len(report.marks) == series.scene.mark_count
    measured = [mark for mark in report.marks if mark.softness is not None]
    for mark in measured:
        assert mark.plus_minus is not None
        assert mark.planned is not None
        assert abs(mark.softness - mark.planned) < max(0.5, 2 * mark.plus_minus), mark.name
    for mark in report.marks:
        assert mark.verdict in ("sharp", "soft", "cannot-say")


def planned_elsewhere(series: Candidate, times: float) -> Candidate:
    """The series with all marks so many times as far away in its plan, each on its line of sight."""
    plan, pupil = series.scene.plan, series.scene.pose.pupil_m
    wrong = tuple(
        mark.model_copy(update=dict(zip(("x_m", "y_m", "z_m"), (float(part) for part in place), strict=True)))
        for mark in plan.marks
        for place in [pupil + times * (np.array([mark.x_m, mark.y_m, mark.z_m]) - pupil)]
    )
    return replace(series, scene=build_scene(plan.model_copy(update={"marks": wrong})))


def test_marks_that_are_elsewhere_than_planned_are_found_there(
    rehearsed, known, series: Candidate, tmp_path: Path
) -> None:
    """A tape that read a twelfth too long: the frames show the marks where they stand."""
    mistaken = planned_elsewhere(series, 1.08)
    report = check([rehearsed()], recall=known, candidate=mistaken)
    found = found_places(report, mistaken.scene.plan.marks)
    assert len(found) >= 3
    after, count = with_distances(mistaken.scene.plan, found)
    assert count == len(found)
    names_found = {place.name for place in found}
    for true, now in zip(series.scene.plan.marks, after.marks, strict=True):
        if true.name in names_found:
            apart = math.dist((true.x_m, true.y_m, true.z_m), (now.x_m, now.y_m, now.z_m))
            assert apart < max(1.5 * now.plus_minus_m, 0.02), true.name


@pytest.mark.parametrize(("times", "what"), [(1.8, "it hides the mark"), (0.6, "beyond where the mark was planned")])
def test_what_stands_elsewhere_than_a_mark_is_not_called_soft(
    rehearsed, known, series: Candidate, times: float, what: str
) -> None:
    """A mark planned far behind or before what its line of sight meets: its softness is not that of that thing."""
    hidden = planned_elsewhere(series, times)
    report = check([rehearsed()], recall=known, candidate=hidden)
    told = [mark for mark in report.marks if mark.ranged is not None]
    assert told
    for mark in told:
        assert mark.verdict == "cannot-say"
        assert f"{mark.ranged.distance_m:.3g} m away" in mark.how
        assert what in mark.how
        assert f"{mark.name}: {mark.how}" in report.advice


def test_other_settings_than_planned_are_told(rehearsed, series: Candidate, tmp_path: Path) -> None:
    for path in sorted(rehearsed().glob("*.tif")):
        frame = described(path)
        shot = Shot(focal_mm=50.0, f_number=2.8, iso=800.0, shutter_s=0.01, taken=frame.taken)
        write_picture(tmp_path / path.name, read_coded(frame), shot=shot)
    report = check([tmp_path], candidate=series)
    for frame in report.frames:
        told = next(fault.says for fault in frame.faults if fault.name == "wrong-setting")
        assert "f/2.8, planned" in told
        assert "50 mm, planned" in told
        assert "ISO 800, planned" in told


def test_it_stops_when_it_is_told_to(rehearsed) -> None:
    with pytest.raises(Cancelled):
        check([rehearsed()], is_cancelled=lambda: True)


def test_the_report_is_json_without_nan_and_a_table_a_person_reads(knocked: Report, series: Candidate) -> None:
    told = json.loads(json.dumps(report_dict(knocked), allow_nan=False))
    assert told["format"] == "verispect-check"
    assert len(told["frames"]) == series.frame_count
    assert "frame-003.tif" in report_table(knocked)
    assert "camera moved" in report_table(knocked)


def test_a_tripod_that_turned_is_told_from_there_on(rehearsed, series: Candidate) -> None:
    """Every frame after the turn lies elsewhere; none before it is accused, though those after are as many."""
    good = rehearsed()
    folder = rehearsed("turn@4:0.2")
    report = check([folder], candidate=series)
    assert names(report) == {4: {"knock"}}, "the fixture rehearses the one frame anew"
    assert np.hypot(*report.frames[4].shift_px) == pytest.approx(np.radians(0.2) * 85.0 / (36.0 / 720.0), rel=0.1)
    moved = [read_coded(described(path)) for path in sorted(good.glob("*.tif"))]
    shifted = folder.parent / "turned"
    shifted.mkdir()
    for number, picture in enumerate(moved):
        right = np.roll(picture, 6, axis=1) if number >= 4 else picture
        write_picture(shifted / f"frame-{number + 1:03d}.tif", np.ascontiguousarray(right))
    report = check([shifted], candidate=series)
    assert set(names(report)) == set(range(4, series.frame_count))
    for frame in report.frames[4:]:
        assert frame.shift_px == pytest.approx((0.0, 6.0), abs=0.4)
    assert sum("stands elsewhere" in line for line in report.redo) == 1


def test_a_doubled_frame_takes_nobodys_place(rehearsed, series: Candidate) -> None:
    report = check([rehearsed("duplicate@3")], candidate=series)
    assert names(report) == {None: {"duplicate"}, 3: {"missing"}}
    assert report.frames[3].duplicate_of == report.frames[2].file
    assert report.frames[-1].planned_exposure == 3


def test_black_frames_that_are_all_alike_still_part_sets(rehearsed, tmp_path: Path) -> None:
    first, second, third = sorted(rehearsed().glob("*.tif"))[:3]
    order = (None, first, second, None, third)
    for number, source in enumerate(order):
        path = tmp_path / f"{number}.tif"
        if source is None:
            write_picture(path, np.zeros((480, 720, 3), np.uint16))
        else:
            path.write_bytes(source.read_bytes())
    report = check([tmp_path / f"{number}.tif" for number in range(5)])
    assert [group.separator for group in report.sets] == [0, 3]
    assert all(frame.duplicate_of is None for frame in report.frames)


def test_a_missed_flash_is_told_in_stops(rehearsed, series: Candidate) -> None:
    report = check([rehearsed("missed-flash@2:2.5")], candidate=series)
    assert names(report) == {2: {"exposure"}}
    assert report.frames[2].exposure_stops == pytest.approx(-2.5, abs=0.06)
    assert "flash" in report.frames[2].faults[0].says


def test_a_plain_frame_beside_them_tells_of_dust(rehearsed, series: Candidate, tmp_path: Path) -> None:
    folder = tmp_path / "set"
    shutil.copytree(rehearsed(), folder)
    plain = np.full((480, 720, 3), 30000.0)
    y, x = np.mgrid[0:480, 0:720]
    plain *= 1.0 - 0.2 * np.clip(7.5 - np.hypot(y - 200, x - 333), 0.0, 1.0)[..., None]
    plain += np.random.default_rng(3).normal(0.0, 150.0, plain.shape)
    write_picture(folder / "frame-900.tif", plain.astype(np.uint16))
    report = check([folder], candidate=series)
    assert [speck.pixel for speck, _ in report.dust] == [(200, 333)]
    assert names(report) == {}
    assert not any("Dust" in line for line in report.advice)


def test_a_black_frame_in_the_middle_of_three_makes_no_grid_of_them(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    folder = rehearsed()
    for k in (1, 2, 3):
        shutil.copy(folder / f"frame-00{k}.tif", tmp_path / f"f-{k}.tif")
    black = np.zeros_like(read_coded(described(tmp_path / "f-2.tif")))
    write_picture(tmp_path / "f-2.tif", black, shot=Shot(f_number=4.0), force=True)
    near = series.exposures[:3]
    three = replace(series, exposures=near, rendering=render(series.scene, near, series.criterion))
    report = check([tmp_path], candidate=three)
    assert report.kinds == ["series"]
    assert "dark" in names(report)[1]


def test_frames_from_a_hand_are_measured_where_they_lie(
    rehearsed, good: Report, series: Candidate, tmp_path: Path
) -> None:
    """Each shifted by whole pixels: what was at a mark is found there again; nobody is to take all frames anew."""
    moves = [(0, 0), (9, -14), (-12, 5), (4, 17), (-7, -9), (15, 8), (-18, 16), (11, -21)]
    for frame, (down, right) in zip(sorted(rehearsed().glob("*.tif")), moves, strict=True):
        write_picture(tmp_path / frame.name, np.roll(read_coded(described(frame)), (down, right), axis=(0, 1)))
    report = check([tmp_path], candidate=series)
    assert set.union(*names(report).values()) == {"unsteady"}
    assert {frame.verdict for frame in report.frames} == {"doubtful"}
    assert not any("again" in line for line in report.redo)
    assert any("as in a hand" in line for line in report.advice)
    apart = np.array([frame.shift_px for frame in report.frames]) - np.array(moves)
    # A picture shifted is not quite a camera turned, and of a hand nobody tells what the pupil's travel makes.
    assert np.abs(apart - apart[0]).max() < 0.5
    both = [(one.softness, other.softness) for one, other in zip(good.marks, report.marks, strict=True)]
    told = [(one, other) for one, other in both if one is not None and other is not None]
    assert len(told) >= sum(one is not None for one, _ in both) - 1
    assert max(abs(one - other) for one, other in told) < 0.15
    assert good.blocks is not None
    assert report.blocks is not None
    assert report.blocks.told > 0.7 * good.blocks.told
    # Pointed at in a frame that the hand had moved, a mark lies there, and in every other frame where that one went.
    where = next(mark for mark in report.marks if mark.name == "m1").pixel
    assert where is not None
    moved = Pointed("m1", where[0] + moves[3][0], where[1] + moves[3][1], sorted(tmp_path.iterdir())[3].name)
    pointed = check([tmp_path], candidate=series, pointed=[moved])
    assert pointed.looked is not None
    assert pointed.looked.left_over_px < 0.1
    both = [(one.softness, other.softness) for one, other in zip(report.marks, pointed.marks, strict=True)]
    told = [(one, other) for one, other in both if one is not None and other is not None]
    assert len(told) >= 2
    assert max(abs(one - other) for one, other in told) < 0.15


@pytest.fixture(scope="module")
def railed(tmp_path_factory, rail: Candidate) -> Path:
    folder = tmp_path_factory.mktemp("rail") / "set"
    rehearse_to(rail, Options(pixels=(720, 480), quality=Quality(share=0.8, least=3)), Writing(folder))
    return folder


def test_a_rail_is_measured_as_a_series_is(railed: Path, rail: Candidate) -> None:
    report = check([railed], candidate=rail)
    assert names(report) == {}
    assert report.gaps == []
    assert rail.rendering is not None
    told = [
        (mark.softness, float(rail.rendering.softness[k])) for k, mark in enumerate(report.marks) if mark.softness
    ]
    assert len(told) >= 4
    assert all(abs(found - planned) < 0.2 for found, planned in told)
    assert report.blocks is not None
    assert report.blocks.told > 0


def test_a_rail_gone_through_the_other_way_is_known_by_what_it_shows(
    railed: Path, rail: Candidate, tmp_path: Path
) -> None:
    for k in range(rail.frame_count):
        pixels = read_coded(described(railed / f"frame-{k + 1:03d}.tif"))
        write_picture(tmp_path / f"{rail.frame_count - k}.tif", pixels)
    report = check([tmp_path], candidate=rail)
    assert [frame.planned_exposure for frame in report.frames] == list(reversed(range(rail.frame_count)))
    assert names(report) == {}


def test_a_frame_missing_from_a_rail_leaves_a_gap_told_by_its_place(
    railed: Path, rail: Candidate, tmp_path: Path
) -> None:
    shutil.copytree(railed, tmp_path / "set", ignore=shutil.ignore_patterns("frame-003*", "run.json"))
    report = check([tmp_path / "set"], candidate=rail)
    assert names(report) == {2: {"missing"}}
    step = 1000.0 * float(np.linalg.norm(rail.exposures[1].pose.pupil_m - rail.exposures[0].pose.pupil_m))
    assert report.redo[0] == f"again: frame 3 of 5 is not there; take it, with the rail at {2.0 * step:.4g} mm"
    # What the lost frame held is as soft now as the frames beside it leave it.
    assert rail.rendering is not None
    left = render(rail.scene, [*rail.exposures[:2], *rail.exposures[3:]], rail.criterion)
    lost = {k for k, exposure in enumerate(rail.rendering.exposure[: len(report.marks)]) if exposure == 2}
    for k, mark in enumerate(report.marks):
        if mark.softness is not None:
            assert mark.softness == pytest.approx(float(left.softness[k]), abs=0.2)
            assert (mark.verdict == "soft") == (k in lost)
    (gap,) = report.gaps
    assert gap["between"] == [1, 3]
    # Half-way between two frames that are two steps apart lies what the lost one held: a step off, which the thin
    # lens draws m² times as long behind it (Newton), over the working f-number.
    state = rail.exposures[0].state
    blur = step * (state.image_distance_mm / state.focal_mm - 1.0) ** 2 / state.working_f_number
    assert gap["softness"] == pytest.approx(blur / rail.exposures[0].allowed_blur_mm, rel=0.05)


def test_a_rail_that_stood_elsewhere_is_told_in_mm(railed: Path, rail: Candidate, tmp_path: Path) -> None:
    steps = [one.pose.pupil_m - rail.exposures[0].pose.pupil_m for one in rail.exposures]
    off = 2.2 * steps[1]
    pose = replace(rail.exposures[2].pose, pupil_m=rail.exposures[2].pose.pupil_m + off)
    wrong = replace(rail, exposures=(*rail.exposures[:2], replace(rail.exposures[2], pose=pose), *rail.exposures[3:]))
    rehearse_to(wrong, Options(pixels=(720, 480), quality=Quality(share=0.8, least=3)), Writing(tmp_path / "wrong"))
    shutil.copytree(railed, tmp_path / "set", ignore=shutil.ignore_patterns("run.json"))
    shutil.copy(tmp_path / "wrong" / "frame-003.tif", tmp_path / "set" / "frame-003.tif")
    report = check([tmp_path / "set"], candidate=rail)
    assert names(report) == {2: {"missed-focus"}}
    (fault,) = report.frames[2].faults
    found = re.search(r"taken ([0-9.]+) mm too near", fault.says)
    assert found is not None
    assert float(found[1]) == pytest.approx(1000.0 * float(np.linalg.norm(off)), rel=0.08)
    assert f"with the rail at {2000.0 * float(np.linalg.norm(steps[1])):.4g} mm" in fault.remedy


def test_a_rail_that_is_not_quite_along_the_view_is_no_knock(rail: Candidate, tmp_path: Path) -> None:
    """By two degrees aside and one up: what is sharp moves evenly, a pixel and more from frame to frame."""
    first = rail.exposures[0].pose.pupil_m
    askew = []
    for one in rail.exposures:
        along = float(np.linalg.norm(one.pose.pupil_m - first))
        aside = along * (math.tan(math.radians(2.0)) * one.pose.right + math.tan(math.radians(1.0)) * one.pose.up)
        askew.append(replace(one, pose=replace(one.pose, pupil_m=one.pose.pupil_m + aside)))
    wrong = replace(rail, exposures=tuple(askew))
    rehearse_to(wrong, Options(pixels=(720, 480), quality=Quality(share=0.8, least=3)), Writing(tmp_path / "set"))
    (tmp_path / "set" / "run.json").unlink()
    report = check([tmp_path / "set"], candidate=rail)
    assert names(report) == {}
    assert sum(mark.softness is not None for mark in report.marks) >= 3


def test_a_darker_jpeg_is_not_out_of_its_place_in_focus(rehearsed, tmp_path: Path) -> None:
    """A camera's curve in S gives it another contrast, which without a plan had looked like another focus."""
    for k, frame in enumerate(sorted(rehearsed().glob("*.tif"))):
        coded = read_coded(described(frame)).astype(np.float32) / 65535.0 * (0.9 if k == 4 else 1.0)
        curved = np.clip(coded + 0.1 * np.sin(2.0 * np.pi * (coded - 0.5)), 0.0, 1.0)
        write_picture(tmp_path / f"{k}.jpg", (curved * 65535.0).astype(np.uint16))
    report = check([tmp_path])
    assert {frame.file: [fault.name for fault in frame.faults] for frame in report.frames if frame.faults} == {
        "4.jpg": ["exposure"]
    }


def test_a_mark_whose_frames_are_not_there_is_not_said_to_lie_at_the_edge(
    rehearsed, series: Candidate, tmp_path: Path
) -> None:
    """Of a whole series one near mark lies too near the edge; with its frame gone nobody can say so."""
    whole = {mark.name: mark for mark in check([rehearsed()], candidate=series).marks}
    edge = next(mark for mark in whole.values() if "picture" in mark.how)
    shutil.copytree(rehearsed(), tmp_path / "set", ignore=shutil.ignore_patterns("run.json"))
    sorted((tmp_path / "set").glob("*.tif"))[edge.frame].unlink()
    left = {mark.name: mark for mark in check([tmp_path / "set"], candidate=series).marks}
    assert left[edge.name].how == "on no frame that can be used"
