"""Outlines round single pieces of evidence: what is pointed at, what was left, what was nearly taken."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from grevin.core.picture.geometry import Area, Geometry
from grevin.core.treatment.region_edits import drawn
from grevin.core.treatment.regions import Region, Shift, Use
from grevin.desktop.light_table.painting import INK
from grevin.desktop.style import look as style

MarkKind = Literal["picked", "left", "passed"]
ROOM_PX = 4.0  # screen pixels between a piece and its outline
_LINES: dict[MarkKind, Qt.PenStyle] = {
    "picked": Qt.PenStyle.SolidLine, "left": Qt.PenStyle.DashLine, "passed": Qt.PenStyle.DotLine,
}  # fmt: skip
LINES: dict[Use, Qt.PenStyle] = {
    "only": Qt.PenStyle.SolidLine, "protect": Qt.PenStyle.DashDotLine, "measure": Qt.PenStyle.DotLine,
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
        rect = QRectF(place.left() + x * across, place.top() + y * down, width * across, height * down)
        rect = rect.adjusted(-ROOM_PX, -ROOM_PX, ROOM_PX, ROOM_PX)
        wide = 2 if mark.kind == "picked" else 1
        for colour, thick, line in ((INK, wide + 2, Qt.PenStyle.SolidLine), (style.TEXT, wide, _LINES[mark.kind])):
            pen = QPen(colour, thick, line)
            painter.setPen(pen)
            painter.drawRect(rect)
            if mark.kind == "left":
                painter.drawLine(rect.topLeft(), rect.bottomRight())


def paint_regions(
    painter: QPainter, regions: Iterable[tuple[int, Region, Shift]], geometry: Geometry | None, frame: int,
    place: QRectF, across: float, down: float,
) -> None:  # fmt: skip
    """Draw outlines of regions; what is left alone has a line of dashes and dots, and a cross.

    Args:
        painter: on the table.
        regions: place in the list, region, and how far it has gone with the picture.
        geometry: of the picture that is shown.
        frame: of the reel.
        place: where the picture lies.
        across: screen pixels for a picture pixel, and
        down: the same.
    """
    for _, region, shift in regions:
        points = drawn(region, frame, shift)
        points = points if geometry is None else geometry.points_on(points)
        shape = QPolygonF([QPointF(place.left() + x * across, place.top() + y * down) for x, y in points])
        line = LINES[region.use]
        rect = shape.boundingRect()
        for colour, thick, stroke in ((INK, 3, Qt.PenStyle.SolidLine), (style.TEXT, 1, line)):
            painter.setPen(QPen(colour, thick, stroke))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(shape)
            if region.use == "protect":
                painter.drawLine(rect.topLeft(), rect.bottomRight())
