"""Colours and fonts: a light and a dusk theme in neutral greys, one accent, one hue for what is sharp."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from PyQt6.QtGui import QColor, QFont, QFontDatabase


@dataclass(frozen=True)
class Theme:
    """Colours as #rrggbb.

    Attributes
    ----------
    ground, panel, field : str
        Window, panels, and places to write in.
    ink, faint, line : str
        Text, quieter text, and lines.
    hand : str
        The one accent: what the hand can move.
    sharp : str
        The one hue for what is sharp.
    """

    name: str
    ground: str
    panel: str
    field: str
    ink: str
    faint: str
    line: str
    hand: str
    sharp: str
    on_strong: str


LIGHT = Theme(
    "light", "#dcdcdc", "#e9e9e9", "#f6f6f6", "#1c1c1c", "#505050", "#9d9d9d", "#9a3c12", "#1f5a70", "#ffffff"
)
DUSK = Theme(
    "dusk", "#191715", "#221f1c", "#2c2824", "#e2d6c8", "#b3a797", "#5d554c", "#f09a5c", "#86bcc9", "#191715"
)
THEMES = {theme.name: theme for theme in (LIGHT, DUSK)}


@lru_cache(maxsize=1)
def font_family() -> str:
    """Load the font that ships with the program; its family name."""
    data = files("verispect.ui").joinpath("fonts/IBMPlexSans.ttf").read_bytes()
    handle = QFontDatabase.addApplicationFontFromData(data)
    families = QFontDatabase.applicationFontFamilies(handle)
    return families[0] if families else "sans-serif"


def font(points: float = 10.0, weight: int = 400) -> QFont:
    """The program's font; the file is variable, so the weight is set on its axis."""
    made = QFont(font_family())
    made.setPointSizeF(points)
    made.setVariableAxis(QFont.Tag("wght"), float(weight))
    return made


def pixel_font(points: float, weight: int = 400) -> QFont:
    """A font whose size is in screen pixels, so that it keeps its place in a drawing on any device."""
    made = font(points, weight)
    made.setPixelSize(round(points * 96.0 / 72.0))
    return made


def colour(value: str, alpha: int = 255) -> QColor:
    """A colour with transparency."""
    made = QColor(value)
    made.setAlpha(alpha)
    return made


def contrast_ratio(first: str, second: str) -> float:
    """Contrast of two colours after WCAG 2.1: (L1 + 0.05)/(L2 + 0.05)."""

    def luminance(value: str) -> float:
        parts = [int(value[k : k + 2], 16) / 255.0 for k in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    high, low = sorted((luminance(first), luminance(second)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def style_sheet(theme: Theme) -> str:
    """The window's style sheet."""
    return f"""
    QMainWindow, QDialog, QMessageBox {{ background: {theme.ground}; }}
    QWidget {{ color: {theme.ink}; font-family: "{font_family()}"; }}
    QWidget#panel, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {theme.panel}; }}
    QMenuBar, QMenu, QStatusBar {{ background: {theme.panel}; }}
    QMenu::item:selected, QMenuBar::item:selected {{ background: {theme.line}; }}
    QMenu::item:disabled {{ color: {theme.faint}; }}
    QLineEdit, QComboBox, QTableView, QListWidget, QTextBrowser, QPlainTextEdit {{
        background: {theme.field}; border: 1px solid {theme.line}; border-radius: 2px;
        selection-background-color: {theme.sharp}; selection-color: {theme.on_strong}; }}
    QLineEdit, QComboBox {{ min-height: 26px; padding: 2px 5px; }}
    QListWidget::item {{ min-height: 26px; padding-left: 3px; }}
    QListWidget::item:selected {{ background: {theme.sharp}; color: {theme.on_strong}; }}
    QLineEdit:focus, QComboBox:focus, QTableView:focus, QListWidget:focus,
    QPushButton:focus {{ border: 2px solid {theme.hand}; }}
    QLineEdit[wrong="true"] {{ border: 2px dashed {theme.hand}; }}
    QLineEdit:disabled, QComboBox:disabled {{ color: {theme.faint}; }}
    QComboBox QAbstractItemView {{ background: {theme.field}; selection-background-color: {theme.sharp};
        selection-color: {theme.on_strong}; }}
    QTableView {{ gridline-color: {theme.line}; alternate-background-color: {theme.panel}; }}
    QTableView QLineEdit {{ min-height: 18px; padding: 0 3px; }}
    QHeaderView::section {{ background: {theme.ground}; color: {theme.ink}; border: 0;
        border-right: 1px solid {theme.line}; border-bottom: 1px solid {theme.line}; padding: 4px; }}
    QTableCornerButton::section {{ background: {theme.ground}; border: 0; }}
    QPushButton {{ background: {theme.field}; border: 1px solid {theme.line}; border-radius: 2px;
        min-height: 28px; padding: 1px 12px; }}
    QPushButton[tall="true"] {{ min-height: 48px; }}
    QPushButton:hover {{ border-color: {theme.ink}; }}
    QPushButton:checked {{ background: {theme.sharp}; color: {theme.on_strong}; border-color: {theme.ink}; }}
    QPushButton:disabled {{ color: {theme.faint}; background: {theme.panel}; }}
    QGroupBox {{ border: 0; border-top: 1px solid {theme.line}; margin-top: 20px; padding-top: 6px; }}
    QGroupBox::title {{ subcontrol-origin: margin; left: 0; top: 2px; color: {theme.faint}; }}
    QTabWidget::pane {{ border: 0; border-top: 1px solid {theme.line}; }}
    QTabBar {{ background: transparent; qproperty-drawBase: 0; }}
    QTabBar::tab {{ background: {theme.ground}; color: {theme.ink}; border: 1px solid {theme.line};
        border-bottom: 0; padding: 3px 10px; min-height: 20px; margin-right: 1px; }}
    QTabBar::tab:selected {{ background: {theme.field}; }}
    QTabBar::tab:focus {{ border: 2px solid {theme.hand}; border-bottom: 0; }}
    QSplitter::handle {{ background: {theme.line}; }}
    QToolTip {{ background: {theme.field}; color: {theme.ink}; border: 1px solid {theme.line}; }}
    QLabel[quiet="true"] {{ color: {theme.faint}; }}
    QLabel[wrong="true"] {{ color: {theme.hand}; }}
    QScrollBar {{ background: {theme.panel}; width: 12px; height: 12px; }}
    QScrollBar::handle {{ background: {theme.line}; border-radius: 5px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    """
