"""Rolling bands: their small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QLinearGradient, QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame

NOTHING, DARK = QColor(0, 0, 0, 0), QColor(0, 0, 0, 170)


class BandsDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "bands"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A soft dark band over a picture."""
        frame(painter, area, QColor(100, 100, 100))
        boat(painter, area)
        band = QLinearGradient(area.topLeft(), area.bottomLeft())
        for place, colour in ((0.25, NOTHING), (0.5, DARK), (0.75, NOTHING)):
            band.setColorAt(place, colour)
        painter.fillRect(area, band)
