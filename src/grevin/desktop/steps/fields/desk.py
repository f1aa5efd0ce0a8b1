"""Fields: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame


class FieldsDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "fields"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Every other line elsewhere."""
        frame(painter, area)
        for line in range(int(area.height())):
            painter.setClipRect(QRectF(area.x() + 1, area.y() + line, area.width() - 1, 1))
            boat(painter, area.translated(4.0 if line % 4 < 2 else -3.0, 0))
        painter.setClipping(False)
