"""Colour shift: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame

COLOUR = QColor(190, 110, 60, 170)
BESIDE, BELOW = 0.12, 0.08  # of the picture's sides


class ChromaDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "chroma"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A boat, and its colour beside it."""
        frame(painter, area)
        boat(painter, area)
        boat(painter, area.translated(BESIDE * area.width(), BELOW * area.height()), COLOUR)
