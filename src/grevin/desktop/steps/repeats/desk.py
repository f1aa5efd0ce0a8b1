"""Repeated frames: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame, row


class RepeatsDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "repeats"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """The same picture twice, then another."""
        for place, one in enumerate(row(area, 3)):
            frame(painter, one)
            boat(painter, one.translated(2.0 if place == 2 else -1.0, 0))
