"""A rehearsed grid with a frame that looked elsewhere and one that was darker, and one where all is well."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.prove.join.spheres import FOCAL_PX, painted_sphere, seen, turn
from tests.prove.join.spheres import SIZE as FRAME
from tests.prove.join.test_canvas import PIXELS, view
from tests.prove.join.test_pointing import exact_pairs, tangled
from verispect.files.run_file import read_run
from verispect.plan.methods.candidate import Candidate
from verispect.prove.check import check
from verispect.prove.checks import pointing as checks_pointing
from verispect.prove.checks.pointing import Looked, moved_words, nearer_of, words
from verispect.prove.expected import View
from verispect.prove.join import drawn
from verispect.prove.join.pointing import Pair, growths
from verispect.rehearse.camera import Options
from verispect.rehearse.faults import parse_fault
from verispect.rehearse.pupil_views import Quality
from verispect.rig.rehearsed_run import Writing, rehearse_to

SIZE = (480, 320)
WIDE, HIGH = FRAME


def shot(folder: Path, grid: Candidate, *faults: str) -> Path:
    known = [parse_fault(text, frames=grid.frame_count) for text in faults]
    rehearse_to(grid, Options(pixels=SIZE, quality=Quality(0.5, 3)), Writing(folder), faults=known)
    return folder


def test_what_looked_elsewhere_and_what_was_darker_is_found_and_nothing_else(
    tmp_path: Path, small_grid: Candidate
) -> None:
    good = shot(tmp_path / "good", small_grid)
    report = check([good], candidate=small_grid)
    assert [frame.faults for frame in report.frames] == [[]] * small_grid.frame_count
    for frame in report.frames:
        assert np.hypot(*frame.shift_px) < 0.5
        assert abs(frame.exposure_stops) < 0.06
    bad = shot(tmp_path / "bad", small_grid, "knock@1:7", "exposure@3:-0.6")
    report = check([bad], candidate=small_grid)
    found = {
        frame.planned_exposure: [fault.name for fault in frame.faults] for frame in report.frames if frame.faults
    }
    assert found == {1: ["knock"], 3: ["exposure"]}
    assert np.hypot(*report.frames[1].shift_px) == pytest.approx(7.0, abs=0.6)
    assert report.frames[3].exposure_stops == pytest.approx(-0.6, abs=0.08)
    # Its direction is that in which the marks moved.
    moved = [
        np.subtract(after["pixel"], before["pixel"])
        for before, after in zip(marks_of(good, 1), marks_of(bad, 1), strict=True)
        if before["pixel"] and after["pixel"]
    ]
    assert report.frames[1].shift_px == pytest.approx(tuple(np.median(moved, axis=0)), abs=1.0)


def marks_of(folder: Path, frame: int) -> list[dict]:
    return read_run(folder / "run.json").frames[frame].marks


def test_shifts_are_said_as_one_says_them() -> None:
    assert words((-2.0, 3.25)) == "2.0 px up, 3.2 px right"
    assert words((0.0, 0.0)) == "not at all"
    assert moved_words((1.0, -0.2), -0.0123) == "1.0 px down, 0.2 px left, turned -0.012°"
    assert moved_words((1.0, -0.2), -0.0002) == "1.0 px down, 0.2 px left"


def looked(shifts: np.ndarray) -> Looked:
    """Frames that both their neighbours agree about."""
    count = len(shifts)
    agreed = {(k, (k + 1) % count): 0.0 for k in range(count)}
    grey = np.zeros((SIZE[1], SIZE[0]), np.float32)
    return Looked(shifts, np.zeros(count), np.zeros(count), np.ones(count, bool), [], [], agreed, [grey] * count, [])


def test_a_frame_that_is_turned_about_where_it_looked_stands_out_by_its_corners() -> None:
    """A camera that tipped over in its clamp looks where it should, and not as it should."""
    rng = np.random.default_rng(7)
    turns = rng.normal(0.0, 0.01, 9)
    good = replace(looked(np.zeros((9, 2))), turns_deg=turns)
    assert not good.odd().any()
    # Corners of these pictures lie 288 pixels from the middle: by 1.5 and by 0.75 of them.
    assert replace(good, turns_deg=turns + 0.3 * (np.arange(9) == 4)).odd().tolist() == [k == 4 for k in range(9)]
    assert not replace(good, turns_deg=turns + 0.15 * (np.arange(9) == 4)).odd().any()
    # Where its overlaps are at odds with one another nothing is told.
    odds = {pair: 2.0 * (4 in pair) for pair in good.rests}
    assert not replace(good, turns_deg=turns + 0.3 * (np.arange(9) == 4), rests=odds).odd().any()


@pytest.mark.parametrize("count", [4, 5, 6, 9, 16, 40])
def test_a_head_that_errs_by_chance_is_rarely_accused_and_a_knock_is(count: int) -> None:
    """Even errors of 1 px: one good grid in a hundred at the most has a frame accused; a knock of 20 px is found."""
    rng = np.random.default_rng(count)
    accused, missed = 0, 0
    for _ in range(400):
        shifts = rng.normal(0.0, 1.0, (count, 2))
        shifts -= np.median(shifts, axis=0)
        accused += bool(looked(shifts).odd().any())
        shifts[1] += 20.0 * np.array([0.6, -0.8])
        missed += not looked(shifts - np.median(shifts, axis=0)).odd()[1]
    assert accused <= 8
    assert missed <= (24 if count < 6 else 4)


def test_frames_that_nobody_can_tell_of_are_not_what_is_usual() -> None:
    """Those of clouds lie where they were planned, to a hair; the few others lie as a head takes them."""
    shifts = np.zeros((16, 2))
    shifts[12:] = [[0.0, 0.0], [0.1, 0.0], [-0.4, 0.5], [-0.1, -0.4]]
    some = looked(shifts)
    assert some.odd()[14]
    assert not replace(some, held=list(range(12))).odd().any()
    # Nor do they hide one that was pushed by far.
    shifts[14] = [-6.0, 5.0]
    assert replace(looked(shifts), held=list(range(12))).odd().tolist() == [k == 14 for k in range(16)]


def test_half_a_grid_that_was_pushed_is_not_what_is_usual() -> None:
    rng = np.random.default_rng(3)
    shifts = rng.normal(0.0, 0.2, (10, 2))
    shifts[5:] += np.array([6.0, 0.0])
    assert looked(shifts).odd().tolist() == [False] * 5 + [True] * 5


@pytest.mark.parametrize("before", [2, 4])
def test_who_stood_first_is_the_rule_however_unsure_frames_are_turned_about_where_they_look(
    before: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The head is pushed by 4 px after some frames; about the way they look overlaps have them turned anyhow."""
    planned = [view(b, p) for p in (-8, 0, 8) for b in (-16, 0, 16)]
    rng = np.random.default_rng(5)
    pushed = np.array([3.0, 3.0, 0.0]) / planned[0].scale_px
    turns = np.column_stack([np.zeros((9, 2)), rng.normal(0.0, 2.0, 9) / planned[0].scale_px])
    turns[before:] += pushed
    pairs = exact_pairs(planned, tangled(planned, turns))
    grey = np.zeros(PIXELS[::-1], np.float32)
    monkeypatch.setattr(drawn, "with_bend", lambda views, *_: (views, [grey] * 9, pairs))
    found = checks_pointing.looked(
        planned, [grey] * 9, [np.zeros((*grey.shape, 3), np.float32)] * 9, PIXELS,
        is_cancelled=lambda: False, progress=lambda _: None,
    )  # fmt: skip
    assert found.odd().tolist() == [False] * before + [True] * (9 - before)
    assert np.hypot(*found.shifts[before:].T) == pytest.approx(np.full(9 - before, np.hypot(3.0, 3.0)), abs=1.2)


