"""Colours, faces and the style sheet: one dark version (ink) and one light (paper)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

FONTS = Path(__file__).parents[1] / "fonts"
IMAGES = Path(__file__).parent / "images"
SANS, MONO = "B612", "JetBrains Mono"


@dataclass(frozen=True)
class Theme:
    """Colours as #rrggbb. ``surround`` lies around every picture and is neutral grey in both versions."""

    name: str
    ground: str
    panel: str
    raised: str
    line: str
    text: str
    quiet: str
    ochre: str
    plum: str
    on_mark: str
    warn: str
    focus: str
    surround: str = "#2b2b2b"


INK = Theme(
    name="ink", ground="#171b26", panel="#1f2433", raised="#2b3246", line="#3b435a", text="#f2eadb", quiet="#b9b0a0",
    ochre="#d19a35", plum="#a8659c", on_mark="#14161d", warn="#f0937c", focus="#e6d3a8",
)  # fmt: skip
PAPER = Theme(
    name="paper", ground="#ece6d8", panel="#f6f2e8", raised="#fffdf7", line="#c3b9a3", text="#22242c", quiet="#5d594f",
    ochre="#c28a22", plum="#8d4a82", on_mark="#17181d", warn="#9c2f1c", focus="#6b5524", surround="#7a7a7a",
)  # fmt: skip

_current = INK


def theme() -> Theme:
    """The version in use."""
    return _current


def colour(name: str) -> QColor:
    """A colour of the version in use by its field name."""
    return QColor(getattr(_current, name))


def load_fonts() -> None:
    """Make the shipped faces known."""
    for path in sorted((*FONTS.glob("*.otf"), *FONTS.glob("*.ttf"))):
        QFontDatabase.addApplicationFont(str(path))


@lru_cache
def sans(size: int = 10, bold: bool = False) -> QFont:
    """The face of the chrome; not to be changed by the caller: a font that is kept is drawn faster."""
    font = QFont(SANS, size)
    font.setBold(bold)
    return font


@lru_cache
def mono(size: int = 10) -> QFont:
    """The face of timecode."""
    return QFont(MONO, size)


def apply_theme(app: QApplication, chosen: Theme) -> None:
    """Use a version for the whole application."""
    global _current
    _current = chosen
    app.setFont(sans(10))
    app.setPalette(palette(chosen))
    app.setStyleSheet(_sheet(chosen))


def palette(t: Theme) -> QPalette:
    """The colours for all that the style sheet does not name: no widget stands on the desktop's own white."""
    roles = {
        QPalette.ColorRole.Window: t.ground, QPalette.ColorRole.WindowText: t.text, QPalette.ColorRole.Base: t.panel,
        QPalette.ColorRole.AlternateBase: t.raised, QPalette.ColorRole.Text: t.text,
        QPalette.ColorRole.Button: t.raised, QPalette.ColorRole.ButtonText: t.text,
        QPalette.ColorRole.BrightText: t.text, QPalette.ColorRole.ToolTipBase: t.raised,
        QPalette.ColorRole.ToolTipText: t.text, QPalette.ColorRole.Highlight: t.line,
        QPalette.ColorRole.HighlightedText: t.text, QPalette.ColorRole.PlaceholderText: t.quiet,
        QPalette.ColorRole.Link: t.focus, QPalette.ColorRole.LinkVisited: t.focus, QPalette.ColorRole.Light: t.line,
        QPalette.ColorRole.Midlight: t.line, QPalette.ColorRole.Mid: t.line, QPalette.ColorRole.Dark: t.ground,
        QPalette.ColorRole.Shadow: t.ground,
    }  # fmt: skip
    found = QPalette()
    for role, name in roles.items():
        found.setColor(role, QColor(name))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        found.setColor(QPalette.ColorGroup.Disabled, role, QColor(t.quiet))
    return found


