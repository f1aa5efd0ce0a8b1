"""Light by hand: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QRadialGradient

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame

NOTHING, SHADE = QColor(0, 0, 0, 0), QColor(0, 0, 0, 190)


class LightDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "light"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A soft shadow over a part of a picture."""
        frame(painter, area, QColor(112, 112, 112))
        boat(painter, area)
        shade = QRadialGradient(area.topLeft() + (area.center() - area.topLeft()) * 0.9, area.width() * 0.45)
        shade.setColorAt(0.0, SHADE)
        shade.setColorAt(1.0, NOTHING)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.fillRect(area, shade)
