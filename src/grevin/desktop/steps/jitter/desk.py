"""Line jitter: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QLineF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import LINE, frame

ASIDE = (0.0, 0.5, -0.3, 0.8, -0.7, 0.2, -0.5, 0.9, -0.1, 0.4)  # of a line, in tenths of the picture's width


class JitterDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "jitter"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A mast, each line of it somewhere else."""
        frame(painter, area)
        painter.setPen(QPen(LINE, 2))
        tenth = area.width() / 10
        for place, aside in enumerate(ASIDE):
            y = area.y() + (place + 0.5) * area.height() / len(ASIDE)
            x = area.center().x() + aside * tenth
            painter.drawLine(QLineF(x - tenth, y, x + tenth, y))
