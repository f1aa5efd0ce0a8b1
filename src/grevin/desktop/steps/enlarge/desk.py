"""Enlarge: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QLineF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import LINE, boat, frame

SMALL = 0.45  # of the larger picture's sides


class EnlargeDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "enlarge"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A small picture in the corner of an empty large one."""
        frame(painter, area)
        high = SMALL * area.height()
        small = QRectF(area.x(), area.bottom() - high, SMALL * area.width(), high)
        painter.setPen(QPen(LINE, 1))
        painter.drawLine(QLineF(small.topLeft(), area.topLeft()))
        painter.drawLine(QLineF(small.topRight(), area.topRight()))
        frame(painter, small)
        boat(painter, small)
