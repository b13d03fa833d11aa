"""Retouching: what is painted is the frame as the merge laid it, the rest stays to the bit, and all can be undone."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st

from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.prove.merge.retouch import Retouch, Source, Stroke, sources_of

SHAPE = (120, 160, 3)


def grain(seed: int) -> np.ndarray:
    rough = np.random.default_rng(seed).integers(8000, 50000, SHAPE).astype(np.float32)
    return np.round(cv2.GaussianBlur(rough, (0, 0), 1.5)).astype(np.uint16)


@pytest.fixture(scope="module")
def frames(tmp_path_factory) -> Path:
    """Three frames of one size; the second as if it had been drawn 3 px right, 2 down of where the first is."""
    folder = tmp_path_factory.mktemp("frames")
    base = grain(1)
    for number, pixels in enumerate((base, np.roll(base, (2, 3), (0, 1)), grain(2))):
        write_picture(folder / f"f{number}.tif", pixels, shot=Shot(focal_mm=50.0), force=True)
    return folder


def sources(folder: Path, stops: float = 0.0) -> list[Source]:
    moved = np.array([[1.0, 0, -3.0], [0, 1.0, -2.0], [0, 0, 1.0]])
    return [
        Source(folder / f"f{k}.tif", matrix, np.full(3, stops))
        for k, matrix in enumerate((np.eye(3), moved, np.eye(3)))
    ]


def test_the_middle_of_a_stroke_is_the_frame_and_beyond_it_nothing_changes(frames: Path) -> None:
    merged = grain(3)
    work = Retouch(merged, sources(frames))
    box = work.paint(Stroke(2, ((60.0, 80.0),), 20.0))
    assert box is not None
    rows, columns = np.mgrid[: SHAPE[0], : SHAPE[1]]
    away = np.hypot(rows - 60, columns - 80)
    assert np.array_equal(work.pixels[away < 13.0], grain(2)[away < 13.0])
    assert np.array_equal(work.pixels[away > 20.5], merged[away > 20.5])
    between = (away > 15.0) & (away < 19.0)
    low, high = np.minimum(merged, grain(2))[between], np.maximum(merged, grain(2))[between]
    assert np.all((work.pixels[between] >= low) & (work.pixels[between] <= high))


def test_a_frame_is_painted_where_the_merge_laid_it(frames: Path) -> None:
    """The second frame, moved back by the report's matrix, is the first to the bit."""
    work = Retouch(grain(3), sources(frames))
    work.paint(Stroke(1, ((50.0, 40.0), (50.0, 120.0)), 16.0))
    assert np.abs(work.pixels[42:58, 44:116].astype(int) - grain(1)[42:58, 44:116]).max() <= 2
    assert np.abs(work.whole(1)[10:100, 10:140].astype(int) - grain(1)[10:100, 10:140]).max() <= 2


def test_light_that_the_merge_evened_is_evened(frames: Path) -> None:
    """A frame told as half a stop brighter is painted half a stop darker, in linear light."""

    def linear(coded):
        part = coded / 65535.0
        return np.where(part <= 0.04045, part / 12.92, ((part + 0.055) / 1.055) ** 2.4)

    work = Retouch(grain(3), sources(frames, stops=0.5))
    work.paint(Stroke(2, ((60.0, 80.0),), 20.0))
    told = linear(work.pixels[60, 80].astype(float)) / linear(grain(2)[60, 80].astype(float))
    assert told == pytest.approx(np.full(3, 2**-0.5), rel=2e-3)


@settings(max_examples=25, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 2), st.floats(-20, 140), st.floats(-20, 180), st.floats(1, 60)),
        min_size=1,
        max_size=5,
    )
)
def test_undoing_all_brings_the_merge_back_and_redoing_all_the_strokes(frames: Path, strokes) -> None:
    merged = grain(3)
    work = Retouch(merged, sources(frames))
    for number, row, column, radius in strokes:
        work.paint(Stroke(number, ((row, column),), radius))
    painted, count = work.pixels.copy(), work.strokes
    while work.undo() is not None:
        pass
    assert np.array_equal(work.pixels, merged)
    while work.redo() is not None:
        pass
    assert np.array_equal(work.pixels, painted)
    assert work.strokes == count


