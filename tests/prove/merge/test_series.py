"""Merging rehearsed frames, measured against the same view rendered sharp throughout; what is refused and stopped."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from verispect.errors import Cancelled, FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.plan.methods.candidate import Candidate
from verispect.prove.align.motion import Motion
from verispect.prove.intake import described, read_coded
from verispect.prove.merge import series as series_module
from verispect.prove.merge.series import merge
from verispect.prove.merge.written import done_words, doubt_words
from verispect.rehearse.camera import Options, Rehearsal
from verispect.rehearse.projection import Camera
from verispect.rehearse.pupil_views import Quality, render
from verispect.rehearse.sensor_noise import srgb_16

SIZE = (480, 320)


def decibels(picture: np.ndarray, truth: np.ndarray) -> float:
    inner = (slice(12, -12), slice(12, -12))
    error = picture[inner].astype(float) / 65535 - truth[inner].astype(float) / 65535
    return -10 * math.log10(float(np.mean(error**2)))


@pytest.fixture(scope="module")
def shot(tmp_path_factory, series: Candidate) -> tuple[Path, np.ndarray]:
    """Frames of the series, and the truth: the first frame's view through a pinhole."""
    folder = tmp_path_factory.mktemp("merge")
    rehearsal = Rehearsal(series, Options(pixels=SIZE, noise=False, falloff=False))
    for k in range(series.frame_count):
        picture = rehearsal.take(k).picture
        assert picture is not None
        write_picture(folder / f"{k + 1}.tif", srgb_16(picture), shot=Shot(f_number=4.0))
    # So small a stop that blur is less than a pixel; the merge is laid over its first frame.
    first = series.exposures[0]
    pinhole = replace(first, state=first.state.at(4000.0))
    truth = render(
        rehearsal.model,
        Camera(pinhole, SIZE, rehearsal.pitch_mm),
        wavelength_mm=1e-9,
        seed=1,
        quality=Quality(2.0, 16),
    )
    assert truth is not None
    return folder, srgb_16(truth)


@pytest.mark.parametrize("proof", [True, False])
def test_the_merge_is_sharper_than_any_frame(shot, series: Candidate, proof: bool) -> None:
    folder, truth = shot
    merged = merge([folder], exposures=series.exposures, proof=proof)
    singles = [decibels(read_coded(described(path)), truth) for path in sorted(folder.glob("*.tif"))]
    assert decibels(merged.pixels, truth) > max(singles) + 2.0
    assert merged.pixels.dtype == np.uint16
    assert len(merged.frames) == series.frame_count
    if proof:
        assert sum(frame["used_share"] for frame in merged.frames) == pytest.approx(1.0, abs=0.001)
    assert (merged.depth is None) is proof


def test_without_a_plan_it_merges_as_well(shot) -> None:
    folder, truth = shot
    singles = [decibels(read_coded(described(path)), truth) for path in sorted(folder.glob("*.tif"))]
    assert decibels(merge([folder], proof=True).pixels, truth) > max(singles) + 1.0


def test_a_dark_frame_is_left_out(shot, tmp_path: Path) -> None:
    folder, _ = shot
    for path in sorted(folder.glob("*.tif"))[:3]:
        (tmp_path / path.name).write_bytes(path.read_bytes())
    plain = merge([tmp_path], proof=True).pixels
    black = np.zeros((SIZE[1], SIZE[0], 3), np.uint16)
    write_picture(tmp_path / "9.tif", black)
    merged = merge([tmp_path], proof=True)
    assert len(merged.frames) == 3
    assert np.array_equal(merged.pixels, plain)
    # What stands behind the others parts sets; what stands between them was one of them.
    assert (merged.black, merged.doubtful) == (["9.tif"], [])
    assert [str(words) for words in done_words(merged.report(None))] == ["black, and left out: 9.tif"]
    (tmp_path / "9.tif").unlink()
    write_picture(tmp_path / "2.tif", black, force=True)
    merged = merge([tmp_path], proof=True)
    assert merged.black == ["2.tif"]
    assert ["2.tif came out black" in doubt["says"] for doubt in merged.doubtful] == [True]
    assert done_words(merged.report(None)) == [], "it is told among what is doubtful"


def test_a_black_frame_that_the_plan_has_a_place_for_is_doubtful(shot, series: Candidate, tmp_path: Path) -> None:
    folder, _ = shot
    paths = sorted(folder.glob("*.tif"))
    for path in paths:
        (tmp_path / path.name).write_bytes(path.read_bytes())
    write_picture(tmp_path / paths[-1].name, np.zeros((SIZE[1], SIZE[0], 3), np.uint16), force=True)
    merged = merge([tmp_path], exposures=series.exposures, proof=True)
    assert [paths[-1].name in doubt["says"] for doubt in merged.doubtful] == [True]


