"""The magnification of a picture of a ruler, by hand."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import a_lens, make_plan
from verispect.cli import main
from verispect.errors import FileError
from verispect.files.picture_out import write_picture
from verispect.files.plan_file import plan_to_text, read_plan
from verispect.kit.lens import Lens
from verispect.prove.trials.close_test import close_test, kept_in_lens


@pytest.fixture
def frame(tmp_path: Path) -> Path:
    path = tmp_path / "ruler.tif"
    write_picture(path, np.zeros((800, 1200, 3), np.uint16))
    return path


def test_by_hand(frame: Path) -> None:
    # 900 of 1200 pixels of 36 mm are 27 mm on the sensor; 54 mm of the ruler are drawn half as large.
    found = close_test(frame, ends=((100.0, 100.0), (100.0, 1000.0)), apart_mm=54.0, sensor_long_mm=36.0)
    assert found.magnification == pytest.approx(0.5)
    assert 0.0005 < found.plus_minus < 0.01
    aslant = close_test(frame, ends=((100.0, 100.0), (640.0, 820.0)), apart_mm=54.0, sensor_long_mm=36.0)
    assert aslant.magnification == pytest.approx(0.5)


def test_the_distance_follows_where_the_lens_moves_as_a_whole(frame: Path) -> None:
    found = close_test(frame, ends=((0.0, 0.0), (0.0, 900.0)), apart_mm=54.0, sensor_long_mm=36.0)
    lens = Lens.model_validate(a_lens(60.0, closest_m=0.3))
    kept = kept_in_lens(found, lens)
    # Half life size of 60 mm: the image 90 mm behind the lens, the object 180 mm before it.
    assert kept["closest_m"] == pytest.approx(0.27)
    inner = Lens.model_validate(a_lens(60.0, closest_m=0.3, focusing="internal", closest_magnification=0.4))
    assert "closest_m" not in kept_in_lens(found, inner)


def test_the_command_keeps_it(frame: Path, tmp_path: Path, capsys) -> None:
    plan, out = tmp_path / "a.verispect", tmp_path / "b.verispect"
    plan.write_text(plan_to_text(make_plan([(0.0, 1.5, 4.0)], lenses=[a_lens(60.0)])))
    name = read_plan(plan).kit.lenses[0].name
    given = ["close-test", str(frame), "--ends", "0,0", "0,900", "--apart", "54", "--plan", str(plan), "--lens", name]
    assert main([*given, "--out", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["magnification"] == pytest.approx(0.5)
    lens = read_plan(out).kit.lenses[0]
    assert lens.closest_magnification == 0.5
    assert lens.plus_minus["closest_magnification"] > 0.0
    assert set(lens.measured) == {"closest_magnification", "closest_m"}


def test_places_that_tell_nothing_are_refused(frame: Path) -> None:
    with pytest.raises(FileError, match="px apart"):
        close_test(frame, ends=((0.0, 0.0), (0.0, 50.0)), apart_mm=5.0, sensor_long_mm=36.0)
