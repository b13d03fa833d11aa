"""Cameras' cards: which are in by the system's list, their folders, and what was taken last."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from verispect.prove.taken_in.cards import card_folders, last_sitting, mounted_places, place_for_made

# As a system with a card, a second disk, a share and its own folders lists them (proc(5)).
LIST = r"""22 27 0:20 / /proc rw,nosuid shared:5 - proc proc rw
27 1 259:2 / / rw,relatime shared:1 - ext4 /dev/nvme0n1p2 rw
61 27 259:1 / /boot/efi rw,relatime shared:33 - vfat /dev/nvme0n1p1 rw
70 27 7:0 / /snap/core/1 ro,nodev shared:40 - squashfs /dev/loop0 ro
80 27 8:33 / /run/media/ann/CARD\040ONE rw,nosuid shared:50 - exfat /dev/sdc1 rw
81 27 8:17 / /media/work rw shared:51 - ext4 /dev/sdb1 rw
82 27 0:50 / /mnt/share rw shared:52 - nfs4 server:/share rw
83 27 0:51 / /run/user/1000/gvfs rw shared:53 - fuse.gvfsd-fuse gvfsd-fuse rw
cut short"""


def test_disks_that_may_be_cards_are_those_of_this_machine(tmp_path: Path) -> None:
    mounts = tmp_path / "mountinfo"
    mounts.write_text(LIST, encoding="utf-8")
    assert [str(place) for place in mounted_places(mounts)] == ["/run/media/ann/CARD ONE", "/media/work"]
    assert mounted_places(tmp_path / "none") == ()


def test_a_card_is_known_by_its_folder_of_pictures(tmp_path: Path) -> None:
    for name in ("101ABCDE", "100ABCDE", ".trash"):
        (tmp_path / "dcim" / name).mkdir(parents=True)
    (tmp_path / "dcim" / "notes.txt").write_text("x")
    assert [folder.name for folder in card_folders(tmp_path)] == ["100ABCDE", "101ABCDE"]
    assert card_folders(tmp_path / "dcim") == []
    with pytest.raises(FileNotFoundError):
        card_folders(tmp_path / "none")


def test_a_sitting_ends_at_a_pause_of_half_an_hour(tmp_path: Path) -> None:
    paths = []
    for k, minute in enumerate((0, 5, 40, 50, 55, 75)):
        paths.append(tmp_path / f"{k}.jpg")
        paths[-1].touch()
        os.utime(paths[-1], (60 * minute, 60 * minute))
    assert last_sitting(paths) == paths[2:]
    # In the order in which they were given, whichever that is.
    assert last_sitting(paths[::-1]) == paths[:1:-1]
    assert last_sitting([]) == []


def test_nothing_made_is_written_onto_a_card(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    assert place_for_made(tmp_path / "shoot") == tmp_path / "shoot" / "merged"
    assert place_for_made(Path("/media/x/DCIM/100A")) == tmp_path / "cache" / "verispect" / "made" / "100A"
