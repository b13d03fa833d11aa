"""Writing whole or not at all, whatever lies there: links, protected files, long names, what a kill left."""

from __future__ import annotations

import os
import shutil
import time

import numpy as np
import pytest

from verispect.cli import main
from verispect.errors import FileError
from verispect.files import atomic
from verispect.files.atomic import ready_for, write_atomically
from verispect.files.picture_out import write_picture


def test_a_link_stays_a_link_and_what_it_leads_to_is_written(tmp_path) -> None:
    (tmp_path / "real").mkdir()
    target, link = tmp_path / "real" / "plan", tmp_path / "plan"
    target.write_bytes(b"old")
    link.symlink_to(target)
    write_atomically(link, b"new", keep_backup=True)
    assert link.is_symlink()
    assert target.read_bytes() == b"new"
    assert (tmp_path / "real" / "plan~").read_bytes() == b"old"


def test_a_protected_file_is_not_written_over(tmp_path) -> None:
    path = tmp_path / "plan"
    path.write_bytes(b"old")
    path.chmod(0o444)
    with pytest.raises(FileError, match="protected against writing"):
        write_atomically(path, b"new")
    assert path.read_bytes() == b"old"


def test_the_longest_name_there_is_can_be_saved_twice(tmp_path) -> None:
    path = tmp_path / ("x" * 255)
    for content in (b"one", b"two"):
        write_atomically(path, content, keep_backup=True)
    assert path.read_bytes() == b"two"


def test_there_is_no_moment_without_a_backup(tmp_path, monkeypatch) -> None:
    path = tmp_path / "plan"
    for content in (b"one", b"two"):
        write_atomically(path, content, keep_backup=True)
    seen = []
    second_name = atomic._second_name

    def watched(*names):
        seen.append((tmp_path / "plan~").read_bytes())
        second_name(*names)

    monkeypatch.setattr(atomic, "_second_name", watched)
    write_atomically(path, b"three", keep_backup=True)
    assert seen == [b"one"]
    assert (tmp_path / "plan~").read_bytes() == b"two"


def test_what_a_kill_left_long_ago_is_swept_and_what_may_be_in_use_is_not(tmp_path) -> None:
    old, new, other = (tmp_path / name for name in (".verispect-part-a", ".verispect-part-b", ".else"))
    for path in (old, new, other):
        path.write_bytes(b"half")
    for path in (old, other):
        os.utime(path, (time.time() - 1e6,) * 2)
    write_atomically(tmp_path / "plan", b"whole")
    assert sorted(path.name for path in tmp_path.iterdir()) == [".else", ".verispect-part-b", "plan"]


def test_a_write_that_fails_leaves_nothing_behind(tmp_path, monkeypatch) -> None:
    path = tmp_path / "plan"
    path.write_bytes(b"old")

    def full(_handle):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(atomic.os, "fsync", full)
    with pytest.raises(FileError, match="free some space"):
        write_atomically(path, b"new")
    assert [entry.name for entry in tmp_path.iterdir()] == ["plan"]
    assert path.read_bytes() == b"old"


def test_a_place_that_takes_nothing_is_told_before_the_work(tmp_path, monkeypatch) -> None:
    ready_for(tmp_path / "new.tif", 1000)
    ready_for(tmp_path / "new.tif", shutil.disk_usage(tmp_path).free // 2)
    with pytest.raises(FileError, match=r"no such folder to write m\.tif in"):
        ready_for(tmp_path / "none" / "m.tif")
    with pytest.raises(FileError, match="this is a folder"):
        ready_for(tmp_path)
    with pytest.raises(FileError, match=r"takes \d+ MB and \d+ are free"):
        ready_for(tmp_path / "m.tif", 10**18)
    meant_to_stay = tmp_path / "kept.tif"
    meant_to_stay.touch(0o444)
    with pytest.raises(FileError, match="protected against writing"):
        ready_for(meant_to_stay)
    # Whoever runs the tests may be allowed everything.
    monkeypatch.setattr(atomic.os, "access", lambda _folder, _how: False)
    with pytest.raises(FileError, match="cannot be written to"):
        ready_for(tmp_path / "m.tif")


@pytest.mark.parametrize("words", [["merge"], ["join"]])
def test_commands_do_not_work_for_a_place_that_takes_nothing(words: list[str], tmp_path, capsys) -> None:
    """Frames that are cut would be complained of as soon as one was read."""
    for k in range(2):
        path = tmp_path / f"f{k}.tif"
        write_picture(path, np.full((40, 60, 3), 9000 * (k + 1), np.uint16))
        path.write_bytes(path.read_bytes()[:-6000])
    assert main([*words, str(tmp_path), "--out", str(tmp_path / "m.tif"), "--quiet"]) == 2
    assert "f0.tif" in capsys.readouterr().err
    for out, said in (("none/m.tif", "no such folder"), ("m.xyz", "give it one of these endings")):
        assert main([*words, str(tmp_path), "--out", str(tmp_path / out), "--quiet"]) == 2
        assert said in capsys.readouterr().err