def _sheet(t: Theme) -> str:
    return f"""
* {{ color: {t.text}; selection-background-color: {t.line}; selection-color: {t.text}; }}
QMainWindow, QDialog, QMessageBox {{ background: {t.ground}; }}
QWidget#place, QWidget#strip, QWidget#rail, QWidget#foot {{ background: {t.ground}; }}
QFrame#card {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 4px; }}
QLabel {{ background: transparent; }}
QTextBrowser, QTextEdit {{ background: {t.panel}; border: 1px solid {t.line}; padding: 10px; }}
QLabel#quiet {{ color: {t.quiet}; }}
QLabel#warn, QLabel[warned="true"] {{ color: {t.warn}; }}
QLabel#part {{ font-weight: bold; }}
QLabel#path {{ color: {t.quiet}; font-family: "{MONO}"; font-size: 8pt; }}
QLabel#heading {{ font-size: 15pt; }}
QLabel#sentence {{ font-size: 11pt; }}
QPushButton, QToolButton {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 4px;
  padding: 5px 11px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {t.quiet}; }}
QPushButton:focus, QToolButton:focus, QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus, QSpinBox:focus,
QDoubleSpinBox:focus, QTimeEdit:focus, QTableView:focus, QListView:focus {{
  border: 1px solid {t.focus}; }}
QToolButton#way:checked {{ background: {t.ground}; border: 2px solid {t.focus}; padding: 3px 5px; font-weight: bold; }}
QComboBox:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled, QLineEdit:disabled {{ color: {t.quiet};
  background: {t.panel}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {t.quiet}; background: {t.panel}; }}
QPushButton#main {{ background: {t.focus}; color: {t.on_mark if t.name == "ink" else t.raised}; font-weight: bold;
  padding: 8px 18px;
  border-color: {t.focus}; }}
QPushButton#main:disabled {{ background: {t.panel}; color: {t.quiet}; border-color: {t.line}; font-weight: normal; }}
QPushButton#main:focus {{ border: 2px solid {t.text}; }}
QLineEdit, QPlainTextEdit, QComboBox, QSpinBox, QDoubleSpinBox, QTimeEdit, QKeySequenceEdit {{ background: {t.raised};
  border: 1px solid {t.line}; border-radius: 3px; padding: 4px 7px; }}
QFrame#card Field QLineEdit, QFrame#card Field QComboBox, QFrame#card Field QSpinBox,
QFrame#card Field QDoubleSpinBox, QFrame#card Field QTimeEdit {{ padding: 2px 5px; }}
QFrame#card Field QPushButton {{ padding: 2px 7px; }}
QPushButton#more {{ background: transparent; border: none; color: {t.quiet}; padding: 1px 5px; }}
QPushButton#more:focus {{ border: 1px solid {t.focus}; }}
QPushButton#more:hover {{ color: {t.text}; }}
QComboBox::down-arrow {{ image: url("{(IMAGES / f"down-{t.name}.png").as_posix()}"); width: 9px;
  height: 6px; margin-right: 4px; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox QAbstractItemView {{ background: {t.raised}; border: 1px solid {t.line}; outline: none; }}
QTableView, QListView {{ background: {t.panel}; alternate-background-color: {t.panel}; border: 1px solid {t.line};
  gridline-color: {t.line}; outline: none; }}
QTableView::item, QListView::item {{ padding: 3px 6px; border: none; }}
QTableView::item:selected, QListView::item:selected {{ background: {t.raised}; color: {t.text}; }}
QHeaderView::section {{ background: {t.ground}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.line};
  padding: 5px 6px; }}
QTableCornerButton::section {{ background: {t.ground}; border: none; }}
QScrollBar:vertical {{ background: {t.panel}; width: 11px; }}
QScrollBar:horizontal {{ background: {t.panel}; height: 11px; }}
QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QProgressBar {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 3px; text-align: center;
  height: 16px; }}
QProgressBar::chunk {{ background: {t.line}; border-right: 2px solid {t.focus}; }}
QSlider::groove:horizontal {{ background: {t.line}; height: 4px; border-radius: 2px; }}
QSlider::handle:horizontal {{ background: {t.text}; width: 11px; margin: -5px 0; border-radius: 3px; }}
QSlider:focus {{ border: 1px solid {t.focus}; border-radius: 3px; }}
QSplitter::handle {{ background: {t.ground}; }}
QToolTip {{ background: {t.raised}; color: {t.text}; border: 1px solid {t.line}; padding: 4px; }}
QMenu {{ background: {t.raised}; border: 1px solid {t.line}; }}
QMenu::item {{ padding: 5px 22px; }}
QMenu::item:selected {{ background: {t.line}; }}
QMenu::item:disabled {{ color: {t.quiet}; }}
QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 10px; }}
QCheckBox {{ spacing: 5px; padding: 2px; border: 1px solid transparent; border-radius: 3px; }}
QCheckBox:focus {{ border-color: {t.focus}; }}
QCheckBox::indicator, QListView::indicator {{ width: 13px; height: 13px; border: 1px solid {t.quiet};
  border-radius: 2px; background: {t.raised}; }}
QCheckBox::indicator:checked, QListView::indicator:checked {{ background: {t.focus}; border-color: {t.focus};
  image: url("{(IMAGES / f"tick-{t.name}.png").as_posix()}"); }}
QCheckBox:disabled {{ color: {t.quiet}; }}
QPushButton[small="true"], QToolButton[small="true"] {{ padding: 4px 6px; }}
QScrollArea {{ border: 1px solid transparent; background: {t.ground}; }}
QScrollArea:focus {{ border: 1px solid {t.focus}; }}
QTabWidget::pane {{ border: none; border-top: 1px solid {t.line}; }}
QTabBar::tab {{ background: {t.ground}; color: {t.quiet}; padding: 5px 12px; border: none;
  border-bottom: 2px solid transparent; }}
QTabBar::tab:selected {{ color: {t.text}; border-bottom: 2px solid {t.focus}; }}
QTabBar::tab:focus {{ border-bottom: 2px solid {t.text}; }}
QSpinBox::up-button, QDoubleSpinBox::up-button, QTimeEdit::up-button, QSpinBox::down-button,
QDoubleSpinBox::down-button, QTimeEdit::down-button {{ width: 0; border: none; }}
"""
