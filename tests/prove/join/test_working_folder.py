"""The folder that a long join works in."""

from __future__ import annotations

import contextlib
from pathlib import Path

import pytest

from verispect.errors import Cancelled, FileError
from verispect.prove.join.working_folder import PAINTED, place_of, working_folder


def test_it_goes_with_the_result_stays_with_a_stop_and_goes_where_nothing_can_come_of_it(tmp_path: Path) -> None:
    out = tmp_path / "wide.tif"
    with working_folder(out) as folder:
        assert folder.parent == tmp_path
        (folder / "pixels").write_bytes(b"x")
    assert not folder.exists()
    with contextlib.suppress(Cancelled), working_folder(out) as folder:
        (folder / "pixels").write_bytes(b"x")
        raise Cancelled
    assert (place_of(out) / "pixels").exists(), "another try goes on with it"
    with pytest.raises(FileError), working_folder(out):
        raise FileError("nothing to join")
    assert not place_of(out).exists()
    with contextlib.suppress(FileError), working_folder(out) as folder:
        (folder / PAINTED).write_bytes(b"1")
        raise FileError("the disk is full")
    assert (place_of(out) / PAINTED).exists(), "what is painted is worth another try"
    with pytest.raises(FileError, match="cannot be made"), working_folder(tmp_path / "none" / "wide.tif"):
        pass
