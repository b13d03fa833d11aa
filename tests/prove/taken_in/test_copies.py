"""Files written twice, beside others that are nearly the same."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import tifffile

from verispect.errors import FileError
from verispect.prove.intake import described
from verispect.prove.taken_in.copies import copies_among


def test_only_what_is_the_same_pixel_for_pixel_is_a_copy(tmp_path: Path) -> None:
    pixels = np.random.default_rng(1).integers(0, 65535, (200, 300, 3)).astype(np.uint16)
    nearly = pixels.copy()
    nearly[0, 0, 0] ^= 1
    frames = []
    for k, one in enumerate([pixels, nearly, pixels, pixels[::-1], nearly]):
        path = tmp_path / f"frame-{k}.tif"
        tifffile.imwrite(path, one, photometric="rgb", description=f"frame {k}")
        frames.append(described(path))
    assert copies_among(frames) == {2: 0, 4: 1}
    assert copies_among([]) == {}


def test_a_file_that_went_meanwhile_is_one_sentence(tmp_path: Path) -> None:
    path = tmp_path / "frame.tif"
    tifffile.imwrite(path, np.zeros((20, 30, 3), np.uint16), photometric="rgb")
    frame = described(path)
    path.unlink()
    with pytest.raises(FileError, match="cannot be read"):
        copies_among([frame])
