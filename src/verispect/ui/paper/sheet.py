"""The field sheet: drawings, settings frame by frame, order of work, tick boxes, cautions, as PDF."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtCore import QBuffer, QCoreApplication, QIODevice, QMarginsF, QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPageLayout, QPageSize, QPainter, QPdfWriter, QPen

from verispect.files.atomic import write_atomically
from verispect.plan.explain.frame_table import Column, frame_rows, in_work_order, shown_columns
from verispect.plan.explain.work_order import cautions, steps
from verispect.plan.setting.report import settings_of
from verispect.plan.setting.words import in_words
from verispect.sentence import Sentence, capital
from verispect.ui.controls.lengths import written
from verispect.ui.controls.theme import LIGHT, colour, font
from verispect.ui.controls.translate import counted_frames, say
from verispect.ui.drawings.board import Board
from verispect.ui.drawings.frame_view import FrameBoard
from verispect.ui.drawings.section_views import ElevationBoard, GroundBoard, SideBoard
from verispect.ui.state.session import Shown

# Boards are painted a little smaller on paper than on screen.
_BOARD_SCALE = 0.83
# Only the unit that things are placed in: lines and letters stay vectors.
_DPI = 96
# Columns that need more or less room than others.
_WIDE = {"number": 1.2, "focus_m": 2.1, "stop": 0.8, "cross_mm": 1.2, "rise_mm": 1.2, "rail_mm": 1.2}


def _tr(text: str) -> str:
    return QCoreApplication.translate("Sheet", text)


def write_sheet(shown: Shown, path: Path, *, system: str, paper: str = "A4") -> None:
    """Write the sheet of what is on the board.

    Parameters
    ----------
    shown : Shown
        With a method that fits.
    paper : "A4" or "Letter"

    Raises
    ------
    FileError
        If it cannot be written; an old file is then untouched.
    """
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setResolution(_DPI)
    size = QPageSize.PageSizeId.Letter if paper == "Letter" else QPageSize.PageSizeId.A4
    margins = QMarginsF(14, 12, 14, 12)
    writer.setPageLayout(
        QPageLayout(QPageSize(size), QPageLayout.Orientation.Portrait, margins, QPageLayout.Unit.Millimeter)
    )
    writer.setTitle(shown.scene.plan.title or _tr("Untitled plan"))
    writer.setCreator("Verispect")
    _Sheet(writer, shown, system).paint()
    write_atomically(path, bytes(buffer.data().data()))


class _Sheet:
    """Paints from the top down, with a new page when one is full."""

    def __init__(self, writer: QPdfWriter, shown: Shown, system: str) -> None:
        self._writer, self._shown, self._system = writer, shown, system
        assert shown.candidate is not None
        self._candidate = shown.candidate
        self._painter = QPainter(writer)
        self._width = float(writer.width())
        self._height = float(writer.height())
        self._y = 0.0
        self._page = 1
        self._mm = _DPI / 25.4

    def paint(self) -> None:
        self._heading()
        self._drawings()
        self._settings()
        self._list(_tr("Order of work"), [say(step) for step in steps(self._candidate)], ticked=True)
        told = in_words(settings_of(self._candidate))
        if told:
            self._list(_tr("In the hand"), [], ticked=False)
        for title, lines in told:
            self._part(say(title), [capital(say(line)) for line in lines])
        self._list(_tr("Cautions"), [say(caution) for caution in cautions()], ticked=False)
        self._foot()
        self._painter.end()

    def _font(self, points: float, weight: int = 400) -> QFont:
        made = font(points, weight)
        self._painter.setFont(made)
        return made

    def _text(
        self, x: float, width: float, text: str, *, flags: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft
    ) -> float:
        """Write wrapped text at the present height; gives how high it was."""
        area = QRectF(x, self._y, width, 1e5)
        used = self._painter.boundingRect(area, int(flags) | int(Qt.TextFlag.TextWordWrap), text)
        self._painter.drawText(area, int(flags) | int(Qt.TextFlag.TextWordWrap), text)
        return float(used.height())

    def _need(self, height: float) -> None:
        if self._y + height <= self._height - 8 * self._mm:
            return
        self._foot()
        self._writer.newPage()
        self._page += 1
        self._y = 0.0

    def _foot(self) -> None:
        self._font(8)
        self._painter.setPen(colour(LIGHT.faint))
        title = self._shown.scene.plan.title or _tr("Untitled plan")
        area = QRectF(0, self._height - 5 * self._mm, self._width, 5 * self._mm)
        words = _tr("{0} · made with Verispect on {1} · page {2}").format(title, date.today().isoformat(), self._page)
        self._painter.drawText(area, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom), words)
        self._painter.setPen(colour(LIGHT.ink))

    def _heading(self) -> None:
        candidate = self._candidate
        self._painter.setPen(colour(LIGHT.ink))
        self._font(16, 600)
        self._y += self._text(0, self._width, self._shown.scene.plan.title or _tr("Untitled plan"))
        first = frame_rows(candidate)[0]
        counted = counted_frames(candidate.frame_count, candidate.shot_count)
        minutes = candidate.time_on_site_s / 60.0
        words = _tr("{0} · {1} · {2} at {3:.4g} mm · f/{4} · about {5:.0f} min on site").format(
            say(Sentence(candidate.method.name)),
            counted,
            first.lens,
            first.focal_mm,
            first.stop,
            max(minutes, 1),
        )
        self._font(11)
        self._y += self._text(0, self._width, words) + 1 * self._mm
        self._font(9)
        for note in candidate.notes:
            self._y += self._text(0, self._width, say(note) + ".")
        self._y += 2 * self._mm

    def _drawings(self) -> None:
        gap = 3 * self._mm
        half = (self._width - gap) / 2
        for board, x, width, height, moves in (
            (ElevationBoard(), 0.0, self._width, 52 * self._mm, True),
            (GroundBoard(), 0.0, half, 66 * self._mm, False),
            (FrameBoard(), half + gap, half, 66 * self._mm, True),
        ):
            self._board(board, QRectF(x, self._y, width, height))
            if moves:
                self._y += height + gap

    def _board(self, board: Board, area: QRectF) -> None:
        """A drawing of its own for the paper, in the light theme, painted as vectors."""
        self._font(8.5)
        title = self._painter.fontMetrics().height()
        self._painter.drawText(QRectF(area.left(), area.top(), area.width(), title), board.title.text())
        board.canvas.resize(int(area.width() / _BOARD_SCALE), int((area.height() - title) / _BOARD_SCALE))
        board.apply_theme(LIGHT)
        if isinstance(board, SideBoard):
            board.system = self._system
        board.show_scene(self._shown)
        board.fit()
        self._painter.save()
        self._painter.translate(area.left(), area.top() + title)
        self._painter.scale(_BOARD_SCALE, _BOARD_SCALE)
        board.paint_on_paper(self._painter)
        self._painter.restore()
        board.deleteLater()

    def _settings(self) -> None:
        rows = in_work_order(frame_rows(self._candidate))
        columns = shown_columns(self._candidate)
        shares = [_WIDE.get(column.key, 1.0) for column in columns]
        widths = [self._width * share / sum(shares) for share in shares]
        self._row(widths, [self._title(column) for column in columns], weight=600, box=False)
        for row in rows:
            self._row(widths, [written(column, row, self._system) for column in columns], box=True)
        self._y += 3 * self._mm

    def _title(self, column: Column) -> str:
        return _tr("Focus, from sensor") if column.key == "focus_m" else say(column.title)

    def _row(self, widths: list[float], cells: list[str], *, weight: int = 400, box: bool) -> None:
        height = 6 * self._mm
        self._need(height)
        self._font(9.5, weight)
        self._painter.setPen(QPen(colour(LIGHT.line), 0.6))
        bottom = self._y + height
        self._painter.drawLine(QPointF(0.0, bottom), QPointF(self._width, bottom))
        self._painter.setPen(colour(LIGHT.ink))
        x = 0.0
        for index, (width, cell) in enumerate(zip(widths, cells, strict=True)):
            area = QRectF(x, self._y, width - 1.5 * self._mm, height)
            if index == 0 and box:
                self._tick(area.left(), area.center().y())
            self._painter.drawText(area, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), cell)
            x += width
        self._y += height

    def _tick(self, x: float, middle: float) -> None:
        side = 3.2 * self._mm
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        self._painter.setPen(QPen(colour(LIGHT.ink), 0.9))
        self._painter.drawRect(QRectF(x, middle - side / 2, side, side))
        self._painter.setPen(colour(LIGHT.ink))

    def _part(self, title: str, lines: list[str]) -> None:
        """A small heading with its sentences under it, close together."""
        self._need(12 * self._mm)
        self._font(9.5, 600)
        self._y += self._text(0, self._width, title) + 0.4 * self._mm
        for line in lines:
            self._need(8 * self._mm)
            self._font(9.5)
            self._y += self._text(4 * self._mm, self._width - 4 * self._mm, line + ".") + 0.4 * self._mm
        self._y += 1.2 * self._mm

    def _list(self, title: str, lines: list[str], *, ticked: bool) -> None:
        self._need(16 * self._mm)
        self._font(11, 600)
        self._y += self._text(0, self._width, title) + 1 * self._mm
        self._font(9.5)
        for line in lines:
            self._need(8 * self._mm)
            self._font(9.5)
            if ticked:
                self._tick(0, self._y + self._painter.fontMetrics().height() / 2)
            self._y += (
                self._text(6 * self._mm if ticked else 0, self._width - 6 * self._mm, line + ".") + 1.1 * self._mm
            )
        self._y += 2 * self._mm
