"""Pictures written, and read again by other libraries: pixels, metadata, whole or not at all."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import cv2
import exifread
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageCms

from verispect.errors import FileError
from verispect.files.picture_out import Shot, not_over, write_picture
from verispect.prove.intake import described, read_coded

TAKEN = datetime(2027, 3, 14, 16, 5, 9, 250_000)
SHOT = Shot(
    focal_mm=24.0, f_number=8.0, shutter_s=1 / 30, iso=100.0, subject_m=3.25, taken=TAKEN, pixel_mm=0.0044,
    lens="Narrow 24", description="a test",
)  # fmt: skip


def noise(rows: int = 40, columns: int = 60) -> np.ndarray:
    return np.random.default_rng(1).integers(0, 65536, (rows, columns, 3), np.uint16)


@pytest.mark.parametrize("suffix", [".tif", ".tiff", ".jpg", ".jpeg"])
def test_what_is_told_of_a_picture_is_read_by_others(tmp_path: Path, suffix: str) -> None:
    path = tmp_path / f"a{suffix}"
    write_picture(path, noise(), shot=SHOT)
    with path.open("rb") as stream:
        tags = exifread.process_file(stream, details=False)
    assert float(tags["EXIF FocalLength"].values[0]) == 24.0
    assert float(tags["EXIF FNumber"].values[0]) == 8.0
    assert float(tags["EXIF ExposureTime"].values[0]) == pytest.approx(1 / 30, rel=1e-5)
    assert tags["EXIF ISOSpeedRatings"].values[0] == 100
    assert float(tags["EXIF SubjectDistance"].values[0]) == 3.25
    assert str(tags["EXIF DateTimeOriginal"]) == "2027:03:14 16:05:09"
    assert str(tags["EXIF LensModel"]) == "Narrow 24"
    again = described(path)
    assert again.taken == TAKEN
    assert again.pixel_mm == pytest.approx(0.0044, rel=1e-4)
    assert again.pixels == (60, 40)


@pytest.mark.parametrize("suffix", [".tif", ".png"])
def test_sixteen_bits_come_back_as_they_were(tmp_path: Path, suffix: str) -> None:
    path, pixels = tmp_path / f"a{suffix}", noise()
    write_picture(path, pixels, shot=SHOT)
    assert np.array_equal(read_coded(described(path)), pixels)
    other = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    assert np.array_equal(other[..., ::-1], pixels)


def test_a_jpeg_holds_the_upper_eight_bits(tmp_path: Path) -> None:
    pixels = np.full((32, 32, 3), (0, 32896, 65535), np.uint16)
    write_picture(tmp_path / "a.jpg", pixels)
    assert np.abs(np.asarray(Image.open(tmp_path / "a.jpg")).astype(int) - (0, 128, 255)).max() <= 2


@pytest.mark.parametrize("suffix", [".tif", ".jpg"])
def test_a_profile_and_an_orientation_are_handed_on(tmp_path: Path, suffix: str) -> None:
    icc = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    path = tmp_path / f"a{suffix}"
    write_picture(path, noise(), shot=SHOT, icc=icc, orientation=6)
    with Image.open(path) as picture:
        if suffix == ".jpg":
            assert picture.info["icc_profile"] == icc
        assert picture.getexif()[274] == 6
    assert described(path).orientation == 6


@given(st.floats(1e-5, 1e4), st.floats(1.0, 2000.0), st.floats(0.01, 1e6))
def test_any_figure_survives_as_a_fraction(tmp_path_factory, seconds: float, focal: float, metres: float) -> None:
    path = tmp_path_factory.mktemp("p") / "a.tif"
    write_picture(path, noise(4, 4), shot=Shot(shutter_s=seconds, focal_mm=focal, subject_m=metres))
    frame = described(path)
    assert frame.shutter_s == pytest.approx(seconds, rel=0.1 if seconds < 1e-4 else 0.01)
    assert frame.focal_mm == pytest.approx(focal, rel=1e-6)
    assert frame.subject_m == pytest.approx(metres, rel=1e-4)


def test_nothing_is_written_over_unasked(tmp_path: Path) -> None:
    path = tmp_path / "a.tif"
    path.write_bytes(b"mine")
    with pytest.raises(FileError, match="--force"):
        write_picture(path, noise())
    assert path.read_bytes() == b"mine"
    not_over(path, force=True)
    write_picture(path, noise(), force=True)
    assert path.stat().st_size > 1000


def test_an_unknown_ending_says_what_would_be_right(tmp_path: Path) -> None:
    with pytest.raises(FileError, match=r"\.tif"):
        write_picture(tmp_path / "a.webm", noise())
    assert list(tmp_path.iterdir()) == []


def test_a_folder_that_is_not_there_is_told(tmp_path: Path) -> None:
    with pytest.raises(FileError, match="gone"):
        write_picture(tmp_path / "gone" / "a.tif", noise())