def test_a_line_that_runs_beside_the_picture_reaches_as_far_into_it_as_it_is_wide(frames: Path) -> None:
    merged = grain(3)
    work = Retouch(merged, sources(frames))
    work.paint(Stroke(2, ((-6.0, 20.0), (-6.0, 140.0)), 16.0))
    changed = np.any(work.pixels != merged, axis=2)
    rows = np.flatnonzero(changed[:, 60:100].any(axis=1))
    assert rows.min() == 0
    assert 7 <= rows.max() <= 10
    assert changed[0, 30:130].all()


def test_what_lies_beside_the_picture_changes_nothing(frames: Path) -> None:
    work = Retouch(grain(3), sources(frames))
    for places, radius in (
        (((500.0, 500.0),), 20.0),
        ((), 20.0),
        (((60.0, float("nan")),), 20.0),
        (((60.0, 60.0),), 0.0),
    ):
        assert work.paint(Stroke(0, places, radius)) is None
    assert work.undo() is None


def test_the_command_takes_a_thing_from_one_frame(frames: Path, tmp_path: Path, capsys) -> None:
    merged, report, out = tmp_path / "m.tif", tmp_path / "m.json", tmp_path / "r.tif"
    code = main(["merge", *(str(frames / f"f{k}.tif") for k in (0, 2)), "--out", str(merged), "--report", str(report),
                 "--no-align", "--quiet"])  # fmt: skip
    assert code in (0, 1)
    given = ["retouch", str(merged), "--report", str(report), "--frames", str(frames), "--out", str(out)]
    assert main([*given, "--take", "f2.tif@60,80,25"]) == 0
    told = tifffile.imread(out)[60, 80].astype(int) - grain(2)[60, 80]
    evening = np.abs(json.loads(report.read_text())["frames"][1]["evened_stops"]).max()
    assert np.abs(told).max() <= 2 + 65535 * evening
    capsys.readouterr()
    for wrong, says in (
        ("f9.tif@60,80,25", "none of the merge's frames"),
        ("f2.tif@600,800,25", "nothing changes"),
        ("f2.tif@60,80,0", "a radius of 0 px"),
    ):
        assert main([*given, "--force", "--take", wrong]) == 2
        assert says in capsys.readouterr().err
    assert main([*given, "--take", "f2.tif@60,80,25"]) == 2, "nothing is written over"


@pytest.mark.parametrize("damage", ["format", "frames", "matrix", "number"])
def test_a_report_that_is_none_is_one_sentence(frames: Path, damage: str) -> None:
    report = {
        "format": "verispect-merge",
        "frames": [{"file": "f0.tif", "matrix": np.eye(3).tolist(), "evened_stops": [0, 0, 0]}],
    }
    assert len(sources_of(report, frames, name="x.json")) == 1
    if damage == "format":
        report["format"] = "other"
    elif damage == "frames":
        report["frames"] = [{"file": "gone.tif", "matrix": np.eye(3).tolist()}]
    elif damage == "matrix":
        report["frames"][0]["matrix"] = np.zeros((3, 3)).tolist()
    else:
        report["frames"] = 7
    with pytest.raises(FileError):
        sources_of(report, frames, name="x.json")


def test_a_cut_picture_is_retouched_where_it_was_cut(frames: Path, tmp_path: Path) -> None:
    """`merge --crop` writes a part; what is painted onto it is the frame as it lies there."""
    whole, cut, report = tmp_path / "whole.tif", tmp_path / "cut.tif", tmp_path / "cut.json"
    pair = [str(frames / "f0.tif"), str(frames / "f1.tif")]
    assert main(["merge", *pair, "--out", str(whole), "--quiet"]) == 0
    assert main(["merge", *pair, "--out", str(cut), "--crop", "--report", str(report), "--quiet"]) == 0
    told = json.loads(report.read_text())
    top, left, bottom, right = told["crop"]
    assert told["cropped"] is True
    assert (bottom - top, right - left) < SHAPE[:2]
    assert np.array_equal(tifffile.imread(cut), tifffile.imread(whole)[top:bottom, left:right])
    laid = Retouch(tifffile.imread(cut), sources_of(told, frames, name="cut.json"))
    full = Retouch(tifffile.imread(whole), sources_of(told | {"cropped": False}, frames, name="whole.json"))
    laid.paint(Stroke(1, ((50.0, 60.0),), 15.0))
    full.paint(Stroke(1, ((50.0 + top, 60.0 + left),), 15.0))
    apart = laid.pixels.astype(int) - full.pixels[top:bottom, left:right]
    assert np.abs(apart)[20:-20, 20:-20].max() <= 2
