"""Grain and noise: their small picture."""

from __future__ import annotations

import random
from typing import ClassVar

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame

GRAINS, SEED = 160, 7
BRIGHT, DARK = QColor(215, 215, 215, 150), QColor(25, 25, 25, 170)


class NoiseDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "noise"

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A picture under grain."""
        frame(painter, area)
        boat(painter, area)
        draw_grains(painter, area)


def draw_grains(painter: QPainter, area: QRectF) -> None:
    """Grain over an area."""
    chance = random.Random(SEED)
    for place in range(GRAINS):
        painter.setPen(QPen(BRIGHT if place % 2 else DARK, 1.3))
        x, y = chance.uniform(0.03, 0.97), chance.uniform(0.03, 0.97)
        painter.drawPoint(QPointF(area.x() + x * area.width(), area.y() + y * area.height()))
