"""The tool that draws regions: new ones of a shape, and those that are there taken hold of, moved, pulled, keyed."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from grevin.core.treatment.region_edits import Points, drawn, handles, moved, pulled
from grevin.core.treatment.regions import STANDING, Region, Shift
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.painting import INK
from grevin.desktop.light_table.tools import Point, Tool
from grevin.desktop.regions.drawing import RegionDrawing
from grevin.desktop.style import look as style

Shape = Literal["rectangle", "ellipse", "polygon"]
GRIP_PX = 9.0  # screen pixels within which a handle is taken hold of
HANDLE_PX = 3.5
SHORTEST_PX = 2.0  # of the picture: a shorter drag draws nothing
HOW = {
    "rectangle": "drag from corner to corner", "ellipse": "drag from corner to corner of its box",
    "polygon": "click its corners, twice for the last",
}  # fmt: skip


class RegionTool(Tool):
    """Draws and changes the regions of the selected step."""

    def __init__(self, shape: Shape, drawing: RegionDrawing, table: LightTable) -> None:
        self.shape: Shape = shape
        self.words = f"Regions: {HOW[shape]}; drag one, or its handles, to change it on this frame. Esc ends."
        self._drawing = drawing
        self._table = table
        self._start: Point = (0.0, 0.0)
        self._grip: int | Literal["", "whole", "new"] = ""
        self._begun: Region | None = None
        self._present: Region | None = None  # while the pointer is down
        self._corners: list[Point] = []  # of the polygon that is being drawn

    def left(self) -> None:
        """What was not finished goes."""
        self._corners, self._present, self._grip = [], None, ""

    def _on_reel(self, point: Point) -> Point:
        look = self._table.look
        geometry = look.geometry if look is not None else None
        return point if geometry is None else tuple(geometry.points_back(np.array([point]))[0])

    def press(self, point: Point, more: bool) -> None:
        """Take hold of a handle or a region, or begin another."""
        point = self._on_reel(point)
        self._start, self._grip, self._begun = point, "", None
        if self._corners:
            self._corners.append(point)
            self._table.update()
            return
        near = GRIP_PX / max(self._table.scale(), 1e-6)
        order = sorted(self._drawing.shown(), key=lambda one: one[0] != self._drawing.active)
        for place, region, shift in order:
            points = handles(region, self._drawing.frame, shift)
            apart = [math.dist(point, handle) for handle in points]
            grip = int(np.argmin(apart)) if min(apart) <= near else None
            if grip is not None or _holds(drawn(region, self._drawing.frame, shift), point):
                self._grip = "whole" if grip is None else grip
                self._begun = region
                self._drawing.pick(place)
                return
        self._drawing.pick(-1)
        if self.shape == "polygon":
            self._corners = [point]
        else:
            self._grip = "new"
        self._table.update()

    def drag(self, point: Point) -> None:
        """Move, pull or draw."""
        point = self._on_reel(point)
        by = (point[0] - self._start[0], point[1] - self._start[1])
        frame = self._drawing.frame
        if self._grip == "new":
            self._present = self._boxed(point)
        elif self._begun is not None and self._grip != "":
            shift = self._drawing.shift_of(self._drawing.active)
            if self._grip == "whole":
                self._present = moved(self._begun, frame, by, shift)
            else:
                self._present = pulled(self._begun, frame, self._grip, by, shift)
        self._table.update()

    def _boxed(self, point: Point) -> Region:
        left, right = sorted((round(self._start[0]), round(point[0])))
        top, bottom = sorted((round(self._start[1]), round(point[1])))
        return Region(
            use=self._drawing.use, shape=self.shape, x=left, y=top,
            width=max(1, right - left), height=max(1, bottom - top),
        )  # fmt: skip

    def release(self) -> None:
        """Keep what was drawn or changed."""
        present, self._present = self._present, None
        if present is not None and self._grip == "new":
            if present.width >= SHORTEST_PX and present.height >= SHORTEST_PX:
                self._drawing.add(present)
        elif present is not None:
            self._drawing.change(present)
        self._grip = ""
        self._table.update()

    def twice(self, point: Point) -> None:
        """The last corner of a polygon."""
        corners, self._corners = self._corners, []
        kept = [one for place, one in enumerate(corners) if not place or math.dist(one, corners[place - 1]) > 0.5]
        if len(kept) >= 3:
            points = tuple((round(x - 0.5, 1), round(y - 0.5, 1)) for x, y in kept)
            self._drawing.add(Region(use=self._drawing.use, shape="polygon", points=points))
        self._table.update()

    def paint(self, painter: QPainter, place: QRectF, across: float, down: float) -> None:
        """Handles of the one that is worked on, and what is being drawn."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look, frame = self._table.look, self._drawing.frame
        geometry = look.geometry if look is not None else None

        def shape(points: Points) -> QPolygonF:
            on = points if geometry is None else geometry.points_on(points)
            return QPolygonF([QPointF(place.left() + x * across, place.top() + y * down) for x, y in on])

        if self._corners:
            _line(painter, shape(np.array(self._corners)), closed=False)
        shift: Shift = STANDING
        region = self._present
        if region is None and self._grip == "" and 0 <= self._drawing.active < len(self._drawing.regions):
            region, shift = self._drawing.regions[self._drawing.active], self._drawing.shift_of(self._drawing.active)
            region = region if region.holds(frame) else None
        if region is None:
            return
        _line(painter, shape(drawn(region, frame, shift)), closed=True)
        painter.setPen(QPen(INK, 1))
        painter.setBrush(style.ACCENT)
        for spot in shape(handles(region, frame, shift)).toList():
            painter.drawRect(QRectF(spot.x() - HANDLE_PX, spot.y() - HANDLE_PX, 2 * HANDLE_PX, 2 * HANDLE_PX))


def _holds(outline: Points, point: Point) -> bool:
    return QPolygonF([QPointF(x, y) for x, y in outline]).containsPoint(QPointF(*point), Qt.FillRule.OddEvenFill)


def _line(painter: QPainter, shape: QPolygonF, closed: bool) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, wide in ((INK, 4), (style.ACCENT, 2)):
        painter.setPen(QPen(colour, wide))
        (painter.drawPolygon if closed else painter.drawPolyline)(shape)
