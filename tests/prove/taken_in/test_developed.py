"""Raws of one set are developed with one white balance, though the camera noted another for every frame."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from tests.raw_file import write_raw
from verispect.cli import main
from verispect.files.picture_out import write_picture
from verispect.prove.intake import described, read_coded
from verispect.prove.merge.retouch import sources_of
from verispect.prove.resources.recall import file_key
from verispect.prove.taken_in.developed import developed_alike, developed_dict


@pytest.fixture
def raws(tmp_path: Path) -> list[Path]:
    """The same light, thought to be daylight and then a lamp's."""
    smooth = np.random.default_rng(3).uniform(8000, 30000, (15, 20))
    mosaic = np.kron(smooth, np.ones((16, 16))).astype(np.uint16)
    paths = [tmp_path / "a.dng", tmp_path / "b.dng"]
    write_raw(paths[0], mosaic, neutral=(0.5, 1.0, 0.7))
    write_raw(paths[1], mosaic, neutral=(0.8, 1.0, 0.4))
    return paths


def test_one_white_balance(raws: list[Path]) -> None:
    frames = [described(path) for path in raws]
    own = [read_coded(frame) for frame in frames]
    assert np.abs(own[0].astype(float) - own[1]).max() > 2000.0
    alike = developed_alike(frames)
    first, second = (read_coded(frame) for frame in alike)
    np.testing.assert_array_equal(first, second)
    # As the first was meant by its camera.
    np.testing.assert_allclose(first.astype(float), own[0], atol=700.0)
    told = developed_dict(alike)
    assert told is not None
    # What looks neutral is 0.5 to 1 to 0.7, and is made grey by the inverse.
    assert told["white_balance"][:3] == pytest.approx([2.0, 1.0, 1.0 / 0.7], rel=0.01)
    assert file_key(alike[1]) != file_key(frames[1])


def test_what_is_no_raw_stays(raws: list[Path], tmp_path: Path) -> None:
    picture = tmp_path / "c.tif"
    write_picture(picture, np.zeros((240, 320, 3), np.uint16))
    frames = [described(picture), described(raws[0])]
    assert developed_alike(frames) == frames
    assert developed_dict(frames) is None


def test_the_report_of_a_merge_says_it_and_retouching_follows(raws: list[Path], tmp_path: Path, capsys) -> None:
    out, report = tmp_path / "m.tif", tmp_path / "m.json"
    assert main(["merge", *map(str, raws), "--out", str(out), "--report", str(report), "--quiet"]) == 0
    assert "one white balance" in capsys.readouterr().out
    told = json.loads(report.read_text())
    assert told["developed"]["white_balance"][0] == pytest.approx(2.0, rel=0.01)
    assert told["frames"][1]["evened_stops"] == pytest.approx([0.0, 0.0, 0.0], abs=0.01)
    sources = sources_of(told, tmp_path, name=report.name)
    assert sources[1].white == pytest.approx(told["developed"]["white_balance"])
