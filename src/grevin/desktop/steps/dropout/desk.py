"""Dropouts: their small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame

STREAKS = ((0.1, 0.28, 0.62), (0.55, 0.5, 0.95), (0.05, 0.74, 0.3))  # from, place down, to
THICK_PX = 1.5


class DropoutDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "dropout"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Streaks across a picture."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, THICK_PX))
        for begin, down, end in STREAKS:
            y = area.y() + down * area.height()
            painter.drawLine(QPointF(area.x() + begin * area.width(), y), QPointF(area.x() + end * area.width(), y))
