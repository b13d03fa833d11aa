"""Set: what is set by hand, in the order asked for, a moment after the last change."""

from __future__ import annotations

from tests.ui.conftest import weighed
from verispect.kit.lens import FocusStep
from verispect.kit.standards import Standards
from verispect.plan.document import BodyBracket, ShotsEach
from verispect.ui.window.main_window import MainWindow


def hand(qtbot, window: MainWindow, *words: str) -> str:
    """What stands in the hand once all these words do."""
    qtbot.waitUntil(lambda: all(word in window.set.hand.toPlainText() for word in words), timeout=5000)
    return window.set.hand.toPlainText()


def test_a_series_tells_its_bracket_and_its_order(qtbot, window: MainWindow) -> None:
    window.show_station("set")
    window.take_method("series")
    weighed(qtbot, window)
    text = hand(qtbot, window, "As the body brackets it", "never measured")
    assert "going away" in text
    # Asked of the body all the same, it says so, and offers no number that would mean nothing.
    window.set.bracket.setCurrentIndex(window.set.bracket.findData("body"))
    window.set.bracket.activated.emit(window.set.bracket.currentIndex())
    weighed(qtbot, window)
    assert "never measured" in window.set.heading.text()
    assert not window.set.step_number.isVisibleTo(window.set)
    window.document.undo_stack.undo()
    weighed(qtbot, window)
    panel = window.set
    assert panel.order_row.isVisibleTo(panel)
    near = [panel.table.item(row, 1).text() for row in range(panel.table.rowCount())]
    panel.order.setCurrentIndex(panel.order.findData("far-near"))
    panel.order.activated.emit(panel.order.currentIndex())
    weighed(qtbot, window)
    assert "going towards you" in hand(qtbot, window, "going towards you")
    assert [panel.table.item(row, 1).text() for row in range(panel.table.rowCount())] == near[::-1]
    assert panel.order.currentText() == "far to near"
    panel.table.setCurrentCell(0, 0)
    last = window.session.shown.candidate.frame_count - 1
    assert window.session.frame == last, "the first line is the farthest frame now"
    window.show_station("shoot")
    window.shoot_desk.begin()
    assert window.shoot_desk.state.current.exposure == last
    window.shoot_desk.end()
    window.show_station("set")


def test_the_body_brackets_the_focus_and_the_run_goes_by_its_presses(qtbot, window: MainWindow) -> None:
    plan = window.document.plan
    step = FocusStep(per_step_of_depth=0.25, plus_minus=0.03)
    lenses = tuple(lens.model_copy(update={"focus_step": step}) for lens in plan.kit.lenses)
    window.document.update("lens", kit=plan.kit.model_copy(update={"lenses": lenses}))
    window.show_station("set")
    window.take_method("series")
    weighed(qtbot, window)
    panel = window.set
    one_by_one = panel.table.rowCount()
    hand(qtbot, window, "Step number")
    assert panel.bracket_row.isVisibleTo(panel)
    assert not panel.step_number.isVisibleTo(panel)
    panel.bracket.setCurrentIndex(panel.bracket.findData("body"))
    panel.bracket.activated.emit(panel.bracket.currentIndex())
    weighed(qtbot, window)
    assert panel.table.rowCount() >= one_by_one
    steps = window.session.shown.candidate.bracket
    hand(qtbot, window, f"Step number {steps.number}, {steps.count} frames")
    # One after the other, quicker than anything is worked out.
    panel.bracket_count.setValue(2)
    panel.step_number.setValue(1)
    assert window.document.plan.choice.bracket == BodyBracket(step_number=1, count=2)
    weighed(qtbot, window)
    # Too few for the depth: told, and the method stays in view.
    assert window.session.shown.candidate.key == "series"
    assert not window.session.shown.candidate.holds
    assert panel.table.rowCount() == 2
    window.show_station("shoot")
    desk = window.shoot_desk
    desk.begin()
    assert "Frames 1 to 2 of 2, at one press" in window.shoot_panel.place.text()
    desk.done()
    assert desk.state.is_over
    desk.end()
    window.show_station("set")
    for _ in range(3):
        window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert panel.table.rowCount() == one_by_one
    assert not panel.step_number.isVisibleTo(panel)


def test_a_tilt_tells_which_way_it_leans_and_where_to_focus(qtbot, window: MainWindow) -> None:
    window.show_station("set")
    window.take_method("tilt")
    weighed(qtbot, window)
    hand(qtbot, window, "the top of the lens leans".capitalize(), "Where to focus", "keeps every must sharp")
    assert not window.set.order_row.isVisibleTo(window.set)


def test_the_region_of_stop_and_time_is_drawn_with_the_setting_in_it(qtbot, window: MainWindow) -> None:
    window.show_station("set")
    window.take_method("tilt")
    weighed(qtbot, window)
    diagram = window.set.exposure
    qtbot.waitUntil(lambda: diagram.region is not None, timeout=5000)
    assert window.set.exposure_words.text().startswith("f/")
    window.set.pages.setCurrentIndex(2)
    stop, seconds, _ = diagram.region.chosen
    dot = diagram.place(stop, seconds)
    picture = diagram.grab().toImage()
    assert picture.pixelColor(round(dot.x()), round(dot.y())).name() == window.theme.hand
    serving = diagram.region.serving
    assert serving[0].f_number <= stop <= serving[-1].f_number
    assert "out of focus" in diagram.accessibleDescription() or "widest" in diagram.accessibleDescription()


def test_a_method_that_does_not_fit_has_nothing_in_the_hand(qtbot, window: MainWindow) -> None:
    window.show_station("set")
    window.take_method("rail-series")
    weighed(qtbot, window)
    qtbot.waitUntil(lambda: window.set.hand.toPlainText() == "", timeout=5000)


