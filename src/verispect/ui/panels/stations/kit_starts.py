"""Kit to start from: a lens by what is printed on it, or usual kit by its kind."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from verispect.errors import VerispectError
from verispect.kit.equipment import Body, Flash, Head, Rail, Tripod
from verispect.kit.lens import Lens
from verispect.kit.printed_lens import lens_from_print
from verispect.kit.typical_kit import typical_bodies, typical_carriers, typical_lenses
from verispect.ui.controls.translate import say, say_error


class KitStarts(QWidget):
    """A line to write in, and a menu of usual kit.

    Signals
    -------
    lens(Lens), body(Body), carrier(Head, Rail, Tripod or Flash)
    """

    lens = pyqtSignal(object)
    body = pyqtSignal(object)
    carrier = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        row = QHBoxLayout()
        self.printed = QLineEdit()
        self.printed.setPlaceholderText(self.tr("A lens as printed on it: 24-70 mm f/4"))
        self.printed.setAccessibleName(self.tr("A lens as printed on it"))
        self.printed.setToolTip(
            self.tr(
                "Such as 24-70 mm 1:2.8, 100 mm f/2.8 macro, 24 mm f/3.5 tilt 8° shift 12 mm, 150 mm f/5.6 large "
                "format. What is not written is as such lenses usually are, marked ≈, with a wide ±"
            )
        )
        self.printed.returnPressed.connect(self._add)
        self.add_button = QPushButton(self.tr("Add &it"))
        self.add_button.clicked.connect(self._add)
        self.usual_button = QPushButton(self.tr("&Usual kit"))
        menu = QMenu(self.usual_button)
        menu.aboutToShow.connect(partial(self._fill, menu))
        self.usual_button.setMenu(menu)
        row.addWidget(self.printed, 1)
        row.addWidget(self.add_button)
        row.addWidget(self.usual_button)
        layout.addLayout(row)
        self.complaint = QLabel()
        self.complaint.setProperty("wrong", True)
        self.complaint.setWordWrap(True)
        self.complaint.hide()
        layout.addWidget(self.complaint)

    def _add(self) -> None:
        try:
            found: Lens | None = lens_from_print(self.printed.text())
        except VerispectError as error:
            found = None
            self.complaint.setText(say_error(error))
        self.complaint.setVisible(found is None)
        if found is not None:
            self.printed.clear()
            self.lens.emit(found)

    def _fill(self, menu: QMenu) -> None:
        if not menu.isEmpty():
            return
        bodies: list[Body] = typical_bodies()
        carriers: list[tuple[str, Head | Rail | Tripod | Flash]] = [
            (say(name), piece) for name, piece in typical_carriers()
        ]
        for title, signal, pieces in (
            (self.tr("Body"), self.body, [(body.name, body) for body in bodies]),
            (self.tr("Lens"), self.lens, [(lens.name, lens) for lens in typical_lenses()]),
            (self.tr("Head, rail, tripod, flash"), self.carrier, carriers),
        ):
            sub = menu.addMenu(title)
            assert sub is not None
            for name, piece in pieces:
                action = sub.addAction(name)
                assert action is not None
                action.triggered.connect(lambda _on, signal=signal, piece=piece: signal.emit(piece))
