"""Frames that were read once are not decoded again, as long as memory has room for them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from verispect.files.picture_out import write_picture
from verispect.prove import evidence as evidence_room
from verispect.prove import intake
from verispect.prove.check import check
from verispect.prove.intake import Frame, described, read_coded
from verispect.prove.resources import in_hand
from verispect.prove.resources.in_hand import InHand


@pytest.fixture
def frames(tmp_path: Path) -> list[Frame]:
    rng = np.random.default_rng(2)
    view = rng.uniform(10000, 50000, (240, 360, 3))
    for k in range(4):
        picture = np.clip(view + rng.normal(0.0, 80.0, view.shape), 0, 65535)
        write_picture(tmp_path / f"frame-{k}.tif", np.round(picture).astype(np.uint16))
    return [described(path) for path in sorted(tmp_path.glob("*.tif"))]


def test_what_is_in_hand_is_given_once_and_what_has_no_room_is_not_kept(frames: list[Frame], monkeypatch) -> None:
    # Room for two of 240 × 360 pixels of 6 bytes.
    monkeypatch.setattr(in_hand, "memory_mb", lambda: 2 * 240 * 360 * 6 / (1e6 * in_hand._SHARE) + 0.1)
    hand = InHand()
    for frame in frames:
        np.testing.assert_array_equal(hand.read(frame), read_coded(frame))
    kept = [hand.take(frame) is not None for frame in frames]
    assert kept == [True, True, False, False]
    assert all(hand.take(frame) is None for frame in frames)
    # What was given away leaves room for others.
    hand.read(frames[3])
    assert hand.take(frames[3]) is not None


@pytest.mark.parametrize(("megabytes", "decoded"), [(2500, 4), (1, 8)])
def test_a_check_decodes_every_file_once(frames: list[Frame], monkeypatch, megabytes: int, decoded: int) -> None:
    read: list[str] = []

    def counted(frame: Frame):
        read.append(frame.path.name)
        return intake.sixteen(intake.read_kept(frame))

    monkeypatch.setattr(in_hand, "read_kept", counted)
    monkeypatch.setattr(evidence_room, "read_coded", counted)
    monkeypatch.setattr(in_hand, "memory_mb", lambda: megabytes)
    check([frames[0].path.parent])
    assert len(read) == decoded
