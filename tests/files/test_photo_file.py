"""Photographs written by Pillow and tifffile are opened with what their metadata tells; broken ones are told."""

from __future__ import annotations

import io
import struct
import zlib
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from tests.raw_file import write_raw
from verispect.errors import FileError
from verispect.files.photo_file import MOST_PIXELS, read_picture
from verispect.prove.intake import described, read_coded


def exif(**tags: float) -> Image.Exif:
    made = Image.Exif()
    made[0x0112] = 1
    codes = {"orientation": 0x0112}
    inner = {"focal": 0x920A, "focal_35": 0xA405, "per_unit": 0xA20E, "unit": 0xA210}
    for name, value in tags.items():
        if name in codes:
            made[codes[name]] = int(value)
        else:
            made.get_ifd(0x8769)[inner[name]] = value
    return made


def drawn(width: int = 300, height: int = 200) -> Image.Image:
    """Red left of the middle, blue right of it."""
    values = np.zeros((height, width, 3), np.uint8)
    values[:, : width // 2, 0] = values[:, width // 2 :, 2] = 200
    return Image.fromarray(values)


@pytest.mark.parametrize("kind", [".jpg", ".tif", ".png"])
def test_size_focal_length_and_sensor_are_read(tmp_path: Path, kind: str) -> None:
    path = tmp_path / f"picture{kind}"
    if kind == ".tif":
        # Pillow keeps the inner tags of a TIFF as a directory of its own.
        info = ImageFileDirectory_v2()
        info[34665] = {0x920A: 35.0, 0xA405: 53}
        drawn().save(path, tiffinfo=info)
    else:
        drawn().save(path, exif=exif(focal=35, focal_35=53))
    picture = read_picture(path)
    assert (picture.width, picture.height, picture.focal_mm) == (300, 200, 35.0)
    # 36 × 24 by the ratio of the focal lengths.
    assert picture.sensor_long_mm == pytest.approx(36.0 * 35 / 53, rel=1e-6)
    assert picture.shown.shape == (200, 300, 3)
    assert picture.shown[100, 10, 0] > 150 > picture.shown[100, 10, 2]


def test_pixels_to_a_unit_of_the_sensor_come_first(tmp_path: Path) -> None:
    path = tmp_path / "p.jpg"
    drawn().save(path, exif=exif(focal=50, focal_35=50, per_unit=300 / 2.36, unit=3))
    assert read_picture(path).sensor_long_mm == pytest.approx(23.6, rel=1e-3)


def test_a_picture_on_its_side_is_held_upright(tmp_path: Path) -> None:
    path = tmp_path / "p.jpg"
    drawn().save(path, exif=exif(orientation=6, focal=24))
    picture = read_picture(path)
    assert (picture.width, picture.height) == (200, 300)
    # Turned clockwise, left becomes top.
    assert picture.shown[10, 100, 0] > 150 > picture.shown[290, 100, 0]
    assert picture.focal_mm == 24.0
    assert picture.sensor_long_mm is None


def test_what_is_not_told_is_left_open_and_16_bits_are_shown(tmp_path: Path) -> None:
    path = tmp_path / "p.tif"
    Image.fromarray((np.arange(60000).reshape(200, 300)).astype(np.uint16)).save(path)
    picture = read_picture(path)
    assert (picture.focal_mm, picture.sensor_long_mm) == (None, None)
    assert picture.shown[0, 0, 0] < 3
    assert picture.shown[-1, -1, 0] > 250


def test_a_large_picture_is_reduced(tmp_path: Path) -> None:
    path = tmp_path / "p.jpg"
    drawn(6000, 4000).save(path)
    picture = read_picture(path)
    assert (picture.width, picture.height) == (6000, 4000)
    assert max(picture.shown.shape) <= 2400


def test_a_camera_raw_is_developed(tmp_path: Path) -> None:
    """A raw written with tifffile."""
    width, height = 320, 240
    path = tmp_path / "shot.dng"
    write_raw(path, np.full((height, width), 20000), focal_mm=35, focal_35_mm=53)
    picture = read_picture(path)
    assert (picture.width, picture.height) == (width, height)
    assert picture.shown.mean() > 40
    assert picture.focal_mm == 35.0
    assert picture.sensor_long_mm == pytest.approx(43.267 * 35 / 53 * 320 / 400, rel=1e-3)


def test_a_raw_of_one_channel_is_grey(tmp_path: Path) -> None:
    path = tmp_path / "grey.dng"
    write_raw(path, np.full((240, 320), 20000), colours=False)
    shown = read_picture(path).shown
    assert shown.shape == (240, 320, 3) or shown.shape == (120, 160, 3)
    assert (shown[..., 0] == shown[..., 1]).all()
    coded = read_coded(described(path))
    assert coded.shape == (240, 320, 3)
    assert (coded[..., 0] == coded[..., 2]).all()
    # sRGB's curve (IEC 61966-2-1) of 20000/65535, by hand 0.589.
    assert float(coded.mean()) / 65535.0 == pytest.approx(0.589, abs=0.02)


def test_broken_pictures_are_told(tmp_path: Path) -> None:
    good = io.BytesIO()
    drawn(1200, 900).save(good, "JPEG")
    huge = io.BytesIO()
    Image.new("L", (1, 1)).save(huge, "PNG")
    # The header alone is made to claim a picture of 10^12 pixels, with a right checksum.
    content = bytearray(huge.getvalue())
    content[16:24] = struct.pack(">II", 1_000_000, 1_000_000)
    content[29:33] = struct.pack(">I", zlib.crc32(bytes(content[12:29])))
    for name, bad, words in [
        ("cut.jpg", good.getvalue()[:9000], "broken or cut"),
        ("text.jpg", b"this is no picture", "no picture"),
        ("empty.png", b"", "no picture"),
        ("huge.png", bytes(content), "pixels"),
        ("raw.dng", b"II*\x00broken", "no camera raw"),
        ("p.gif", b"GIF89a", "ends in one of"),
    ]:
        path = tmp_path / name
        path.write_bytes(bad)
        with pytest.raises(FileError, match=words) as told:
            read_picture(path)
        assert name in str(told.value)
    with pytest.raises(FileError, match="no such file"):
        read_picture(tmp_path / "gone.jpg")
    assert MOST_PIXELS < 10**12
