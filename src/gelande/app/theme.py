"""Every colour, font and measure of the interface. Nothing outside this module names a colour."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from gelande.scene.relief import PAPER, Tones

SANS, MONO = "IBM Plex Sans Condensed", "IBM Plex Mono"
RADIUS = 3


@lru_cache(512)
def _parsed(text: str, alpha: int) -> QColor:
    colour = QColor(text)
    colour.setAlpha(alpha)
    return colour


@dataclass(frozen=True)
class Theme:
    """One set of colours. line: between areas; edge: round what is clicked or typed in, which must be seen; faint:
    text of what cannot be clicked now."""

    paper: str
    sheet: str
    line: str
    edge: str
    faint: str
    ink: str
    muted: str
    accent: str
    water: str
    moss: str
    fault: str
    track: str
    on_accent: str
    height_link: str
    mask_link: str
    colour_link: str
    relief: tuple

    def colour(self, name: str, alpha: int = 255) -> QColor:
        """A named colour with an opacity 0-255."""
        return QColor(_parsed(getattr(self, name), alpha))  # one of the caller's own

    @property
    def tones(self) -> Tones:
        return Tones(self.relief)


LIGHT = Theme(
    paper="#F4F2EB",
    sheet="#FBFAF6",
    line="#D8D3C4",
    edge="#8B8778",
    faint="#7E7A6C",
    ink="#22303A",
    muted="#565F65",
    accent="#A65A24",
    water="#2F6F8F",
    moss="#4F6E3B",
    fault="#A3352B",
    track="#E4DECF",
    on_accent="#FFFFFF",
    height_link="#7A4A2A",
    mask_link="#5E6A72",
    colour_link="#4F6E3B",
    relief=PAPER.rows,
)
DARK = Theme(
    paper="#1A222B",
    sheet="#212B36",
    line="#3A4653",
    edge="#74828F",
    faint="#7C8994",
    ink="#E6E2D6",
    muted="#A4AFB7",
    accent="#D98A4E",
    water="#6FB0D0",
    moss="#93B878",
    fault="#E5786C",
    track="#35414D",
    on_accent="#1A222B",
    height_link="#C79A78",
    mask_link="#A9B4BC",
    colour_link="#93B878",
    relief=((38, 50, 66), (84, 88, 94), (14, 18, 22), (104, 96, 86), (58, 110, 140), (214, 84, 70)),
)

CONTRAST = Theme(
    paper="#000000",
    sheet="#0A0A0A",
    line="#8C8C8C",
    edge="#FFFFFF",
    faint="#8C8C8C",
    ink="#FFFFFF",
    muted="#E0E0E0",
    accent="#FFC94A",
    water="#8FD8FF",
    moss="#B4E89A",
    fault="#FF9C8F",
    track="#333333",
    on_accent="#000000",
    height_link="#FFD2A6",
    mask_link="#D6DEE6",
    colour_link="#B4E89A",
    relief=DARK.relief,
)
#: Themes by what is kept in the settings file; what the system says is none of these.
THEMES = {"light": LIGHT, "dark": DARK, "contrast": CONTRAST}
#: What is kept where the theme follows the system.
SYSTEM = "system"

_current = LIGHT


def theme() -> Theme:
    """The theme in force."""
    return _current


def use(name: str) -> None:
    """Chooses a theme by the id that is kept; for one that is not known, what the system says."""
    global _current
    _current = THEMES.get(name) or THEMES[system_theme()]


def system_theme() -> str:
    """Id of the theme that goes with what the system says, dark or light."""
    hints = QApplication.styleHints() if QApplication.instance() else None
    return "dark" if hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark else "light"


def dress(name: str) -> None:
    """Puts a theme in force on the running application."""
    use(name)
    app = QApplication.instance()
    app.setPalette(palette())
    app.setStyleSheet(style_sheet())


def load_fonts() -> None:
    """Registers the shipped fonts."""
    for file in sorted((Path(__file__).parent / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def sans(size: float = 10.0, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    font = QFont(SANS)
    font.setPixelSize(round(size * 1.34))
    font.setWeight(weight)
    return font


def mono(size: float = 9.0) -> QFont:
    font = QFont(MONO)
    font.setPixelSize(round(size * 1.34))
    return font


BOLD = QFont.Weight.DemiBold


def palette() -> QPalette:
    """Qt's palette, for what the style sheet does not reach."""
    t, p = _current, QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "paper"),
        (QPalette.ColorRole.Base, "sheet"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.WindowText, "ink"),
        (QPalette.ColorRole.Button, "sheet"),
        (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.Highlight, "accent"),
        (QPalette.ColorRole.HighlightedText, "on_accent"),
        (QPalette.ColorRole.ToolTipBase, "sheet"),
        (QPalette.ColorRole.ToolTipText, "ink"),
        (QPalette.ColorRole.PlaceholderText, "muted"),
    ):
        p.setColor(role, t.colour(name))
    return p


