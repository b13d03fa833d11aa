"""Small pictures of frames of every kind: upright, like the frame, and nothing for what is no picture."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from tests.raw_file import write_raw
from verispect.files.picture_out import write_picture
from verispect.prove.taken_in.thumbnails import SIDE, thumbnail, thumbnails


def scene() -> np.ndarray:
    """Dark on the left, bright on the right, its top third red."""
    pixels = np.tile(np.linspace(0.1, 0.9, 900)[None, :, None], (600, 1, 3))
    pixels[:200, :, 1:] *= 0.3
    return (pixels * 65535).astype(np.uint16)


@pytest.mark.parametrize("name", ["a.tif", "a.jpg", "a.png"])
def test_a_small_picture_is_like_the_frame(tmp_path: Path, name: str) -> None:
    write_picture(tmp_path / name, scene())
    small = thumbnail(tmp_path / name)
    assert small.shape == (48, SIDE, 3)
    assert small.dtype == np.uint8
    wanted = (scene() >> 8).astype(float)[6::12, 6::12][:48, :72]
    assert np.abs(small[:, 4:-4].astype(float) - wanted[:, 4:-4]).mean() < 6.0


def test_an_upright_frame_stands_upright(tmp_path: Path) -> None:
    # As the file lies: laid on its side by one who looks at it upright.
    write_picture(tmp_path / "a.tif", np.ascontiguousarray(np.rot90(scene(), -1)), orientation=6)
    assert np.array_equal(tifffile.imread(tmp_path / "a.tif"), scene())
    small = thumbnail(tmp_path / "a.tif")
    assert small.shape == (SIDE, 48, 3)
    # Turned clockwise, what was on the left comes on top, and the red top to the right.
    assert small[:10].mean() < small[-10:].mean()
    assert small[-10:, -10:, 1].mean() < small[-10:, :10, 1].mean()


def test_eight_bits_grey_and_raw(tmp_path: Path) -> None:
    Image.fromarray((scene()[..., 0] >> 8).astype(np.uint8)).save(tmp_path / "grey.tif")
    Image.fromarray((scene() >> 8).astype(np.uint8)).save(tmp_path / "packed.tif", compression="tiff_lzw")
    write_raw(tmp_path / "raw.dng", np.tile(np.arange(400, dtype=np.uint16) * 60, (300, 1)))
    for name in ("grey.tif", "packed.tif", "raw.dng"):
        assert max(thumbnail(tmp_path / name).shape[:2]) == SIDE, name


def test_what_is_no_picture_is_left_out(tmp_path: Path) -> None:
    write_picture(tmp_path / "a.tif", scene())
    (tmp_path / "b.tif").write_bytes(b"no picture")
    found = thumbnails([tmp_path / "a.tif", tmp_path / "b.tif"])
    assert [name for name, _ in found] == ["a.tif"]
