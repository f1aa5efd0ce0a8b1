"""Wobble: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPainterPath, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import LINE, frame

MASTS = (0.3, 0.7)  # of the width
ASIDE = 0.14  # of the width, by which they bend one way and the other


class WobbleDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "wobble"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Two masts that bend alike."""
        frame(painter, area)
        painter.setPen(QPen(LINE, 2))
        far, third = ASIDE * area.width(), area.height() / 3
        for place in MASTS:
            x = area.x() + place * area.width()
            path = QPainterPath(QPointF(x, area.top()))
            path.cubicTo(x + 3 * far, area.top() + third, x - 3 * far, area.bottom() - third, x, area.bottom())
            painter.drawPath(path)
