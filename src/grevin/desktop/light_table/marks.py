"""Outlines round single pieces of evidence: what is pointed at, what was left, what was nearly taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from grevin.core.picture.geometry import Area
from grevin.desktop.light_table.painting import INK
from grevin.desktop.style import look as style

MarkKind = Literal["picked", "left", "passed", "protect", "only"]
ROOM_PX = 4.0  # screen pixels between a piece and its outline
_LINES: dict[MarkKind, Qt.PenStyle] = {
    "picked": Qt.PenStyle.SolidLine, "left": Qt.PenStyle.DashLine, "passed": Qt.PenStyle.DotLine,
    "protect": Qt.PenStyle.DashDotLine, "only": Qt.PenStyle.SolidLine,
}  # fmt: skip


@dataclass(frozen=True)
class OutlineMark:
    """An outline; told apart by the kind of its line, and by a cross through what is left alone."""

    area: Area
    kind: MarkKind


def paint_marks(painter: QPainter, marks: tuple[OutlineMark, ...], place: QRectF, across: float, down: float) -> None:
    """Draw outlines; `across` and `down` are screen pixels for a picture pixel."""
    for mark in marks:
        x, y, width, height = mark.area
        room = 0.0 if mark.kind in {"protect", "only"} else ROOM_PX
        rect = QRectF(place.left() + x * across, place.top() + y * down, width * across, height * down)
        rect = rect.adjusted(-room, -room, room, room)
        wide = 2 if mark.kind == "picked" else 1
        for colour, thick, line in ((INK, wide + 2, Qt.PenStyle.SolidLine), (style.TEXT, wide, _LINES[mark.kind])):
            pen = QPen(colour, thick, line)
            painter.setPen(pen)
            painter.drawRect(rect)
            if mark.kind in {"left", "protect"}:
                painter.drawLine(rect.topLeft(), rect.bottomRight())
