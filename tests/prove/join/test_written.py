"""A grid joined into a file: nothing of a long join is lost where the file cannot be written."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.prove.join.spheres import taken, turn
from verispect.errors import FileError
from verispect.prove.intake import described, read_coded
from verispect.prove.join import large, written
from verispect.prove.join.working_folder import place_of
from verispect.prove.join.written import join_to


def test_a_full_disk_at_the_end_costs_only_the_end(tmp_path: Path, monkeypatch) -> None:
    frames, out = tmp_path / "frames", tmp_path / "wide.zarr"
    frames.mkdir()
    taken(frames, [turn(b, 0) for b in (-20, 0, 20)])
    really = written.write_large

    def full(*_given: object, **_how: object) -> None:
        raise FileError("no space left on device")

    monkeypatch.setattr(written, "write_large", full)
    with pytest.raises(FileError, match="no space left"):
        join_to(out, [frames], sensor_mm=None, exposures=None)
    assert place_of(out).is_dir()
    monkeypatch.setattr(written, "write_large", really)
    # Nothing is measured or painted a second time.
    monkeypatch.setattr("verispect.prove.join.grid.small_pictures", None)
    monkeypatch.setattr(large, "paint_parts", None)
    join_to(out, [frames], sensor_mm=None, exposures=None)
    assert out.is_dir()
    assert not place_of(out).exists()


def test_a_small_one_is_written_by_its_ending(tmp_path: Path) -> None:
    frames = tmp_path / "frames"
    frames.mkdir()
    taken(frames, [turn(b, 0) for b in (0, 20)])
    joined = join_to(tmp_path / "wide.jpg", [frames], sensor_mm=None, exposures=None)
    assert not joined.on_disk
    back = read_coded(described(tmp_path / "wide.jpg"))
    assert back.shape == joined.pixels.shape
    assert float(abs(back.astype(float) - joined.pixels).mean()) < 0.02 * 65535
