"""The sheet and the drawings made without a window, for the command line."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication

from verispect.plan.methods.candidate import Candidate
from verispect.ui.controls.theme import LIGHT
from verispect.ui.drawings.frame_view import FrameBoard
from verispect.ui.drawings.section_views import ElevationBoard, GroundBoard
from verispect.ui.state.session import Shown

_SIZES = ((ElevationBoard, QSize(720, 330)), (GroundBoard, QSize(560, 460)), (FrameBoard, QSize(560, 460)))
_APPLICATION: list[QApplication] = []


def _ready() -> None:
    """Qt without a display; kept for as long as the program runs."""
    if QApplication.instance() is None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        _APPLICATION.append(QApplication(["verispect"]))


def _shown(candidate: Candidate) -> Shown:
    return Shown(candidate.scene, candidate, candidate.rendering)


def write_pdf(candidate: Candidate, path: Path) -> None:
    """The field sheet as PDF."""
    _ready()
    from verispect.ui.paper.sheet import write_sheet

    write_sheet(_shown(candidate), path, system="metric")


def write_chart(path: Path, paper: str) -> None:
    """The chart for lens tests as PDF."""
    _ready()
    from verispect.files.atomic import write_atomically
    from verispect.ui.paper.chart import chart_pdf

    write_atomically(path, chart_pdf(paper))


def drawings_svg(candidate: Candidate) -> list[str]:
    """Elevation, ground and frame as SVG elements, to be put into a page."""
    _ready()
    return [_svg(kind(), size, candidate) for kind, size in _SIZES]


def _svg(board: ElevationBoard | GroundBoard | FrameBoard, size: QSize, candidate: Candidate) -> str:
    from PyQt6.QtSvg import QSvgGenerator

    board.canvas.resize(size)
    board.apply_theme(LIGHT)
    board.show_scene(_shown(candidate))
    board.fit()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    made = QSvgGenerator()
    made.setOutputDevice(buffer)
    made.setSize(size)
    made.setViewBox(QRectF(0, 0, size.width(), size.height()))
    painter = QPainter(made)
    board.paint_on_paper(painter)
    painter.end()
    buffer.close()
    board.deleteLater()
    text = bytes(buffer.data().data()).decode("utf-8")
    # The XML's own head has no place within a page.
    return text[text.index("<svg") :]
