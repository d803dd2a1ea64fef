"""Colours, type and style sheet. One set of tokens, light and dark."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

FAMILY = "Inter"
BODY_COLOURS = {
    "clay": "#8B6F4E",
    "straw": "#C9A24B",
    "slate": "#6F8396",
    "stone": "#B9B2A1",
    "moss": "#7C8A5A",
    "plum": "#7B5D73",
    "bark": "#6A523A",
    "ash": "#A9ACA8",
}


def body_colour(name: str) -> str:
    """The colour of a body as #rrggbb: one that has a name, or any."""
    return BODY_COLOURS.get(name, name)


@dataclass(frozen=True, slots=True)
class Theme:
    """Colour tokens as hex text."""

    name: str
    paper: str
    sheet: str
    field: str
    line: str
    ink: str
    soft: str
    accent: str
    on_accent: str
    wash: str
    good: str
    warn: str
    bad: str
    force: str
    moment: str
    axes: tuple[str, str, str]
    stage: str
    grid: str
    edge: str
    curves: tuple[str, ...]

    def colour(self, token: str) -> QColor:
        return QColor(getattr(self, token))


LIGHT = Theme(
    name="light", paper="#EFECE4", sheet="#FAF8F3", field="#FFFFFF", line="#D8D2C4",
    ink="#22262B", soft="#646A70", accent="#2A43C4", on_accent="#FFFFFF", wash="#E3E6F7",
    good="#2F6F53", warn="#8F5608", bad="#A32B2B", force="#C8471F", moment="#7A3E9D",
    axes=("#B0413E", "#3E7D4F", "#3C5FA8"), stage="#F6F4EE", grid="#DDD8CC", edge="#2B2E33",
    curves=("#2A43C4", "#C8471F", "#2F6F53", "#7A3E9D", "#8F5608", "#3A7D8C"),
)  # fmt: skip
DARK = Theme(
    name="dark", paper="#15171A", sheet="#1D2024", field="#262A2F", line="#363B41",
    ink="#ECE8DE", soft="#9AA0A6", accent="#9BABFF", on_accent="#15171A", wash="#2A3052",
    good="#7FC4A4", warn="#E0A94F", bad="#EE8B84", force="#F0835C", moment="#C79BE0",
    axes=("#E08984", "#86C497", "#8FACE8"), stage="#1A1D20", grid="#2D3237", edge="#0B0C0E",
    curves=("#9BABFF", "#F0835C", "#7FC4A4", "#C79BE0", "#E0A94F", "#7CC3D2"),
)  # fmt: skip


