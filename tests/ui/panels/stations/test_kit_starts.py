"""A lens entered by what is printed on it, usual kit from the menu, whole kits by name."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tests.ui.conftest import weighed
from verispect.ui.window.main_window import MainWindow

LEFT = Qt.MouseButton.LeftButton


def test_a_lens_as_printed_comes_with_marked_guesses(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    starts, kit = window.kit.starts, window.kit
    count = len(window.document.plan.kit.lenses)
    QTest.keyClicks(starts.printed, "some lens")
    QTest.mouseClick(starts.add_button, LEFT)
    assert starts.complaint.isVisibleTo(starts)
    starts.printed.clear()
    QTest.keyClicks(starts.printed, "24 mm f/3.5 tilt 8.5")
    QTest.keyClick(starts.printed, Qt.Key.Key_Return)
    assert not starts.complaint.isVisibleTo(starts)
    assert len(window.document.plan.kit.lenses) == count + 1
    label = kit.lens_forms.main._rows["image_circle_mm"][0]
    assert label.text().startswith("≈")
    assert "guess" in kit.lens_forms.main.fields["image_circle_mm"].toolTip()
    field = kit.lens_forms.main.fields["image_circle_mm"]
    field.setText("67")
    field.editingFinished.emit()
    assert not label.text().startswith("≈")
    lens = window.document.plan.kit.lenses[-1]
    assert lens.image_circle_mm == 67.0
    assert "image_circle_mm" not in lens.typical
    window.document.undo_stack.undo()
    assert label.text().startswith("≈")
    # The same once more has a name of its own.
    kit.take_lens(lens)
    assert window.document.plan.kit.lenses[-1].name.endswith("(2)")
    weighed(qtbot, window)


def test_usual_kit_from_the_menu(qtbot, window: MainWindow) -> None:
    window.show_station("kit")
    menu = window.kit.starts.usual_button.menu()
    menu.aboutToShow.emit()
    bodies, lenses, carriers = (action.menu() for action in menu.actions())
    bodies.actions()[-1].trigger()
    assert window.document.plan.kit.body.sensor_mm == (245.0, 195.0)
    lenses.actions()[0].trigger()
    assert window.document.plan.kit.lenses[-1].focal_mm == (24.0, 24.0)
    for action in carriers.actions():
        action.trigger()
    assert window.document.plan.kit.rail is not None
    for _ in range(2 + len(carriers.actions())):
        window.document.undo_stack.undo()
    weighed(qtbot, window)


def test_a_whole_kit_is_kept_and_taken_and_the_shelf_tells_what_differs(qtbot, window: MainWindow) -> None:
    window.show_station("keep")
    plan, panel = window.document.plan, window.keep_desk._panel
    panel.setCurrentIndex(1)
    QTest.keyClicks(panel.kit_name, "On foot")
    QTest.mouseClick(panel.whole_button, LEFT)
    panel.put_wanted.emit()
    lens = plan.kit.lenses[0].model_copy(update={"image_circle_mm": 50.0})
    window.document.update("lens", kit=plan.kit.model_copy(update={"lenses": (lens,)}))
    words = [panel.items.item(row).text() for row in range(panel.items.count())]
    assert any(f"{lens.name} — otherwise in the plan: image circle" in text for text in words)
    panel.items.setCurrentRow(next(row for row, text in enumerate(words) if "On foot" in text))
    panel._emit_item(panel.take_wanted)
    assert window.document.plan.kit == plan.kit
    weighed(qtbot, window)


def test_the_logbook_tells_whether_a_lens_would_have_helped(qtbot, window: MainWindow) -> None:
    window.show_station("keep")
    desk = window.keep_desk
    panel = desk._panel
    desk.jobs.log_plan()
    desk.put_kit()
    panel.setCurrentIndex(1)
    row = next(row for row in range(panel.items.count()) if panel.items.item(row).text().startswith("lens"))
    panel.items.setCurrentRow(row)
    QTest.mouseClick(panel.helped_button, LEFT)
    assert "Weighing 1 jobs" in panel.helped.text()
    qtbot.waitUntil(lambda: "none of 1 jobs" in panel.helped.text(), timeout=60_000)
    qtbot.waitUntil(lambda: desk._looking is None)
