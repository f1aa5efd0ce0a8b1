"""Stepped gradients: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame

SKY = (52, 72, 92, 112, 132)  # grey levels of the steps, from the top down


class GradientsDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "gradients"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A sky that lies in steps."""
        frame(painter, area)
        painter.setPen(Qt.PenStyle.NoPen)
        inner = area.adjusted(1, 1, -1, -1)
        height = inner.height() / len(SKY)
        for place, level in enumerate(SKY):
            band = QRectF(inner.x(), inner.y() + place * height, inner.width(), height)
            painter.fillRect(band, QColor(level, level, level))
        boat(painter, area)
