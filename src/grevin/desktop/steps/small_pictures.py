"""What the small pictures of faults are drawn with."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.desktop.style import look as style

GROUND = QColor(70, 70, 70)
LINE = QColor(190, 190, 190)


def frame(painter: QPainter, area: QRectF, ground: QColor = GROUND) -> None:
    """A picture's frame."""
    painter.setPen(QPen(LINE, 1))
    painter.setBrush(ground)
    painter.drawRect(area)


def boat(painter: QPainter, area: QRectF, colour: QColor = LINE) -> None:
    """Something to look at: a hull and a sail."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)

    def shape(*points: tuple[float, float]) -> list[QPointF]:
        return [QPointF(area.x() + x * area.width(), area.y() + y * area.height()) for x, y in points]

    painter.drawPolygon(shape((0.3, 0.62), (0.75, 0.62), (0.66, 0.78), (0.4, 0.78)))
    painter.drawPolygon(shape((0.52, 0.2), (0.72, 0.58), (0.52, 0.58)))


def row(area: QRectF, count: int, gap: float = 2.0) -> list[QRectF]:
    """Areas side by side."""
    wide = (area.width() - gap * (count - 1)) / count
    return [QRectF(area.x() + place * (wide + gap), area.y() + area.height() / 4, wide, area.height() / 2)
            for place in range(count)]  # fmt: skip


DAMAGE = style.DAMAGE
