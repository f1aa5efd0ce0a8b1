"""Tie lines as they are drawn over the picture, and what of one lies under the pointer."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.core.steps.rebuild.ties import Line
from grevin.desktop.light_table.painting import INK
from grevin.desktop.style import look as style

State = Literal["drawn", "between", "elsewhere"]
Grip = Literal["first end", "other end", "whole"]
END_RADIUS = 4.0
GRIP_PX = 9.0  # screen pixels within which a line is taken hold of
_PENS: dict[State, Qt.PenStyle] = {
    "drawn": Qt.PenStyle.SolidLine, "between": Qt.PenStyle.DashLine, "elsewhere": Qt.PenStyle.DotLine,
}  # fmt: skip


@dataclass(frozen=True)
class ShownLine:
    """A line over the picture; told apart by the kind of its stroke.

    Attributes:
        line: in pixels of the picture.
        state: drawn on this frame, between two frames on which it was, or as it lies on the nearest such frame.
        active: whether it is the one that is worked on.
    """

    line: Line
    state: State
    active: bool


def paint_lines(
    painter: QPainter, lines: tuple[ShownLine, ...], place: QRectF, across: float, down: float
) -> None:  # fmt: skip
    """Draw lines; `across` and `down` are screen pixels for a picture pixel."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for shown in lines:
        first, other = (_spot(end, place, across, down) for end in (shown.line[:2], shown.line[2:]))
        colour = style.ACCENT if shown.active else style.TEXT
        for ink, width, stroke in ((INK, 4, Qt.PenStyle.SolidLine), (colour, 2, _PENS[shown.state])):
            painter.setPen(QPen(QColor(ink), width, stroke))
            painter.drawLine(first, other)
        painter.setPen(QPen(INK, 1))
        painter.setBrush(colour if shown.state == "drawn" else Qt.BrushStyle.NoBrush)
        for end in (first, other):
            painter.drawEllipse(end, END_RADIUS, END_RADIUS)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _spot(end: tuple[float, ...], place: QRectF, across: float, down: float) -> QPointF:
    return QPointF(place.left() + (end[0] + 0.5) * across, place.top() + (end[1] + 0.5) * down)


def grip_of(line: Line, point: tuple[float, float], scale: float) -> Grip | None:
    """Which part of a line a point of the picture takes hold of; `scale` is screen pixels for a picture pixel."""
    near = GRIP_PX / max(scale, 1e-6)
    if math.dist(point, line[:2]) <= near:
        return "first end"
    if math.dist(point, line[2:]) <= near:
        return "other end"
    return "whole" if _distance(line, point) <= near / 2 else None


def _distance(line: Line, point: tuple[float, float]) -> float:
    dx, dy = line[2] - line[0], line[3] - line[1]
    length = dx * dx + dy * dy
    along = ((point[0] - line[0]) * dx + (point[1] - line[1]) * dy) / length if length else 0.0
    along = min(1.0, max(0.0, along))
    return math.dist(point, (line[0] + along * dx, line[1] + along * dy))


def dragged(line: Line, grip: Grip, by: tuple[float, float]) -> Line:
    """A line after what was taken hold of was moved."""
    first = (line[0] + by[0], line[1] + by[1]) if grip != "other end" else line[:2]
    other = (line[2] + by[0], line[3] + by[1]) if grip != "first end" else line[2:]
    return tuple(round(value, 1) for value in (*first, *other))  # type: ignore[return-value]
