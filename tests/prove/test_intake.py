"""Frames taken in: any kind of picture, in the right order; what is no picture is told in one sentence."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.raw_file import write_raw
from verispect.errors import FileError
from verispect.files.picture_out import Shot, write_picture
from verispect.prove.intake import MOST_PIXELS, Frame, described, grey_linear, in_order, linear_of, read_coded
from verispect.prove.taken_in.folders import frames_in


def picture(path: Path, pixels: np.ndarray) -> Path:
    if path.suffix == ".tif":
        planes = {"planarconfig": "separate"} if pixels.shape[0] == 3 else {}
        kind = "rgb" if pixels.ndim == 3 else "minisblack"
        tifffile.imwrite(path, pixels, photometric=kind, **planes)
    else:
        Image.fromarray(pixels).save(path)
    return path


@pytest.mark.parametrize(
    ("name", "pixels", "expected"),
    [
        ("grey8.png", np.full((5, 7), 128, np.uint8), 128 * 257),
        ("grey8.tif", np.full((5, 7), 128, np.uint8), 128 * 257),
        ("grey16.tif", np.full((5, 7), 4000, np.uint16), 4000),
        ("colour16.tif", np.full((5, 7, 3), 4000, np.uint16), 4000),
        ("alpha8.png", np.full((5, 7, 4), 200, np.uint8), 200 * 257),
        ("alpha16.tif", np.full((5, 7, 4), 999, np.uint16), 999),
        ("float.tif", np.full((5, 7, 3), 0.5, np.float32), 32768),
        ("planes.tif", np.full((3, 5, 7), 77, np.uint16), 77),
    ],
)
def test_grey_colour_alpha_and_any_depth_are_read_alike(
    tmp_path: Path, name: str, pixels: np.ndarray, expected: int
) -> None:
    frame = described(picture(tmp_path / name, pixels))
    coded = read_coded(frame)
    assert coded.shape == (5, 7, 3)
    assert coded.dtype == np.uint16
    assert np.abs(coded.astype(int) - expected).max() <= 1


@pytest.mark.parametrize("suffix", [".png", ".jpg", ".tif"])
@pytest.mark.parametrize("channels", [3, 4])
def test_colours_keep_their_order_and_lie_pixel_by_pixel(tmp_path: Path, suffix: str, channels: int) -> None:
    """What lies channel by channel OpenCV would copy as a whole whenever a part of it is looked at."""
    if suffix == ".jpg" and channels == 4:
        return
    path = tmp_path / f"a{suffix}"
    colours = np.array([200, 120, 40, 255][:channels], np.uint8)
    Image.fromarray(np.broadcast_to(colours, (40, 60, channels)).copy()).save(path)
    coded = read_coded(described(path))
    assert np.abs(coded[20, 30].astype(int) // 257 - colours[:3]).max() <= 2
    assert coded.flags.c_contiguous


def test_a_camera_raw_is_developed(tmp_path: Path) -> None:
    path = tmp_path / "a.dng"
    write_raw(path, np.random.default_rng(0).integers(200, 3000, (240, 320), np.uint16))
    coded = read_coded(described(path))
    assert coded.ndim == 3
    assert coded.max() > 0


@pytest.mark.parametrize("suffix", [".tif", ".png", ".jpg", ".dng"])
@pytest.mark.parametrize("kept", [0.0, 0.05, 0.6])
def test_a_cut_picture_is_told(tmp_path: Path, suffix: str, kept: float) -> None:
    path = tmp_path / f"a{suffix}"
    if suffix == ".dng":
        write_raw(path, np.random.default_rng(0).integers(200, 3000, (240, 320), np.uint16))
    else:
        pixels = np.random.default_rng(0).integers(0, 255, (200, 300, 3), np.uint8)
        picture(path, pixels)
    content = path.read_bytes()
    path.write_bytes(content[: int(kept * len(content))])
    # Some kinds can be read as far as they go.
    said = None
    try:
        coded = read_coded(described(path))
    except FileError as error:
        said = str(error)
    if said is None:
        assert suffix in (".jpg", ".png", ".dng")
        assert coded.ndim == 3
    else:
        assert said == f"{path}: this is no picture that can be read, or it is cut"


@pytest.mark.parametrize("content", [b"", b"hello", b"\x89PNG\r\n\x1a\n", b"II*\0" + b"\xff" * 40])
@pytest.mark.parametrize("suffix", [".tif", ".png", ".jpg", ".nef"])
def test_what_is_no_picture_is_told(tmp_path: Path, content: bytes, suffix: str) -> None:
    path = tmp_path / f"a{suffix}"
    path.write_bytes(content)
    with pytest.raises(FileError, match="no picture that can be read"):
        read_coded(described(path))


def test_a_picture_far_too_large_is_refused_before_it_is_read(tmp_path: Path) -> None:
    import struct
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0))
    path = tmp_path / "vast.png"
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0")) + chunk(b"IEND", b""))
    with pytest.raises(FileError, match=str(MOST_PIXELS)):
        described(path)


def test_folders_are_read_in_the_order_a_person_counts(tmp_path: Path) -> None:
    for name in ("a-10.png", "a-2.PNG", "a-1.png", "notes.txt", "run.json"):
        (tmp_path / name).write_bytes(b"x")
    assert [path.name for path in frames_in([tmp_path])] == ["a-1.png", "a-2.PNG", "a-10.png"]
    assert len(frames_in([tmp_path, tmp_path / "a-1.png"])) == 3


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda p: p / "gone", "no such file"),
        (lambda p: p, "no pictures in this folder"),
        (lambda p: (p / "a.txt").write_text("x") and p / "a.txt", "no picture by its ending"),
    ],
)
def test_places_without_pictures_say_what_would_be_right(tmp_path: Path, make, said: str) -> None:
    with pytest.raises(FileError, match=said):
        frames_in([make(tmp_path)])


def test_time_goes_before_names_only_where_every_frame_tells_it(tmp_path: Path) -> None:
    noon = datetime(2027, 1, 1, 12)
    frames = [Frame(tmp_path / f"{k}.tif", (4, 4), noon - timedelta(seconds=k)) for k in range(3)]
    assert [frame.number for frame in in_order(frames)] == [2, 1, 0]
    untold = [*frames, Frame(tmp_path / "9.tif", (4, 4))]
    assert [frame.number for frame in in_order(untold)] == [0, 1, 2, 9]


def test_two_frames_of_one_second_are_parted_by_its_thousandths(tmp_path: Path) -> None:
    for number, thousandth in ((1, 700), (2, 100)):
        taken = datetime(2027, 1, 1, 12, 0, 0, thousandth * 1000)
        write_picture(tmp_path / f"{number}.tif", np.zeros((4, 4, 3), np.uint16), shot=Shot(taken=taken))
    assert [frame.number for frame in in_order([described(path) for path in frames_in([tmp_path])])] == [2, 1]


def test_light_is_that_of_the_standard_curve() -> None:
    """IEC 61966-2-1: half of the code is 0.2140 of the light."""
    found = linear_of(np.array([[[0, 32768, 65535]]], np.uint16))[0, 0]
    assert found == pytest.approx([0.0, 0.21404, 1.0], abs=1e-4)


def test_averaging_keeps_the_light() -> None:
    coded = np.random.default_rng(0).integers(0, 65536, (64, 96, 3), np.uint16)
    whole, small = grey_linear(coded, 1), grey_linear(coded, 4)
    assert small.shape == (16, 24)
    assert small == pytest.approx(whole.reshape(16, 4, 24, 4).mean((1, 3)), abs=1e-5)
