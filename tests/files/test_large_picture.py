"""Large pictures read back by the libraries that know their formats."""

from __future__ import annotations

import tracemalloc
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest

from verispect.errors import Cancelled, FileError
from verispect.files import large_picture
from verispect.files.large_picture import write_large
from verispect.files.picture_out import Shot

RNG = np.random.default_rng(0)
PIXELS = RNG.integers(0, 65536, (1300, 2201, 3)).astype(np.uint16)


@pytest.mark.parametrize("big", [False, True])
def test_a_tiff_holds_the_picture_and_smaller_ones_of_itself(tmp_path: Path, monkeypatch, big: bool) -> None:
    import tifffile

    if big:
        monkeypatch.setattr(large_picture, "_CLASSIC_BYTES", 1000)
    out = tmp_path / "a.tif"
    shot = Shot(description="yard", taken=datetime(2027, 3, 14, 16, 30), focal_mm=85.0, f_number=8.0, lens="Long 85")
    write_large(out, PIXELS, room=tmp_path, shot=shot, icc=b"x" * 140)
    with tifffile.TiffFile(out) as read:
        assert read.is_bigtiff is big
        page = read.pages[0]
        assert page.is_tiled
        assert np.array_equal(page.asarray(), PIXELS)
        assert page.tags["InterColorProfile"].value == b"x" * 140
        assert page.description == "yard"
        told = page.tags["ExifTag"].value
        assert (told["FocalLength"], told["FNumber"], told["LensModel"]) == ((85, 1), (8, 1), "Long 85")
        assert told["DateTimeOriginal"] == "2027:03:14 16:30:00"
        levels = read.series[0].levels
        assert [level.shape for level in levels] == [(1300, 2201, 3), (650, 1100, 3), (325, 550, 3)]
        half = PIXELS[:1300, :2200].astype(float).reshape(650, 2, 1100, 2, 3).mean(axis=(1, 3))
        assert float(np.abs(levels[1].asarray() - half).max()) <= 0.5


def test_a_zarr_is_an_array_that_says_what_it_is(tmp_path: Path) -> None:
    import zarr

    out = tmp_path / "a.zarr"
    write_large(out, PIXELS, room=tmp_path)
    read = zarr.open_array(str(out), mode="r")
    assert np.array_equal(read[:], PIXELS)
    assert read.attrs["axes"] == ["row", "column", "channel"]
    with pytest.raises(FileError, match="there is such a file already"):
        write_large(out, PIXELS, room=tmp_path)
    write_large(out, PIXELS[:900], room=tmp_path, force=True)
    assert zarr.open_array(str(out), mode="r").shape == (900, 2201, 3)


@pytest.mark.parametrize("name", ["a.tif", "a.zarr"])
def test_a_very_wide_picture_takes_no_more_memory_than_a_part_of_it(tmp_path: Path, name: str) -> None:
    """Strips of a joined picture of 76,000 columns, 512 rows high, were more than all the memory it may take."""
    wide = np.memmap(tmp_path / "pixels", np.uint16, "w+", shape=(600, 24_000, 3))
    wide[::7, ::5] = 4000
    tracemalloc.start()
    try:
        write_large(tmp_path / name, wide, room=tmp_path)
        most = tracemalloc.get_traced_memory()[1]
    finally:
        tracemalloc.stop()
    assert most < 1.2e8


def test_what_is_stopped_or_fails_leaves_nothing_half_done(tmp_path: Path) -> None:
    for name in ("a.tif", "a.zarr"):
        with pytest.raises(Cancelled):
            write_large(tmp_path / name, PIXELS, room=tmp_path, is_cancelled=lambda: True)
    with pytest.raises(FileError, match=r"name a \.tif or a \.zarr"):
        write_large(tmp_path / "a.jpg", PIXELS, room=tmp_path)
    with pytest.raises(FileError, match="could not be written"):
        write_large(tmp_path / "none" / "a.tif", PIXELS[:600], room=tmp_path)
    assert [path.name for path in tmp_path.iterdir() if not path.name.startswith("level")] == []
