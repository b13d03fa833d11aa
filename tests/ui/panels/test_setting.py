"""Set: what is set by hand, in the order asked for, a moment after the last change."""

from __future__ import annotations

from tests.ui.conftest import weighed
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
    assert "Take the frames in this order" not in text
    assert window.set.order_row.isVisibleTo(window.set)
    window.set.order.setCurrentIndex(window.set.order.findData("far-near"))
    assert "going towards you" in hand(qtbot, window, "Take the frames in this order", "2, 1")


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
