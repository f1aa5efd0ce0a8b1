"""Compression clean-up: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import GROUND, boat, frame

ACROSS, DOWN = 6, 4  # blocks
LIGHTER = (0, 12, -8, 5, 18, -4, 9, -12)  # levels by which one block differs from the ground, in turn
OVER = 150  # of 255: how far the blocks hide what lies below


class CompressionDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "compression"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A picture in blocks."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(Qt.PenStyle.NoPen)
        wide, high = area.width() / ACROSS, area.height() / DOWN
        for place in range(ACROSS * DOWN):
            level = GROUND.red() + 4 * LIGHTER[(3 * place) % len(LIGHTER)]
            painter.setBrush(QColor(level, level, level, OVER))
            x, y = place % ACROSS, place // ACROSS
            painter.drawRect(QRectF(area.x() + x * wide, area.y() + y * high, wide - 1, high - 1))
