"""Grain given back: its small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.noise.desk import draw_grains
from grevin.desktop.steps.small_pictures import boat, frame


class GrainDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "grain"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A picture with grain on its one half."""
        frame(painter, area)
        boat(painter, area)
        draw_grains(painter, area.adjusted(area.width() / 2, 0, 0, 0))
