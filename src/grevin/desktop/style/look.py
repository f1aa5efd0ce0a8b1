"""The neutral look: greys without hue round the picture (ISO 3664, ITU-R BT.500), one quiet accent."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPalette
from PySide6.QtWidgets import QApplication

HERE = Path(__file__).parent
FONTS = HERE.parents[1] / "fonts"
FAMILY = "B612"
POINT_SIZE = 9

TABLE = QColor(52, 52, 52)  # round the picture
SURFACE = QColor(43, 43, 43)
CARD = QColor(58, 58, 58)
LINE = QColor(82, 82, 82)
TEXT = QColor(222, 222, 222)
QUIET = QColor(166, 166, 166)
ACCENT = QColor(94, 168, 152)  # verdigris: what is selected and what is running
EVIDENCE = (190, 120, 235)  # violet, red green blue
DAMAGE = QColor(230, 159, 0)  # orange of Okabe and Ito's colour-blind-safe set (2008), for the dirt lane
LEVEL = QColor(190, 190, 190)


def put_on(app: QApplication) -> None:
    """Give the application its font, palette and style sheet."""
    for path in sorted(FONTS.glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))
    font = QFont(FAMILY, POINT_SIZE)
    font.setFeature(QFont.Tag("tnum"), 1)
    app.setFont(font)
    app.setStyle("Fusion")
    app.setPalette(_palette())
    app.setStyleSheet((HERE / "grevin.qss").read_text(encoding="utf-8"))
    app.setWindowIcon(icon("grevin"))


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
