"""A merged picture cut to what all frames show: drawn over it, written when asked; not offered where all is kept."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PyQt6.QtWidgets import QFileDialog

from verispect.files.picture_out import write_picture
from verispect.prove.intake import described, read_coded
from verispect.ui.window.main_window import MainWindow


@pytest.fixture
def moved(tmp_path: Path) -> Path:
    """Three frames of one view, each 9 px farther to the right."""
    grain = np.random.default_rng(7).normal(size=(300, 460)).astype(np.float32)
    wide = np.clip(0.5 + 0.6 * cv2.GaussianBlur(grain, (0, 0), 1.5), 0.02, 0.98)
    folder = tmp_path / "frames"
    folder.mkdir()
    for k in range(3):
        view = wide[20:260, 20 + 9 * k : 380 + 9 * k]
        write_picture(folder / f"f{k}.tif", np.repeat((view * 65535).astype(np.uint16)[..., None], 3, axis=2))
    return folder


def test_the_cut_is_drawn_and_written(qtbot, window: MainWindow, moved: Path, monkeypatch, tmp_path: Path) -> None:
    desk = window.prove_desk
    window.show_station("prove")
    desk.check(moved)
    qtbot.waitUntil(lambda: desk.report is not None and desk._job is None, timeout=60_000)
    desk.merge(True)
    qtbot.waitUntil(lambda: "Written" in window.message.text and desk._job is None, timeout=60_000)
    canvas = window.pictures.first
    qtbot.waitUntil(lambda: canvas.cut is not None, timeout=10_000)
    left, top, right, bottom = canvas.cut
    assert (right - left) * 360 == pytest.approx(360 - 18, abs=3)
    assert (top, bottom) == pytest.approx((0.0, 1.0), abs=0.02)
    offered = next(button for button in window.message._buttons if button.text().startswith("Cut"))
    target = tmp_path / "cut.tif"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_args, **_more: (str(target), ""))
    before = canvas.grab().toImage()
    offered.click()
    qtbot.waitUntil(lambda: target.exists() and desk._job is None, timeout=60_000)
    qtbot.waitUntil(lambda: canvas.cut is None)
    assert canvas.grab().toImage() != before
    whole = read_coded(described(moved / "merged" / "proof.tif"))
    box = np.round(np.array([top, bottom, left, right]) * [240, 240, 360, 360]).astype(int)
    assert np.array_equal(read_coded(described(target)), whole[box[0] : box[1], box[2] : box[3]])


def test_where_nothing_falls_away_nothing_is_offered(window: MainWindow) -> None:
    cutting = window.prove_desk.cutting
    assert cutting.of(Path("a.tif"), (0, 0, 100, 150), (150, 100)) == []
    assert cutting.of(Path("a.tif"), (5, 5, 5, 5), (150, 100)) == []
    assert len(cutting.of(Path("a.tif"), (5, 5, 95, 145), (150, 100))) == 1
