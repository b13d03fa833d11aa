"""The three drawings as one picture for print: SVG, PDF or PNG."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QRectF, QSize, QSizeF, Qt
from PyQt6.QtGui import QImage, QPageLayout, QPageSize, QPaintDevice, QPainter, QPdfWriter

from verispect.errors import FileError
from verispect.files.atomic import write_atomically
from verispect.ui.controls.theme import colour, pixel_font
from verispect.ui.drawings.three_views import BoardArea

SUFFIXES = (".svg", ".pdf", ".png")
# Dots of a PNG to one of the screen, of a 96 to the inch: about 290 to the inch.
_PNG_TIMES = 3
_TITLE_PX = 22.0


def write_drawings(board: BoardArea, path: Path, *, title: str) -> None:
    """Write what the drawings show.

    Raises
    ------
    FileError
        If the kind is unknown or the file cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise FileError("{name}: a drawing is written as one of {known}", name=path.name, known=" ".join(SUFFIXES))
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    size = board.size()
    if suffix == ".png":
        image = QImage(size * _PNG_TIMES, QImage.Format.Format_RGB32)
        image.fill(Qt.GlobalColor.white)
        _paint(board, image, float(_PNG_TIMES))
        image.save(buffer, "PNG")
    elif suffix == ".svg":
        from PyQt6.QtSvg import QSvgGenerator

        made = QSvgGenerator()
        made.setOutputDevice(buffer)
        made.setSize(size)
        made.setViewBox(QRectF(0, 0, size.width(), size.height()))
        made.setTitle(title)
        _paint(board, made, 1.0)
    else:
        writer = QPdfWriter(buffer)
        writer.setResolution(96)
        writer.setTitle(title)
        inches = QSizeF(size.width() / 96.0, size.height() / 96.0)
        page = QPageSize(inches, QPageSize.Unit.Inch, "", QPageSize.SizeMatchPolicy.ExactMatch)
        writer.setPageLayout(QPageLayout(page, QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)))
        _paint(board, writer, 1.0)
    buffer.close()
    write_atomically(path, buffer.data().data())


def _paint(board: BoardArea, device: QPaintDevice, times: float) -> None:
    painter = QPainter(device)
    painter.scale(times, times)
    for one in board.boards:
        painter.save()
        painter.translate(QPointF(one.canvas.mapTo(board, one.canvas.rect().topLeft())))
        painter.setClipRect(QRectF(one.canvas.rect()))
        one.paint_on_paper(painter)
        painter.restore()
        place = QPointF(one.title.mapTo(board, one.title.rect().topLeft()))
        area = QRectF(place, _as_size(one.title.size()))
        painter.fillRect(area, colour("#ffffff"))
        painter.setFont(pixel_font(10.0))
        painter.setPen(colour("#1c1c1c"))
        painter.drawText(area.adjusted(6, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, one.title.text())
    painter.end()


def _as_size(size: QSize) -> QSizeF:
    return QSizeF(size.width(), min(float(size.height()), _TITLE_PX))
