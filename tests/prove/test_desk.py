"""What the window asks another process to do."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from verispect.files.picture_out import write_picture
from verispect.prove.desk import merge_files
from verispect.prove.intake import described, read_coded


def test_a_merge_keeps_the_orientation_of_its_frames_and_tells_how_they_were_laid(tmp_path: Path) -> None:
    grain = np.random.default_rng(0).integers(0, 60000, (96, 128, 3)).astype(np.uint16)
    files = [tmp_path / f"f{k}.tif" for k in range(2)]
    for path in files:
        write_picture(path, grain, orientation=6)
    target = tmp_path / "merged" / "m.tif"
    found = merge_files(files, None, target, True, progress=lambda _share: None, is_cancelled=lambda: False)
    assert found is not None
    assert described(target).orientation == 6
    # Looked at, it stands as its frames do.
    assert described(target).pixels == described(files[0]).pixels == (128, 96)
    assert np.abs(read_coded(described(target)).astype(int) - grain).max() <= 2
    assert [frame["file"] for frame in found.report["frames"]] == ["f0.tif", "f1.tif"]