def test_movements_are_drawn_where_there_are_any(qtbot, window: MainWindow) -> None:
    window.show_station("set")
    window.take_method("tilt")
    weighed(qtbot, window)
    diagram = window.set.movements
    qtbot.waitUntil(lambda: diagram.isVisibleTo(window.set), timeout=5000)
    assert "leans" in diagram.accessibleDescription()
    hand_colour = window.theme.hand
    picture = diagram.grab().toImage()
    seen = {picture.pixelColor(x, y).name() for x in range(0, picture.width(), 2) for y in range(picture.height())}
    assert hand_colour in seen
    window.take_method("series")
    weighed(qtbot, window)
    qtbot.waitUntil(lambda: not diagram.isVisibleTo(window.set), timeout=5000)


def test_four_answers_lead_to_the_next_thing_to_do(qtbot, window: MainWindow) -> None:
    window.show_station("set")
    window.take_method("tilt")
    weighed(qtbot, window)
    page = window.set.check_loop
    qtbot.waitUntil(lambda: "Magnify fully" in page.question.text(), timeout=5000)
    assert "f/" in page.task.text()
    assert page.buttons[False, True].text() != page.buttons[True, False].text()
    assert page.buttons[False, True].text().removesuffix(" is soft") in page.question.text()
    page.buttons[False, False].click()
    assert page.task.text().startswith("Close the lens")
    page.buttons[True, True].click()
    assert page.task.text().startswith("Both are sharp")
    assert not page.buttons[True, True].isEnabled()
    page.again.click()
    assert page.buttons[True, True].isEnabled()
    for _ in range(30):
        page.buttons[False, False].click()
    assert "four ways" in page.task.text()
    window.take_method("series")
    weighed(qtbot, window)
    qtbot.waitUntil(lambda: "One frame over" in page.task.text(), timeout=5000)


def test_who_tilts_on_a_view_camera_is_chosen_and_that_can_be_undone(qtbot, window: MainWindow) -> None:
    window.take_method("tilt")
    weighed(qtbot, window)
    window.show_station("set")
    panel = window.set
    assert not panel.standards_row.isVisibleTo(panel), "no back that tilts, nothing to choose"
    kit = window.document.plan.kit
    body = kit.body.model_copy(update={"back_tilt_deg": 12.0})
    window.document.update("a back that tilts", kit=kit.model_copy(update={"body": body}))
    weighed(qtbot, window)
    assert panel.standards_row.isVisibleTo(panel)
    panel.standards.setCurrentIndex(panel.standards.findData(Standards.BACK_IN_PLACE))
    panel.standards.activated.emit(panel.standards.currentIndex())
    weighed(qtbot, window)
    qtbot.waitUntil(lambda: "the camera as it stands" in panel.hand.toPlainText())
    assert window.session.shown.candidate.lens.back_in_place
    window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert panel.standards.currentData() == Standards.LENS_FIRST
    assert not window.session.shown.candidate.lens.back_in_place


def test_how_often_each_frame_is_taken_is_chosen_run_and_undone(qtbot, window: MainWindow) -> None:
    window.take_method("series")
    weighed(qtbot, window)
    window.show_station("set")
    panel = window.set
    assert (panel.each.value(), panel.apart.isVisibleTo(panel)) == (1, False)
    frames = window.session.shown.candidate.frame_count
    panel.each.setValue(3)
    weighed(qtbot, window)
    assert window.document.plan.choice.shots == ShotsEach(each=3)
    panel.apart.setCurrentIndex(panel.apart.findData(2.0))
    panel.apart.activated.emit(panel.apart.currentIndex())
    weighed(qtbot, window)
    assert window.document.plan.choice.shots == ShotsEach(each=3, apart_stops=2.0)
    qtbot.waitUntil(lambda: f"{3 * frames} shots in all" in panel.hand.toPlainText())
    heads = [panel.table.horizontalHeaderItem(k).text() for k in range(panel.table.columnCount())]
    assert "Shots" in heads
    assert "Time" not in heads
    window.show_station("shoot")
    window.shoot_desk.begin()
    window.shoot_desk.done()
    assert "shot 2 of 3" in window.shoot_panel.place.text()
    assert len(window.shoot_desk.state.items) == 3 * frames
    window.shoot_desk.end()
    window.show_station("set")
    # Steps that no camera has are brought nearer, and say so by the plan.
    panel.each.setValue(49)
    assert window.document.plan.choice.shots.apart_stops * 24 <= 10.0
    for _ in range(3):
        window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert (panel.each.value(), window.document.plan.choice.shots) == (1, ShotsEach())


def test_a_grid_is_gone_through_as_is_chosen_and_that_can_be_undone(qtbot, window: MainWindow) -> None:
    window.take_method("turned-grid")
    weighed(qtbot, window)
    window.show_station("set")
    panel = window.set
    assert panel.path_row.isVisibleTo(panel)
    assert panel.path.currentText() == "row by row"
    bearings = [panel.table.item(row, 1).text() for row in range(panel.table.rowCount())]
    panel.path.setCurrentIndex(panel.path.findData("columns back"))
    panel.path.activated.emit(panel.path.currentIndex())
    weighed(qtbot, window)
    assert panel.path.currentText() == "columns there and back"
    turned = [panel.table.item(row, 1).text() for row in range(panel.table.rowCount())]
    assert turned != bearings
    assert sorted(turned) == sorted(bearings)
    assert window.session.shown.candidate.key == "turned-grid"
    window.document.undo_stack.undo()
    weighed(qtbot, window)
    assert panel.path.currentText() == "row by row"