def _controls(t: Theme, icons: str) -> str:
    """Rules for what is clicked or typed in; what has the focus is always told by its edge."""
    return f"""
    QPushButton, QToolButton {{ background: {t.sheet}; border: 1px solid {t.edge}; border-radius: {RADIUS}px;
        padding: 4px 10px; font-weight: 500; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.ink}; }}
    QPushButton:disabled, QToolButton:disabled {{ border-color: {t.line}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {t.accent}; padding: 3px 9px; }}
    QPushButton:checked, QToolButton:checked {{ background: {t.ink}; color: {t.paper}; border-color: {t.ink}; }}
    QPushButton:checked:focus, QToolButton:checked:focus {{ border-color: {t.accent}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.faint}; background: {t.paper}; }}
    QPushButton#primary {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; }}
    QPushButton#primary:focus {{ border: 2px solid {t.ink}; }}
    QPushButton#primary:disabled {{ background: {t.track}; color: {t.faint}; border-color: {t.line}; }}
    QPushButton#plain {{ border: 2px solid transparent; background: transparent; padding: 0 2px; }}
    QPushButton#plain:focus {{ border-color: {t.accent}; }}
    QLineEdit, QComboBox, QPlainTextEdit, QDoubleSpinBox {{ background: {t.sheet}; border: 1px solid {t.edge};
        border-radius: {RADIUS}px; padding: 3px 6px; selection-background-color: {t.accent}; }}
    QDoubleSpinBox#value {{ background: transparent; border: 1px solid transparent; padding: 0 2px;
        font-family: "{MONO}"; font-size: 12px; }}
    QDoubleSpinBox#value:focus {{ background: {t.sheet}; border: 1px solid {t.accent}; padding: 0 2px; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus, QDoubleSpinBox:focus {{ border: 2px solid {t.accent};
        padding: 2px 5px; }}
    QListView:focus, QTreeView:focus, QTableView:focus {{ border: 1px solid {t.accent}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: url({icons}/down.svg); width: 10px; height: 10px; }}
    QPushButton::menu-indicator {{ image: url({icons}/down.svg); width: 9px; height: 9px;
        subcontrol-position: right center; subcontrol-origin: padding; }}
    QPushButton#plain {{ padding-right: 14px; }}
    QPushButton#fold {{ border: none; background: transparent; text-align: left; padding: 2px 0; font-weight: 600; }}
    QPushButton#fold:focus {{ color: {t.accent}; }}
    """


def style_sheet() -> str:
    """The application's style sheet."""
    t, icons = _current, (Path(__file__).parent / "icons").as_posix()
    return f"""
    * {{ font-family: "{SANS}"; font-size: 13px; color: {t.ink}; }}
    QMainWindow, QWidget#paper {{ background: {t.paper}; }}
    QWidget#sheet, QFrame#sheet {{ background: {t.sheet}; }}
    QFrame[ruled="true"] {{ border: 1px solid {t.line}; border-radius: {RADIUS}px; }}
    QFrame#rule {{ background: {t.line}; }}
    QLabel#title {{ font-size: 16px; font-weight: 600; }}
    QLabel#head {{ font-weight: 600; font-size: 13px; }}
    QLabel#muted {{ color: {t.muted}; }}
    QLabel#mono, QLabel#tag {{ font-family: "{MONO}"; font-size: 12px; }}
    QLabel#tag {{ background: {t.sheet}; border: 1px solid {t.line}; border-radius: {RADIUS}px; padding: 3px 7px; }}
    QLabel#fault {{ color: {t.fault}; }}
    {_controls(t, icons)}
    QComboBox QAbstractItemView, QListWidget, QMenu {{ background: {t.sheet}; border: 1px solid {t.line};
        selection-background-color: {t.ink}; selection-color: {t.paper}; outline: none; }}
    QMenu::item {{ padding: 4px 22px 4px 12px; }}
    QMenu::item:selected {{ background: {t.ink}; color: {t.paper}; }}
    QMenu::item:disabled {{ color: {t.faint}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 3px 0; }}
    QListWidget::item {{ padding: 4px 6px; }}
    QToolTip {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QSplitter::handle {{ background: {t.line}; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 3px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 3px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
        background: none; border: none; width: 0; height: 0; }}
    QCheckBox {{ spacing: 6px; }}
    QCheckBox:focus {{ color: {t.accent}; }}
    QCheckBox::indicator:focus {{ border-color: {t.accent}; }}
    QCheckBox::indicator {{ width: 12px; height: 12px; border: 1px solid {t.muted};
        border-radius: 2px; background: {t.sheet}; }}
    QCheckBox::indicator:checked {{ background: {t.ink}; border-color: {t.ink}; }}
    QProgressBar {{ background: {t.track}; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
    QTableWidget {{ background: {t.sheet}; border: 1px solid {t.line}; gridline-color: {t.line}; outline: none;
        selection-background-color: {t.track}; selection-color: {t.ink}; }}
    QTableWidget::item {{ padding: 4px 8px; border-bottom: 1px solid {t.line}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.muted}; border: none; border-bottom: 1px solid {t.line};
        padding: 6px 8px; }}
    """
