"""Dirt: its lane on the reel column. Its pieces are judged by the keys that all local steps share."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from grevin.desktop.steps.desk import CountLane, Desk
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame


class DirtDesk(Desk):
    """What the step Dirt adds to the window."""

    step: ClassVar[str] = "dirt"
    lane: ClassVar[CountLane | None] = CountLane("dirt", "dirt_count", "dirt_found", "dirt", "specks of dirt", 30.0)

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Specks and a hair."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, 1.5))
        painter.setBrush(DAMAGE)
        for x, y, size in ((0.2, 0.3, 3.0), (0.82, 0.2, 2.0), (0.3, 0.82, 2.5), (0.88, 0.7, 3.5)):
            painter.drawEllipse(QPointF(area.x() + x * area.width(), area.y() + y * area.height()), size / 2, size / 2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawArc(area.adjusted(16, 4, -14, -18), 0, 200 * 16)
