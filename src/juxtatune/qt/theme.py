"""Colours, fonts and the style sheet, from one palette file."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, fields
from functools import cache
from importlib import resources
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

FAMILY = "Barlow Semi Condensed"


@dataclass(frozen=True)
class Colours:
    """One colour a role."""

    ink: QColor
    panel: QColor
    line: QColor
    edge: QColor
    text: QColor
    muted: QColor
    past: QColor
    waiting: QColor
    lower: QColor
    higher: QColor
    attention: QColor
    selected: QColor
    stage_muted: QColor
    stage_lower: QColor
    stage_higher: QColor
    stage_attention: QColor


def assets() -> Path:
    return Path(str(resources.files("juxtatune.qt") / "assets"))


@cache
def colours(name: str) -> Colours:
    """The palette called dark or light."""
    table = tomllib.loads((assets() / "palette.toml").read_text(encoding="utf-8"))[name]
    return Colours(**{f.name: QColor(table[f.name]) for f in fields(Colours)})


class Theme:
    """The colours in force, and which way round strings are drawn. Views ask for `Theme.now` when they paint."""

    now: Colours
    name = "dark"
    left_handed = False


def load_fonts() -> None:
    for file in sorted((assets() / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def font(size: float, weight: int = 400) -> QFont:
    """The face in pixels, figures of equal width: a value of the caller's own."""
    return QFont(_font(round(size), weight))


@cache
def _font(size: int, weight: int) -> QFont:
    f = QFont()
    f.setFamilies([FAMILY])
    f.setPixelSize(size)
    f.setWeight(QFont.Weight(weight))
    f.setFeature(QFont.Tag("tnum"), 1)
    return f


def system_theme() -> str:
    from PySide6.QtCore import Qt

    scheme = QGuiApplication.styleHints().colorScheme()
    return "light" if scheme == Qt.ColorScheme.Light else "dark"


def apply_theme(app: QApplication, name: str) -> None:
    """Dark or light, everywhere at once."""
    Theme.name, Theme.now = name, colours(name)
    c = Theme.now
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, c.ink), (QPalette.ColorRole.WindowText, c.text),
        (QPalette.ColorRole.Base, c.panel), (QPalette.ColorRole.AlternateBase, c.ink),
        (QPalette.ColorRole.Text, c.text), (QPalette.ColorRole.Button, c.panel),
        (QPalette.ColorRole.ButtonText, c.text), (QPalette.ColorRole.Highlight, c.selected),
        (QPalette.ColorRole.HighlightedText, c.text), (QPalette.ColorRole.PlaceholderText, c.muted),
        (QPalette.ColorRole.ToolTipBase, c.panel), (QPalette.ColorRole.ToolTipText, c.text),
    ):  # fmt: skip
        palette.setColor(role, colour)
    app.setStyle("Fusion")
    app.setPalette(palette)
    app.setFont(font(16))
    app.setStyleSheet(_sheet(c))


def _sheet(c: Colours) -> str:
    def n(colour: QColor) -> str:
        return colour.name()

    return f"""
    QWidget {{ color: {n(c.text)}; }}
    QMainWindow, QDialog {{ background: {n(c.ink)}; }}
    QMenuBar, QMenu {{ background: {n(c.panel)}; color: {n(c.text)}; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {n(c.selected)}; }}
    QMenu::item:disabled {{ color: {n(c.past)}; }}
    #top, #foot, #tonight {{ background: {n(c.panel)}; }}
    #foot QLabel, #status {{ color: {n(c.muted)}; font-size: 14px; }}
    QToolButton#tab {{ background: transparent; border: 0; border-bottom: 3px solid transparent;
        padding: 8px 12px 5px 12px; color: {n(c.muted)}; }}
    QToolButton#tab:checked {{ color: {n(c.text)}; font-weight: 600; border-bottom: 3px solid {n(c.attention)}; }}
    QToolButton#tab:focus {{ background: {n(c.selected)}; }}
    QPushButton {{ background: {n(c.panel)}; border: 1px solid {n(c.edge)}; border-radius: 4px; padding: 6px 14px; }}
    QPushButton:hover {{ border-color: {n(c.attention)}; }}
    QPushButton:focus {{ border: 2px solid {n(c.attention)}; padding: 5px 13px; }}
    QPushButton:pressed {{ background: {n(c.selected)}; }}
    QPushButton:disabled {{ color: {n(c.past)}; }}
    QTableView::item {{ padding: 0 6px; }}
    QTableView, QListView {{ background: {n(c.ink)}; alternate-background-color: {n(c.panel)};
        gridline-color: {n(c.line)}; border: 0; selection-background-color: {n(c.selected)};
        selection-color: {n(c.text)}; }}
    QTableView::item:selected, QListView::item:selected {{ background: {n(c.selected)}; color: {n(c.text)};
        border-top: 1px solid {n(c.edge)}; border-bottom: 1px solid {n(c.edge)}; }}
    QTableView:focus, QListView:focus {{ border-left: 3px solid {n(c.attention)}; }}
    QTableView, QListView {{ border-left: 3px solid transparent; }}
    QListWidget::item {{ padding: 4px 6px; }}
    QHeaderView::section {{ background: {n(c.panel)}; color: {n(c.muted)}; border: 0; padding: 6px 8px; }}
    QLineEdit, QComboBox, QAbstractSpinBox {{ background: {n(c.panel)}; border: 1px solid {n(c.edge)};
        border-radius: 4px; padding: 5px 8px; selection-background-color: {n(c.lower)}; selection-color: {n(c.ink)}; }}
    QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus {{ border: 2px solid {n(c.attention)}; padding: 4px 7px; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; border: 0; }}
    QAbstractSpinBox QLineEdit, QAbstractSpinBox QLineEdit:focus {{ border: 0; padding: 0; background: transparent; }}
    QCheckBox {{ spacing: 8px; }}
    QCheckBox::indicator, QListView::indicator {{ width: 16px; height: 16px; border: 1px solid {n(c.edge)};
        border-radius: 3px; background: {n(c.panel)}; }}
    QCheckBox::indicator:checked, QListView::indicator:checked {{ background: {n(c.attention)}; }}
    QCheckBox:focus {{ color: {n(c.attention)}; }}
    QComboBox QAbstractItemView {{ background: {n(c.panel)}; selection-background-color: {n(c.selected)}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; }}
    QScrollBar::handle:vertical {{ background: {n(c.edge)}; border-radius: 5px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
    QScrollArea {{ border: 0; background: transparent; }}
    QLabel#title {{ font-size: 26px; font-weight: 600; }}
    QLabel#strong {{ color: {n(c.attention)}; font-size: 22px; font-weight: 600; }}
    QLabel#muted {{ color: {n(c.muted)}; }}
    QLabel#stageMuted {{ color: {n(c.stage_muted)}; }}
    QLabel#stageStrong {{ color: {n(c.stage_attention)}; font-size: 22px; font-weight: 600; }}
    """