@pytest.mark.parametrize(("residual_px", "told"), [(0.1, True), (1.0, False), (np.inf, True)])
def test_a_place_known_from_blurred_overlaps_alone_is_told_from_further_off(residual_px: float, told: bool) -> None:
    """Where all of a frame's overlaps are out of focus, half a pixel aside accused it; two pixels do still."""
    found = looked(np.array([[0.0, 0.0], [0.0, 0.01], [0.58, 0.0], [0.01, 0.0], [0.0, 0.02], [0.01, 0.01]]))
    pairs = [Pair(a, b, 0.4, 0.9, np.zeros(3), residual_px if 2 in (a, b) else 0.1) for a, b in found.rests]
    assert replace(found, pairs=pairs).odd().tolist() == [False, False, told, False, False, False]
    pushed = replace(found, pairs=pairs, shifts=4.0 * found.shifts)
    assert pushed.odd()[2]


@pytest.mark.parametrize(("correlation", "told"), [(0.97, True), (0.5, False)])
def test_pairs_that_tell_hardly_anything_speak_for_nobody_beside_two_sure_ones(
    correlation: float, told: bool
) -> None:
    """Two that share much and agree; two that share next to nothing, and lie anywhere."""
    found = looked(np.array([[0.0, 0.0], [0.0, 0.01], [5.0, 0.0], [0.01, 0.0], [0.0, 0.02], [0.01, 0.01]]))
    odds = {**found.rests, (0, 2): 4.0, (2, 5): 14.0}
    pairs = [Pair(a, b, 0.4, correlation if 2 in (a, b) else 0.9, np.zeros(3), 0.1) for a, b in found.rests]
    pairs += [Pair(a, b, 0.06, 0.6, np.zeros(3), np.inf) for a, b in ((0, 2), (2, 5))]
    assert replace(found, pairs=pairs, rests=odds).odd()[2] == told


