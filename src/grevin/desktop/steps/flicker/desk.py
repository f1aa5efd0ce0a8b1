"""Flicker: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame, row

GROUNDS = (QColor(58, 58, 58), QColor(112, 112, 112), QColor(74, 74, 74))


class FlickerDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "flicker"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """Three frames of one thing, one of them too bright."""
        for place, ground in zip(row(area, len(GROUNDS)), GROUNDS, strict=True):
            frame(painter, place, ground)
            boat(painter, place)
