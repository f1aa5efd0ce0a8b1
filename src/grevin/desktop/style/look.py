"""The neutral look: greys without hue round the picture (ISO 3664, ITU-R BT.500), one quiet accent."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPalette
from PySide6.QtWidgets import QApplication

HERE = Path(__file__).parent
FONTS = HERE.parents[1] / "fonts"
FAMILY = "B612"
POINT_SIZE = 9
SYSTEM_POINT_SIZE = 11  # what desktops use when nobody asked for larger type (common practice, no source)

DARK_TABLE = QColor(52, 52, 52)  # round the picture
LIGHT_TABLE = QColor(122, 122, 122)  # Munsell N5, a fifth of white: within the surrounds of ISO 3664 (from memory)
SURFACE = QColor(43, 43, 43)
CARD = QColor(58, 58, 58)
LINE = QColor(82, 82, 82)
TEXT = QColor(222, 222, 222)
QUIET = QColor(166, 166, 166)
ACCENT = QColor(94, 168, 152)  # verdigris: what is selected and what is running
EVIDENCE = (190, 120, 235)  # violet, red green blue
DAMAGE = QColor(230, 159, 0)  # orange of Okabe and Ito's colour-blind-safe set (2008), for the dirt lane
LEVEL = QColor(190, 190, 190)
# of the style sheet, and what they become where the desktop asks for more contrast
STRONGER = {"#525252": "#b4b4b4", "#6a6a6a": "#d0d0d0", "#a6a6a6": "#ececec", "#787878": "#a8a8a8",
            "#dedede": "#ffffff", "#2b2b2b": "#161616", "#333333": "#101010", "#3a3a3a": "#1c1c1c"}  # fmt: skip

_light = False


def table() -> QColor:
    """What lies round the picture."""
    return LIGHT_TABLE if _light else DARK_TABLE


def light_surround() -> bool:
    """Whether the surround is the light one."""
    return _light


def use_light_surround(on: bool) -> None:
    """Lay pictures on the light or the dark surround."""
    global _light
    _light = on


def put_on(app: QApplication) -> None:
    """Give the application its font, palette and style sheet."""
    for path in sorted(FONTS.glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))
    font = QFont(FAMILY, type_size(app.font().pointSizeF()))
    font.setFeature(QFont.Tag("tnum"), 1)
    app.setFont(font)
    app.setStyle("Fusion")
    sheet = (HERE / "grevin.qss").read_text(encoding="utf-8")
    hints = app.styleHints()  # held: what it hands out goes away with it
    if hints.accessibility().contrastPreference() == Qt.ContrastPreference.HighContrast:
        sheet = strengthen(sheet)
    app.setPalette(_palette())
    app.setStyleSheet(sheet)
    app.setWindowIcon(icon("grevin"))


def type_size(system: float) -> int:
    """Size of the type in points: larger where the desktop's own was made larger."""
    return max(POINT_SIZE, round(POINT_SIZE * system / SYSTEM_POINT_SIZE))


def strengthen(sheet: str) -> str:
    """A style sheet with stronger lines and words; the constants of this module follow."""
    global TEXT, QUIET, LINE, SURFACE, CARD
    for weak, strong in STRONGER.items():
        sheet = sheet.replace(weak, strong)
    TEXT, QUIET, LINE = QColor("#ffffff"), QColor("#ececec"), QColor("#b4b4b4")
    SURFACE, CARD = QColor("#161616"), QColor("#1c1c1c")
    return sheet


def _palette() -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, SURFACE), (roles.WindowText, TEXT), (roles.Base, QColor(34, 34, 34)), (roles.Text, TEXT),
        (roles.AlternateBase, CARD), (roles.Button, CARD), (roles.ButtonText, TEXT), (roles.Highlight, ACCENT),
        (roles.HighlightedText, QColor(16, 16, 16)), (roles.ToolTipBase, CARD), (roles.ToolTipText, TEXT),
        (roles.PlaceholderText, QUIET), (roles.Light, LINE), (roles.Dark, QColor(28, 28, 28)), (roles.Mid, LINE),
    ):  # fmt: skip
        palette.setColor(role, colour)
    for role in (roles.Text, roles.ButtonText, roles.WindowText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(120, 120, 120))
    return palette


@lru_cache
def icon(name: str) -> QIcon:
    """One of our own icons."""
    return QIcon(str(HERE / "icons" / f"{name}.svg"))
