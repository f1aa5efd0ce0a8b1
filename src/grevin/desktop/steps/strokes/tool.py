"""The tools that draw strokes: what is under the pointer shows at once; Shift takes hold of a stroke that is there."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPainterPathStroker, QPen, QPolygonF

from grevin.core.steps.registry import step_by_id
from grevin.core.treatment.region_edits import Points, drawn, moved
from grevin.core.treatment.regions import Region, Shift
from grevin.core.treatment.strokes import Stroke
from grevin.desktop.light_table.painting import INK
from grevin.desktop.light_table.tools import Point, Tool
from grevin.desktop.steps.strokes.options import Tools
from grevin.desktop.style import look as style

if TYPE_CHECKING:
    from grevin.desktop.steps.strokes.desk import StrokesDesk

GRIP_PX = 9.0  # screen pixels within which the mark of another place is taken hold of
NEAR_PX = 0.7  # of the picture: a point nearer to the last one says nothing
STRAIGHT_PX = 0.4  # by which a way may differ from what was drawn
SHORTEST_PX = 4.0  # of the picture: a shorter line is a click on its one end
BY_CLICKS = {"polygon", "line"}
BY_ENDS = {"disc", "line"}
WET = QColor(230, 230, 230, 90)  # what is being drawn
HOW: dict[Tools, str] = {
    "brush": "drag over the damage, or click", "outline": "drag round it",
    "polygon": "click its corners, twice for the last", "disc": "drag from its middle to its rim",
    "line": "click both ends, or drag from end to end",
}  # fmt: skip


class StrokeTool(Tool):
    """Draws strokes of the selected step, and moves them."""

    def __init__(self, shape: Tools, desk: StrokesDesk) -> None:
        self.shape: Tools = shape
        label = step_by_id(desk.step).label
        self.words = f"{label}: {HOW[shape]}; with Shift, drag a stroke to move it. Esc ends."
        self._desk = desk
        self._points: list[Point] = []  # of what is being drawn
        self._held: tuple[Stroke, Point] | None = None  # a stroke that is moved, and where it was taken hold of
        self._source = False  # whether the other place is dragged, not the stroke
        self._present: Stroke | None = None  # while the pointer is down

    def left(self) -> None:
        """What was not finished goes."""
        self._points, self._held, self._present = [], None, None

    def _on_reel(self, point: Point) -> Point:
        look = self._desk.table.look
        geometry = look.geometry if look is not None else None
        return point if geometry is None else tuple(geometry.points_back(np.array([point]))[0])

    def press(self, point: Point, more: bool) -> None:
        """Begin a stroke, or take hold of one."""
        point = self._on_reel(point)
        self._held = self._present = None
        if self._takes_source(point):
            return
        if more:
            self._take(point)
        elif self.shape in BY_CLICKS and self._points:
            self._points.append(point)
        else:
            self._points = [point]
        self._desk.table.update()

    def _takes_source(self, point: Point) -> bool:
        """Whether the mark of the other place of the stroke that is worked on lies under the pointer."""
        stroke, mark = self._desk.active_here(), self._desk.source_mark()
        near = GRIP_PX / max(self._desk.table.scale(), 1e-6)
        if stroke is None or mark is None or math.dist(point, mark) > near:
            return False
        self._held, self._source = (stroke, point), True
        return True

    def _take(self, point: Point) -> None:
        for place, stroke, shift in reversed(self._desk.shown()):
            if _touches(stroke.where, self._desk.frame, shift, point):
                self._desk.pick(place)
                self._held, self._source = (stroke, point), False
                return
        self._desk.pick(-1)

    def drag(self, point: Point) -> None:
        """Go on."""
        point = self._on_reel(point)
        if self._held is not None:
            stroke, start = self._held
            by = (point[0] - start[0], point[1] - start[1])
            if self._source:
                fill = stroke.fill
                self._present = stroke.changed(right=round(fill.right + by[0], 1), down=round(fill.down + by[1], 1))
            else:
                where = moved(stroke.where, self._desk.frame, by, self._desk.shift_of(self._desk.active))
                self._present = stroke.model_copy(update={"where": where})
        elif self._points and self.shape != "polygon" and math.dist(point, self._points[-1]) >= NEAR_PX:
            self._points = [self._points[0], point] if self.shape in BY_ENDS else [*self._points, point]
        self._desk.table.update()

    def release(self) -> None:
        """Keep what was drawn or moved."""
        held, present, self._held, self._present = self._held, self._present, None, None
        if held is not None:
            if present is not None:
                self._desk.change(present)
        elif self.shape != "polygon" and not (self.shape == "line" and self._is_a_click()):
            self._finish()
        self._desk.table.update()

    def _is_a_click(self) -> bool:
        """Whether there is one end only so far."""
        return math.dist(self._points[0], self._points[-1]) < SHORTEST_PX if self._points else False

    def twice(self, point: Point) -> None:
        """The last corner of a polygon."""
        if self.shape == "polygon":
            self._finish()

    def _finish(self) -> None:
        points, self._points = self._points, []
        if points:
            self._desk.draw(self.shape, points if self.shape in BY_ENDS else _plain(points, self.shape))
        self._desk.table.update()

    def paint(self, painter: QPainter, place: QRectF, across: float, down: float) -> None:
        """The strokes on this frame, what is being drawn, and the other place of the one that is worked on."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look, frame = self._desk.table.look, self._desk.frame
        geometry = look.geometry if look is not None else None

        def shape(points: Points) -> QPolygonF:
            on = points if geometry is None else geometry.points_on(points)
            return QPolygonF([QPointF(place.left() + x * across, place.top() + y * down) for x, y in on])

        for at, one, shift in self._desk.shown():
            active = at == self._desk.active
            stroke = self._present if active and self._present is not None else one
            outline, wide = drawn(stroke.where, frame, shift), stroke.where.width_px * across
            _outline(painter, shape(outline), wide, active)
            if active and stroke.fill.way == "place":
                by = np.array([stroke.fill.right, stroke.fill.down])
                _outline(painter, shape(outline + by), wide, True, Qt.PenStyle.DotLine)
        mark = self._desk.source_mark(self._present)
        if mark is not None:
            spot = shape(np.array([mark])).first()
            painter.setPen(QPen(INK, 1))
            painter.setBrush(style.ACCENT)
            painter.drawEllipse(spot, GRIP_PX / 2, GRIP_PX / 2)
        if self._points:
            self._paint_wet(painter, shape(np.array(self._points)), across)

    def _paint_wet(self, painter: QPainter, way: QPolygonF, across: float) -> None:
        if self.shape in {"brush", "line"}:
            wide = self._desk.options.width_px * across
            painter.setPen(QPen(WET, wide, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
            (painter.drawPoint(way.first()) if way.count() == 1 else painter.drawPolyline(way))
        elif self.shape == "disc":
            radius = math.dist(way.first().toTuple(), way.last().toTuple())
            painter.setPen(QPen(style.ACCENT, 2))
            painter.setBrush(WET)
            painter.drawEllipse(way.first(), radius, radius)
        else:
            for colour, wide in ((INK, 4), (style.ACCENT, 2)):
                painter.setPen(QPen(colour, wide))
                painter.drawPolyline(way)


def _touches(where: Region, frame: int, shift: Shift, point: Point) -> bool:
    """Whether a stroke lies under a point of the reel's picture."""
    side = 2 * int(where.width_px + 4)
    x, y = int(point[0]), int(point[1])
    mask = where.mask((side, side), frame, (shift[0] - x + side // 2, shift[1] - y + side // 2))
    return bool(mask[side // 2, side // 2])


def _plain(points: list[Point], shape: Tools) -> list[Point]:
    """The way with no more points than it needs; of two clicks on one place the first."""
    if shape == "polygon":
        return [one for at, one in enumerate(points) if not at or math.dist(one, points[at - 1]) > 0.5]
    way = cv2.approxPolyDP(np.array(points, np.float32)[:, None], STRAIGHT_PX, shape == "outline")[:, 0]
    return [(float(x), float(y)) for x, y in way]


def _outline(
    painter: QPainter, shape: QPolygonF, wide: float, active: bool, line: Qt.PenStyle = Qt.PenStyle.SolidLine
) -> None:  # fmt: skip
    """Draw what a stroke covers; of a brush, `wide` screen pixels, what it covers along its way."""
    path = QPainterPath()
    path.addPolygon(shape)
    path.closeSubpath()
    if wide > 0 and shape.count() == 1:  # a click
        path = QPainterPath()
        path.addEllipse(shape.first(), wide / 2, wide / 2)
    elif wide > 0:
        brush = QPainterPathStroker()
        brush.setWidth(wide)
        brush.setCapStyle(Qt.PenCapStyle.RoundCap)
        brush.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
        path = brush.createStroke(path).simplified()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    colour, thick = (style.ACCENT, 2) if active else (style.TEXT, 1)
    for ink, across, pen in ((INK, thick + 2, Qt.PenStyle.SolidLine), (colour, thick, line)):
        painter.setPen(QPen(ink, across, pen))
        painter.drawPath(path)