def load_fonts() -> None:
    """Register the font that ships with Impeto."""
    for path in sorted((Path(__file__).parent / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


def font(pixels: int = 13, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The one family, with digits of equal width."""
    made = QFont(FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def apply(application: QApplication, theme: Theme) -> None:
    """Dress the whole application."""
    application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.paper,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.Base: theme.field,
        QPalette.ColorRole.AlternateBase: theme.sheet,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.Button: theme.sheet,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.accent,
        QPalette.ColorRole.HighlightedText: theme.on_accent,
        QPalette.ColorRole.ToolTipBase: theme.field,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.soft,
        QPalette.ColorRole.Link: theme.accent,
    }
    for role, value in roles.items():
        palette.setColor(role, QColor(value))
    application.setPalette(palette)
    application.setStyleSheet(style_sheet(theme))


def style_sheet(t: Theme) -> str:
    icon = (Path(__file__).parent / "icons" / f"down-{t.name}.svg").as_posix()
    return f"""
* {{ font-family: "{FAMILY}"; font-size: 13px; }}
QMainWindow, QDialog {{ background: {t.paper}; }}
QWidget#panel, QScrollArea#panel, QWidget#strip, QWidget#deck {{ background: {t.sheet}; }}
QWidget#strip {{ border-bottom: 1px solid {t.line}; }}
QWidget#deck {{ border-top: 1px solid {t.line}; }}
QScrollArea {{ border: none; background: {t.sheet}; }}
QSplitter::handle:horizontal {{ background: {t.line}; }}
QSplitter::handle:vertical {{ background: transparent; }}
QLabel {{ color: {t.ink}; background: transparent; }}
QLabel#soft, QLabel#unit, QLabel#hint {{ color: {t.soft}; }}
QLabel#hint {{ font-size: 11px; }}
QLabel#caption {{ font-size: 11px; font-weight: 600; color: {t.soft}; }}
QLabel#title {{ font-size: 15px; font-weight: 600; }}
QLabel#clock {{ font-size: 20px; font-weight: 600; }}
QLabel#bad {{ color: {t.bad}; font-size: 11px; }}
QLineEdit, QComboBox {{
    background: {t.field}; border: 1px solid {t.line}; border-radius: 5px;
    padding: 0 7px; min-height: 23px; color: {t.ink};
    selection-background-color: {t.accent}; selection-color: {t.on_accent};
}}
QLineEdit:focus, QComboBox:focus {{ border-color: {t.accent}; }}
QLineEdit[wrong="true"] {{ border-color: {t.bad}; color: {t.bad}; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url("{icon}"); width: 10px; height: 10px; }}
QLineEdit#name {{
    font-size: 15px; font-weight: 600; border-color: transparent; background: transparent;
    padding: 0 2px;
}}
QLineEdit#name:focus {{ border-color: {t.accent}; background: {t.field}; }}
QComboBox QAbstractItemView {{
    background: {t.field}; color: {t.ink}; border: 1px solid {t.line};
    selection-background-color: {t.wash}; selection-color: {t.ink}; outline: none;
}}
QPushButton {{
    background: {t.field}; border: 1px solid {t.line}; border-radius: 5px;
    padding: 0 10px; min-height: 24px; color: {t.ink};
}}
QPushButton:hover, QPushButton:focus {{ border-color: {t.accent}; }}
QPushButton:disabled {{ color: {t.soft}; }}
QPushButton#run {{
    background: {t.accent}; border-color: {t.accent}; color: {t.on_accent}; font-weight: 600;
    padding: 0 18px; min-height: 27px;
}}
QPushButton#run:disabled {{ background: {t.paper}; color: {t.soft}; border-color: {t.line}; }}
QPushButton#desk {{
    background: transparent; border: none; color: {t.soft}; padding: 0 16px; min-height: 26px;
}}
QPushButton#desk:hover {{ color: {t.ink}; }}
QPushButton#desk:checked {{ background: {t.ink}; color: {t.sheet}; font-weight: 600; }}
QWidget#desks {{ background: {t.paper}; border-radius: 6px; }}
QPushButton#link {{
    background: transparent; border: none; color: {t.accent}; padding: 0 2px; min-height: 18px;
    text-align: left;
}}
QPushButton#quiet {{
    background: transparent; border: none; color: {t.soft}; padding: 0 4px; min-height: 18px;
    text-align: left;
}}
QPushButton#quiet:hover, QPushButton#quiet:focus {{ color: {t.accent}; }}
QPushButton#link:hover, QPushButton#link:focus {{ text-decoration: underline; }}
QPushButton#chip {{
    background: {t.field}; border: 1px solid {t.line}; border-radius: 10px; padding: 0 9px;
    min-height: 19px; font-size: 11px; color: {t.ink};
}}
QPushButton#chip:checked {{ border-color: {t.ink}; font-weight: 600; }}
QPushButton#chip:hover, QPushButton#chip:focus {{ border-color: {t.accent}; }}
QPushButton#play {{ background: {t.ink}; color: {t.sheet}; border-color: {t.ink}; }}
QWidget#bar {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 6px; }}
QLabel#strong {{ font-weight: 600; }}
QFrame#card {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 6px; }}
QFrame#health {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 6px; }}
QFrame#health[state="good"] {{ border-left: 3px solid {t.good}; }}
QFrame#health[state="warn"] {{ border-left: 3px solid {t.warn}; }}
QFrame#health[state="bad"] {{ border-left: 3px solid {t.bad}; }}
QListView, QTreeWidget, QTableWidget, QListWidget {{
    background: {t.sheet}; border: none; color: {t.ink}; outline: none;
    selection-background-color: {t.wash}; selection-color: {t.ink};
}}
QTableWidget, QListWidget {{ background: {t.field}; }}
QHeaderView, QTableCornerButton::section {{ background: {t.field}; border: none; }}
QHeaderView::section {{
    background: {t.field}; color: {t.soft}; border: none; padding: 2px 4px; font-size: 11px;
}}
QProgressBar {{ background: {t.paper}; border: none; max-height: 3px; }}
QProgressBar::chunk {{ background: {t.accent}; }}
QMenu {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
QMenu::item {{ padding: 4px 22px 4px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {t.wash}; }}
QMenu::item:disabled {{ color: rgba(128, 128, 128, 160); background: transparent; }}
QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px; }}
QToolTip {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line}; padding: 3px; }}
QMessageBox {{ background: {t.sheet}; border: 1px solid {t.line}; }}
QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 8px; }}
QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 4px; }}
QLabel#toast {{
    background: {t.ink}; color: {t.sheet}; border-radius: 6px; padding: 8px 12px;
}}
"""
