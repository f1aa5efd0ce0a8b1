"""Side fill: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame


class SidefillDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "sidefill"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A picture between empty sides."""
        frame(painter, QRectF(area.x(), area.y() + area.height() / 6, area.width(), area.height() * 2 / 3))
        wide, high = area.width() / 2, area.height() * 2 / 3
        middle = QRectF(area.x() + wide / 2, area.y() + high / 4, wide, high)
        frame(painter, middle)
        boat(painter, middle)
