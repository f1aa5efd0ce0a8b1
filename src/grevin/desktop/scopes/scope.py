"""One scope: a picture made elsewhere, with its scale drawn over it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.measure.scope_pictures import GROUND, PANE_GAP_PX, pane_width
from grevin.core.measure.scopes import HIGHEST, LOWEST, ScopeKind, bar_targets, value_row, vector_place
from grevin.core.picture.display import Screen
from grevin.desktop.light_table.painting import as_image
from grevin.desktop.style import look as style

SCALE = QColor(120, 120, 120, 150)
LEVELS = (0.0, 0.25, 0.5, 0.75, 1.0)
TARGET_PX = 4
SHORT = {"yellow": "Yl", "cyan": "Cy", "green": "G", "magenta": "Mg", "red": "R", "blue": "B"}


class Scope(QWidget):
    """Draws what it is given."""

    resized = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(96)
        self._picture: Screen | None = None
        self._kind: ScopeKind = "luma waveform"
        self._matrix = "bt601"

    def size_in_pixels(self) -> tuple[int, int]:
        """(width, height) in the screen's own pixels, in which its picture is wanted."""
        ratio = self.devicePixelRatioF()
        return round(self.width() * ratio), round(self.height() * ratio)

    def show_picture(self, kind: ScopeKind, picture: Screen | None, matrix: str) -> None:
        """Show a scope; `matrix` chooses the vectorscope's targets."""
        self._kind, self._picture, self._matrix = kind, picture, matrix
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(260, 140)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(GROUND, GROUND, GROUND))
        if self._picture is None:
            return
        ratio = self.devicePixelRatioF()
        height, width = self._picture.shape[:2]
        painter.drawImage(QRectF(0, 0, width / ratio, height / ratio), as_image(self._picture))
        painter.setFont(self.font())
        if self._kind == "vectorscope":
            self._paint_targets(painter, width / ratio, height / ratio)
        elif self._kind == "histogram":
            self._paint_upright_levels(painter, width / ratio, height / ratio)
        else:
            self._paint_levels(painter, width / ratio, height / ratio)

    def _paint_levels(self, painter: QPainter, width: float, height: float) -> None:
        for level in LEVELS:
            y = float(value_row(level, 10_000)) / 10_000 * height
            painter.setPen(QPen(SCALE, 1))
            painter.drawLine(QPointF(0, y), QPointF(width, y))
            if level in {0.0, 0.5, 1.0}:
                painter.setPen(style.QUIET)
                painter.drawText(QPointF(2, y + (11 if level == 1.0 else -2)), f"{level:.0%}")
        if self._kind == "colour waveform":
            wide = pane_width(round(width))
            painter.setPen(style.QUIET)
            for place, name in enumerate(("R'", "G'", "B'")):
                right = place * (wide + PANE_GAP_PX) + wide
                painter.drawText(QRectF(right - 22, height - 15, 20, 14), Qt.AlignmentFlag.AlignRight, name)

    def _paint_upright_levels(self, painter: QPainter, width: float, height: float) -> None:
        for level in LEVELS:
            x = (level - LOWEST) / (HIGHEST - LOWEST) * width
            painter.setPen(QPen(SCALE, 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, height))
            painter.setPen(style.QUIET)
            painter.drawText(QPointF(x + 2, 11), f"{level:.0%}")

    def _paint_targets(self, painter: QPainter, width: float, height: float) -> None:
        side = min(width, height)
        left = (width - side) / 2
        painter.setPen(QPen(SCALE, 1))
        middle = QPointF(left + side / 2, side / 2)
        painter.drawLine(QPointF(left, side / 2), QPointF(left + side, side / 2))
        painter.drawLine(QPointF(left + side / 2, 0), QPointF(left + side / 2, side))
        painter.drawEllipse(middle, side / 2.4, side / 2.4)
        for name, (blue, red) in bar_targets(self._matrix).items():
            column, row = (float(place) / 1000 * side for place in vector_place(blue, red, 1000))
            painter.setPen(QPen(style.QUIET, 1))
            painter.drawRect(QRectF(left + column - TARGET_PX, row - TARGET_PX, 2 * TARGET_PX, 2 * TARGET_PX))
            painter.drawText(QPointF(left + column + TARGET_PX + 2, row + 4), SHORT[name])
        painter.drawText(QPointF(2, 11), f"75 % {self._matrix.upper().replace('BT', 'BT.')}")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()
