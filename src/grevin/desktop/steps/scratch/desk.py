"""Line scratches: their small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame

LINES = ((0.28, 0.0, 1.0, 0.02), (0.6, 0.0, 0.55, -0.03), (0.83, 0.3, 1.0, 0.01))  # place, from, to, lean


class ScratchDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "scratch"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Upright lines over a picture."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, 1.2))
        for place, first, last, lean in LINES:
            ends = [
                QPointF(area.x() + (place + lean * down) * area.width(), area.y() + down * area.height())
                for down in (first, last)
            ]
            painter.drawLine(*ends)
