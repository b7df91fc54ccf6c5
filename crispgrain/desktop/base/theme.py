"""The look: a neutral print-viewing booth, with one amber accent for what is active."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from functools import cache
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPalette
from PySide6.QtWidgets import QApplication

from crispgrain.paths import FONTS

ASSETS = Path(__file__).parent.parent / "assets"


@dataclass(frozen=True)
class Theme:
    """Colours of the window. All greys are neutral, so that they don't tint the photograph."""

    name: str
    panel: str
    field: str
    ink: str
    faint_ink: str
    hairline: str
    accent: str
    on_accent: str


BOOTH = Theme("booth", "#ececec", "#f8f8f8", "#1c1c1c", "#5c5c5c", "#c2c2c2", "#a85400", "#ffffff")
DIM_ROOM = Theme("dim room", "#2e2e2e", "#3a3a3a", "#dcdcdc", "#a6a6a6", "#505050", "#e08a2e", "#1c1c1c")


class Surround(Enum):
    """What lies around the picture on the easel."""

    MID_GREY = "#777777"  # 18 % reflectance, sRGB-encoded
    PAPER_WHITE = "#f2f2f2"
    NEAR_BLACK = "#161616"

    @property
    def ink(self) -> str:
        """A colour for words on it."""
        return "#161616" if self is Surround.PAPER_WHITE else "#f2f2f2"

    @property
    def next(self) -> Surround:
        every = list(Surround)
        return every[(every.index(self) + 1) % len(every)]


@cache
def load_fonts() -> str:
    """Register the fonts that ship with the program; returns the family name."""
    families: list[str] = []
    for file in sorted((FONTS).glob("*.ttf")):
        families += QFontDatabase.applicationFontFamilies(QFontDatabase.addApplicationFont(str(file)))
    return families[0] if families else ""


def app_icon() -> QIcon:
    return QIcon(str(ASSETS / "icons" / "crispgrain.svg"))


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Dress the whole program, which takes a quarter of a second, unless it is dressed so."""
    if app.property("theme") == theme.name:
        return
    app.setStyle("Fusion")
    font = QFont(load_fonts())
    font.setPixelSize(13)
    app.setFont(font)
    palette = QPalette()
    role = QPalette.ColorRole
    for roles, colour in (
        ((role.Window, role.Button, role.AlternateBase), theme.panel),
        ((role.Base, role.ToolTipBase), theme.field),
        ((role.WindowText, role.Text, role.ButtonText, role.ToolTipText), theme.ink),
        ((role.PlaceholderText,), theme.faint_ink),
        ((role.Highlight, role.Accent), theme.accent),
        ((role.HighlightedText,), theme.on_accent),
        ((role.Mid, role.Dark, role.Shadow), theme.hairline),
        ((role.Light, role.Midlight), theme.field),
    ):
        for r in roles:
            palette.setColor(r, QColor(colour))
    for r in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, r, QColor(theme.faint_ink))
    app.setPalette(palette)
    app.setStyleSheet(_style(theme))
    app.setProperty("theme", theme.name)


def current_theme() -> Theme:
    app = QApplication.instance()
    return DIM_ROOM if app is not None and app.property("theme") == DIM_ROOM.name else BOOTH


def _style(t: Theme) -> str:
    chevron = ASSETS / "icons" / ("chevron-light.svg" if t is DIM_ROOM else "chevron-ink.svg")
    return f"""
    QToolTip {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 4px; }}
    QPushButton, QToolButton {{
        background: transparent; border: 1px solid {t.hairline}; border-radius: 2px; padding: 4px 10px; color: {t.ink};
    }}
    QPushButton:hover, QToolButton:hover {{ background: {t.field}; }}
    QPushButton:pressed, QToolButton:pressed {{ background: {t.hairline}; }}
    QPushButton:checked, QToolButton:checked {{ border-bottom: 2px solid {t.accent}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.faint_ink}; }}
    QPushButton:default {{ border: 1px solid {t.accent}; }}
    QToolButton[popupMode="1"], QToolButton[popupMode="2"] {{ padding-right: 26px; }}
    QToolButton::menu-button {{ border: none; width: 24px; }}
    QToolButton::menu-arrow, QToolButton::menu-indicator {{
        image: url({chevron.as_posix()}); width: 12px; height: 12px;
    }}
    QToolButton::menu-indicator {{ subcontrol-position: right center; right: 6px; }}
    QPushButton:focus, QToolButton:focus {{ border: 1px solid {t.ink}; }}
    QComboBox, QAbstractSpinBox, QLineEdit {{
        background: {t.field}; border: 1px solid {t.hairline}; border-radius: 2px; padding: 3px 6px; color: {t.ink};
        selection-background-color: {t.accent}; selection-color: {t.on_accent};
    }}
    QComboBox:focus, QAbstractSpinBox:focus, QLineEdit:focus {{ border: 1px solid {t.ink}; }}
    QAbstractSpinBox QLineEdit {{ border: none; padding: 0; background: transparent; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox::down-arrow {{ image: url({chevron.as_posix()}); width: 12px; height: 12px; }}
    QFrame[frameShape="4"] {{ color: {t.hairline}; }}
    QComboBox QAbstractItemView {{ background: {t.field}; border: 1px solid {t.hairline}; }}
    QListView {{ background: {t.panel}; border: none; outline: none; }}
    QScrollArea {{ border: none; }}
    QScrollBar:vertical {{ background: {t.panel}; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.hairline}; min-height: 24px; border-radius: 4px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ background: {t.panel}; height: 9px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.hairline}; min-width: 24px; border-radius: 4px; }}
    QProgressBar {{ background: {t.field}; border: 1px solid {t.hairline}; border-radius: 2px; height: 8px; }}
    QProgressBar::chunk {{ background: {t.accent}; }}
    QMenu {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.hairline}; }}
    QMenu::item {{ padding: 4px 22px; }}
    QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenuBar {{ background: {t.panel}; color: {t.ink}; }}
    QMenuBar::item:selected {{ background: {t.field}; }}
    QLabel[role="title"] {{ font-size: 17px; font-weight: bold; }}
    QLabel[role="faint"] {{ color: {t.faint_ink}; }}
    QLabel[role="remark"] {{ background: {t.field}; border: 1px solid {t.hairline}; border-radius: 2px; padding: 6px; }}
    QLabel[role="together"] {{ background: {t.accent}; color: {t.on_accent}; border-radius: 2px; padding: 6px; }}
    """