def test_frames_that_only_unsure_pairs_join_to_others_are_told_against_one_another(monkeypatch) -> None:
    """Three frames far out of focus for the others lay five pixels aside of them, on good frames."""
    planned = [view(b, p) for p in (-6, 6) for b in (-20, 0, 20)]
    vectors = np.radians([[0.0, 0.0, 0.0]] * 3 + [[0.0, 0.6, 0.0]] * 2 + [[0.0, 0.8, 0.0]])
    pairs = exact_pairs(planned, tangled(planned, vectors))
    unsure = [replace(pair, correlation=0.53) if (pair.a < 3) != (pair.b < 3) else pair for pair in pairs]
    grey = np.zeros(PIXELS[::-1], np.float32)

    def shifts(pairs) -> np.ndarray:
        monkeypatch.setattr(drawn, "with_bend", lambda views, *_: (views, [grey] * 6, pairs))
        found = checks_pointing.looked(
            planned, [grey] * 6, [np.zeros((*grey.shape, 3), np.float32)] * 6, PIXELS,
            is_cancelled=lambda: False, progress=lambda _: None,
        )  # fmt: skip
        return np.hypot(*found.shifts.T)

    assert shifts(pairs)[3:5].min() > 3.0
    alone = shifts(unsure)
    assert alone[:5].max() < 0.3
    assert alone[5] > 0.5
    # A frame that nothing sure joins to any other is where it was planned, for all that is known.
    assert shifts([pair for pair in pairs if 5 not in (pair.a, pair.b)])[5] == 0.0


def test_how_much_nearer_frames_lie_is_told_of_all_and_of_no_single_knock() -> None:
    """Content moved outward by two parts in a hundred of where it is planned; shifted grids all look one way."""
    views = [view(bearing, pitch) for pitch in (-12.0, 0.0, 12.0) for bearing in (-18.0, 0.0, 18.0)]
    ahead = np.array([one.rotation[2] for one in views]) @ views[4].rotation.T
    outward = np.column_stack([-ahead[:, 1], ahead[:, 0]]) / ahead[:, 2:] * views[4].scale_px
    diagonal = float(np.hypot(*PIXELS))
    assert nearer_of(views, looked(0.02 * outward), diagonal) == pytest.approx(0.02, abs=1e-6)
    assert nearer_of(views, looked(-0.02 * outward), diagonal) == pytest.approx(-0.02, abs=1e-6)
    assert nearer_of(views, looked(0.0002 * outward), diagonal) == 0.0
    knocked = np.zeros((9, 2))
    knocked[8] = 0.1 * outward[8]
    assert nearer_of(views, looked(knocked), diagonal) == 0.0
    assert nearer_of([views[4]] * 9, looked(0.02 * outward), diagonal) == 0.0


@pytest.mark.parametrize("larger", [0.97, 1.03])
def test_beside_a_frame_that_is_drawn_larger_the_others_stay_where_they_look(larger: float) -> None:
    """Six frames of a painted sphere, one of them seen by a longer or shorter lens than planned."""
    bases = [turn(bearing, pitch) for pitch in (-7.0, 7.0) for bearing in (-12.0, 0.0, 12.0)]
    sphere = painted_sphere()
    shown = [seen(sphere, basis, focal_px=FOCAL_PX * (larger if k == 1 else 1.0)) for k, basis in enumerate(bases)]
    views = [View(basis, FOCAL_PX, ((WIDE - 1) / 2, (HIGH - 1) / 2)) for basis in bases]
    found = checks_pointing.looked(
        views, [one.mean(axis=2).astype(np.float32) for one in shown], [one.astype(np.float32) for one in shown],
        (WIDE, HIGH), is_cancelled=lambda: False, progress=lambda _share: None,
    )  # fmt: skip
    assert np.hypot(*found.shifts.T).max() < 0.2
    assert max(found.rests.values()) < 0.3
    assert growths(found.pairs, len(views))[1] == pytest.approx(np.log(larger), abs=2e-3)
