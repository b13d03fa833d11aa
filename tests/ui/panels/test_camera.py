"""The camera's page: how far round the picture reaches."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPointF

from tests.ui.conftest import drag, handle, weighed
from verispect.subject.camera import Around
from verispect.ui.window.main_window import MainWindow


def test_all_round_is_chosen_drawn_rolled_out_and_undone(qtbot, window: MainWindow) -> None:
    window.subject.show_page("camera")
    page = window.subject.camera
    box = page.form.fields["around"]
    box.setCurrentIndex(box.findData("circle"))
    box.activated.emit(box.currentIndex())
    weighed(qtbot, window)
    plan = window.document.plan
    assert plan.camera.around == Around.CIRCLE
    assert {c.key for c in window.weighing.candidates if c.fits} <= {"turned-grid", "turned-grid-series"}
    frame = window.board.frame
    left, right, _, _ = frame.extent(frame.shown)
    assert right - left > 2 * math.pi * plan.framing_mm * plan.enlargement()
    # A mark is taken by the hand and goes round the camera, as far away as it was.
    mark = plan.marks[0]
    before = np.array([mark.x_m, mark.y_m, mark.z_m])
    eye = np.array([0.0, plan.camera.height_m, 0.0])
    held = handle(frame, "mark")
    start = frame.canvas.view.to_px(np.array([[held.across, held.up]]))[0]
    drag(qtbot, frame, QPointF(*start.tolist()), (24, 0))
    after = next(m for m in window.document.plan.marks if m.name == mark.name)
    moved = np.array([after.x_m, after.y_m, after.z_m])
    assert np.linalg.norm(moved - eye) == pytest.approx(np.linalg.norm(before - eye), abs=0.01)
    assert math.atan2(moved[0], moved[2]) > math.atan2(before[0], before[2])
    window.document.undo_stack.undo()
    window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert window.document.plan.camera.around == Around.PICTURE
