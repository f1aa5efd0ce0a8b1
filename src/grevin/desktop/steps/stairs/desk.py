"""Stair-step smoothing: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen, QPolygonF

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import LINE, frame

STEPS = 6


class StairsDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "stairs"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Wires that run in steps."""
        frame(painter, area)
        painter.setPen(QPen(LINE, 2))
        wide, high = area.width() / STEPS, area.height() / (2 * STEPS)
        for place in (0.25, 0.5):
            corners = []
            for step in range(STEPS):
                y = area.y() + place * area.height() + (STEPS - step) * high / 2
                corners += [QPointF(area.x() + step * wide, y), QPointF(area.x() + (step + 1) * wide, y)]
            painter.drawPolyline(QPolygonF(corners))
