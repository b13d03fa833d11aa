"""A part of the print as two methods would take it, one beside the other at one scale."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from verispect.plan.methods.candidate import Candidate
from verispect.rehearse.crop import Crop
from verispect.sentence import Sentence
from verispect.ui.controls.translate import say

# On the screen, pixels; on the print under a loupe, and as it hangs, mm.
_SIDE_PX, _LOUPE_MM = 236, 23.6


class Loupe(QWidget):
    """A mark to look at, and the two pictures.

    Signals
    -------
    wanted(int, float, int)
        A mark, so many mm of the print, so many pixels.
    """

    wanted = pyqtSignal(int, float, int)

    def __init__(self) -> None:
        super().__init__()
        self._shown: list[tuple[Candidate, Crop] | None] = []
        self.mark_box, self.scale_box = QComboBox(), QComboBox()
        self.mark_box.setAccessibleName(self.tr("Mark under the loupe"))
        self.scale_box.setAccessibleName(self.tr("Scale"))
        self.scale_box.addItem(self.tr("under a loupe, 10 pixels a mm"), "loupe")
        self.scale_box.addItem(self.tr("as large as it hangs"), "hangs")
        self.button = QPushButton(self.tr("&Look"))
        self.button.clicked.connect(self._ask)
        row = QHBoxLayout()
        row.addWidget(self.mark_box, 1)
        row.addWidget(self.scale_box, 1)
        row.addWidget(self.button)
        grid = QGridLayout()
        self.pictures, self.captions = (QLabel(), QLabel()), (QLabel(), QLabel())
        for column, (picture, caption) in enumerate(zip(self.pictures, self.captions, strict=True)):
            picture.setFixedSize(_SIDE_PX, _SIDE_PX)
            picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
            caption.setWordWrap(True)
            caption.setAlignment(Qt.AlignmentFlag.AlignTop)
            caption.setTextFormat(Qt.TextFormat.PlainText)
            grid.addWidget(picture, 0, column)
            grid.addWidget(caption, 1, column)
            picture.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(row)
        layout.addLayout(grid)
        self.mark_box.activated.connect(lambda _row: self._again())
        self.scale_box.activated.connect(lambda _row: self._again())

    def show_marks(self, candidates: Sequence[Candidate]) -> None:
        """The marks of two methods, the softest must of either first; pictures of others go."""
        self._clear()
        self.mark_box.clear()
        self.button.setEnabled(len(candidates) == 2 and all(one.rendering is not None for one in candidates))
        if not self.button.isEnabled():
            return
        scene = candidates[0].scene
        count = scene.mark_count
        worst = np.max([one.rendering.softness[:count] for one in candidates if one.rendering is not None], axis=0)
        order = np.lexsort((-np.nan_to_num(worst, posinf=1e9), ~scene.deciding[:count]))
        for k in order:
            self.mark_box.addItem(scene.names[k], int(k))

    def _again(self) -> None:
        if self.pictures[0].isVisibleTo(self):
            self._ask()

    def _ask(self) -> None:
        mark = self.mark_box.currentData()
        if mark is None:
            return
        hangs = self.scale_box.currentData() == "hangs"
        print_mm = _SIDE_PX / max(self.logicalDpiX(), 1) * 25.4 if hangs else _LOUPE_MM
        self.button.setEnabled(False)
        self.wanted.emit(int(mark), print_mm, _SIDE_PX)

    def _clear(self) -> None:
        self._shown = []
        for picture, caption in zip(self.pictures, self.captions, strict=True):
            picture.hide()
            caption.clear()

    def show_pictures(self, candidates: Sequence[Candidate], crops: Sequence[Crop | None]) -> None:
        """Take on what came out."""
        self.button.setEnabled(True)
        self._shown = []
        for picture, caption, candidate, crop in zip(self.pictures, self.captions, candidates, crops, strict=False):
            name = say(Sentence(candidate.method.name))
            picture.setVisible(crop is not None)
            self._shown.append(None if crop is None else (candidate, crop))
            if crop is None:
                caption.setText(self.tr("{0} does not show it").format(name))
                continue
            side = crop.pixels.shape[0]
            image = QImage(crop.pixels.tobytes(), side, side, 3 * side, QImage.Format.Format_RGB888).copy()
            picture.setPixmap(QPixmap.fromImage(image))
            self._tell(len(self._shown) - 1, self.tr("being measured"))

    def show_measured(self, found: Sequence[tuple[float, float] | None]) -> None:
        """What an edge put in the mark's place came out as, in each picture: softness and its ±."""
        for number, measured in enumerate(found):
            words = self.tr("not measurable")
            if measured is not None:
                words = self.tr("measured {0:.2f} ± {1:.2f} on an edge put there").format(*measured)
            self._tell(number, words)

    def _tell(self, number: int, measured: str) -> None:
        """Planned and measured softness under a picture."""
        shown = self._shown[number] if number < len(self._shown) else None
        if shown is None:
            return
        candidate, crop = shown
        softness = self.tr("planned {0:.2f}, {1}").format(crop.softness, measured)
        if not math.isfinite(crop.softness):
            softness = self.tr("at this stop no blur at all is allowed")
        words = self.tr("{0}, frame {1}: {2}. {3:.2g} pixels to a mm")
        name, frame = say(Sentence(candidate.method.name)), candidate.number_of(crop.exposure)
        self.captions[number].setText(words.format(name, frame, softness, crop.pixels_per_mm))
        self.pictures[number].setAccessibleDescription(self.captions[number].text())