def test_of_many_doubts_the_first_are_told_and_how_many_more() -> None:
    doubts = [{"says": f"{k} is missing"} for k in range(5)]
    assert [str(one) for one in doubt_words(doubts)] == [
        "doubtful: 0 is missing", "doubtful: 1 is missing", "3 more things are doubtful",
    ]  # fmt: skip
    assert len(doubt_words(doubts[:3])) == 3
    assert doubt_words([]) == []


def test_a_stranger_is_left_out_and_said_and_those_after_it_lie_as_without_it(
    shot, series: Candidate, tmp_path: Path
) -> None:
    folder, truth = shot
    for path in sorted(folder.glob("*.tif")):
        pixels = read_coded(described(path))
        strange = np.ascontiguousarray(np.roll(pixels[::-1], 61, axis=1)) if path.name == "4.tif" else pixels
        write_picture(tmp_path / path.name, strange, shot=Shot(f_number=4.0))
    merged = merge([tmp_path], exposures=series.exposures, proof=True)
    assert "4.tif" not in [frame["file"] for frame in merged.frames]
    assert [one.state for one in merged.exposures] == [
        one.state for number, one in enumerate(series.exposures) if number != 3
    ]
    assert [doubt["says"] for doubt in merged.doubtful] == [
        "4.tif has too little in common with the others and was left out"
    ]
    whole = merge([folder], exposures=series.exposures, proof=True)
    assert np.allclose(merged.frames[-1]["matrix"], whole.frames[-1]["matrix"], atol=0.3)
    assert decibels(merged.pixels, truth) > decibels(whole.pixels, truth) - 3.0


@pytest.mark.parametrize(("likeness", "kept"), [(0.05, False), (0.3, True)])
def test_what_is_too_soft_to_be_laid_for_sure_stays_where_the_plan_has_it(
    monkeypatch: pytest.MonkeyPatch, likeness: float, kept: bool
) -> None:
    """Five frames that shift by a pixel each, where a tenth more was planned; the third is hardly like the others."""

    def between(frame, other, **_how) -> Motion:
        here, there = frame.picture[0, 0], other.picture[0, 0]
        steps = float(here - there)
        sure = 2.0 not in (here, there)
        return Motion(np.array([[1, 0, steps], [0, 1, 0], [0, 0, 1.0]]), 0.9 if sure else likeness, 0.0)

    monkeypatch.setattr(series_module, "motion_of_camera", between)
    frames = [SimpleNamespace(pixels=(12, 8), focal_px=10.0, path=Path(f"{k}.tif")) for k in range(5)]
    greys = [np.full((8, 12), float(k), np.float32) for k in range(5)]
    planned = [np.array([[1, 0, 1.1 * k], [0, 1, 0], [0, 0, 1.0]]) for k in range(5)]
    together, matrices, motions = series_module._chain(
        frames, greys, planned, True, lambda *_said: None, lambda: False
    )
    moved = [float(matrix[0, 2]) for matrix in matrices]
    assert together == ([0, 1, 2, 3, 4] if kept else [0, 1, 3, 4])
    assert moved == pytest.approx([0.0, 1.0, 2.1, 3.0, 4.0] if kept else [0.0, 1.0, 3.0, 4.0])
    assert [motion.trusted for motion in motions] == [number != 2 or not kept for number in range(len(motions))]


def test_different_sizes_are_refused_and_nothing_is_made(shot, tmp_path: Path) -> None:
    folder, _ = shot
    write_picture(tmp_path / "x.tif", np.full((8, 8, 3), 9000, np.uint16))
    with pytest.raises(FileError, match=r"8 × 8|sizes"):
        merge([folder, tmp_path])


def test_it_stops_when_it_is_told_to(shot) -> None:
    with pytest.raises(Cancelled):
        merge([shot[0]], is_cancelled=lambda: True)


def test_its_report_has_every_frame_and_no_nan(shot, series: Candidate) -> None:
    import json

    merged = merge([shot[0]], exposures=series.exposures, proof=True)
    told = json.loads(json.dumps(merged.report(None), allow_nan=False))
    assert told["format"] == "verispect-merge"
    assert [frame["file"] for frame in told["frames"]] == [f"{k + 1}.tif" for k in range(series.frame_count)]
    top, left, bottom, right = told["crop"]
    assert 0 <= left < right <= SIZE[0]
    assert 0 <= top < bottom <= SIZE[1]
