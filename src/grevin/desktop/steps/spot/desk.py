"""Standing spots: their small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame

SPOTS = ((0.24, 0.26, 0.1), (0.82, 0.4, 0.07))  # place across and down, radius
SHADOW = QColor(20, 20, 20, 150)


class SpotDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "spot"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Soft spots over a picture."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, 1))
        painter.setBrush(SHADOW)
        for across, down, radius in SPOTS:
            middle = QPointF(area.x() + across * area.width(), area.y() + down * area.height())
            painter.drawEllipse(middle, radius * area.width(), radius * area.width())
