"""Reframe: what is shown is dragged on the light table, over the picture before the step."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QObject, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from grevin.core.picture.format import PictureFormat
from grevin.core.steps.reframe.step import ReframeKey, ReframeSettings, key_at, map_of
from grevin.core.steps.registry import step_by_id
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.painting import INK
from grevin.desktop.light_table.tools import Point, Tool
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr

GRIP_PX = 12.0  # screen pixels within which a corner is taken hold of
CORNER_PX = 4.0
LEAST_ZOOM, MOST_ZOOM = 0.1, 50.0
Grip = Literal["", "whole", "size", "turn"]
Corners = npt.NDArray[np.float64]


class ReframeDesk(Desk):
    """What the step Reframe adds to the window."""

    step: ClassVar[str] = "reframe"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("drag_part", ("Shift+K",), "Reframe", "Drag what is shown: inside to move, corners for size",
            on_card="Drag the part", holds_tool=True),
        Key("take_part", ("Del",), "Reframe", "Take out the key frame on this frame", on_card="Take out key"),
    )  # fmt: skip

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A part of the picture."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(style.ACCENT, 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(area.adjusted(10, 5, -6, -7))

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.tools = {"drag_part": PartTool(self)}
        self.acts = {"drag_part": lambda: self.toggle("drag_part"), "take_part": self.take_out}

    @property
    def settings(self) -> ReframeSettings:
        """Those of the selected card."""
        settings = self.session.treatment.steps[self.place - 1].model()
        assert isinstance(settings, ReframeSettings)
        return settings

    def show(self) -> None:
        """Another frame, treatment or selection."""
        if self.table.tool in self.tools.values():
            self.table.update()

    def set_key(self, key: ReframeKey) -> None:
        """What is shown on the present frame."""
        others = tuple(one for one in self.settings.keys if one.frame != key.frame)
        self._set((*others, key))

    def take_out(self) -> None:
        """No key frame on the present frame any more."""
        frame = self.session.place.frame
        left = tuple(key for key in self.settings.keys if key.frame != frame)
        if len(left) == len(self.settings.keys):
            self.told.emit(tr("There is no key frame on this frame."))
        else:
            self._set(left)

    def _set(self, keys: tuple[ReframeKey, ...]) -> None:
        self.session.change_settings(self.place, {"keys": tuple(key.model_dump() for key in keys)})
        self.table.update()


class PartTool(Tool):
    """Drags what is shown, over the picture before the step."""

    words = "Reframe: drag inside to move, a corner for size, with Shift to turn. Each drag sets a key frame. Esc ends."

    def __init__(self, desk: ReframeDesk) -> None:
        self._desk = desk
        self._grip: Grip = ""
        self._start: Point = (0.0, 0.0)
        self._begun = ReframeKey()
        self._present: ReframeKey | None = None  # while the pointer is down

    def taken(self) -> None:
        """Show the picture before the step: there the part lies."""
        self._desk.session.view_from(self._desk.place - 1)

    def _formats(self) -> tuple[PictureFormat, PictureFormat] | None:
        """The picture before the step and behind it; None where another one is looked at."""
        session, place = self._desk.session, self._desk.place
        if session.chain is None or not place or session.place.view_point != place - 1:
            return None
        before = session.chain.size_format_at(place - 1)
        return before, step_by_id(self._desk.step).new_format(before, self._desk.settings)  # type: ignore[union-attr]

    def _here(self) -> ReframeKey:
        frame = self._desk.session.place.frame
        return self._present or key_at(self._desk.settings, frame).model_copy(update={"frame": frame})

    def press(self, point: Point, more: bool) -> None:
        """Take hold of the part or a corner."""
        formats = self._formats()
        self._grip = ""
        if formats is None:
            self._desk.told.emit(tr("The part is dragged over the picture before the step: look from there (W)."))
            return
        self._start, self._begun = point, self._here()
        corners = _corners(formats, self._begun)
        near = GRIP_PX / max(self._desk.table.scale(), 1e-6)
        if min(math.dist(point, corner) for corner in corners) <= near:
            self._grip = "turn" if more else "size"
        elif _holds(corners, point):
            self._grip = "whole"

    def drag(self, point: Point) -> None:
        """Move, size or turn it."""
        formats = self._formats()
        if formats is None or not self._grip:
            return
        before, key = formats[0], self._begun
        middle = _corners(formats, key).mean(axis=0) + 0.5
        if self._grip == "whole":
            x = key.x + (point[0] - self._start[0]) / before.width
            y = key.y + (point[1] - self._start[1]) / before.height
            changes = {"x": min(1.0, max(0.0, x)), "y": min(1.0, max(0.0, y))}
        elif self._grip == "size":
            ratio = math.dist(self._start, middle) / max(1e-3, math.dist(point, middle))
            changes = {"zoom": min(MOST_ZOOM, max(LEAST_ZOOM, key.zoom * ratio))}
        else:
            aspect = float(before.pixel_aspect)
            first, now = (
                math.degrees(math.atan2(spot[1] - middle[1], (spot[0] - middle[0]) * aspect))
                for spot in (self._start, point)
            )
            turned = (key.turn - (now - first) + 180) % 360 - 180
            changes = {"turn": turned}
        self._present = key.model_copy(update={name: round(value, 4) for name, value in changes.items()})
        self._desk.table.update()

    def release(self) -> None:
        """The part as it lies now is a key frame."""
        present, self._present = self._present, None
        if present is not None and self._grip:
            self._desk.set_key(present)
            self._desk.told.emit(
                tr(
                    "Key frame {0}: zoom {1:.2f} at {2:.2f}, {3:.2f}.",
                    present.frame,
                    present.zoom,
                    present.x,
                    present.y,
                )
            )
        self._grip = ""

    def paint(self, painter: QPainter, place: QRectF, across: float, down: float) -> None:
        """The part on this frame, those of the key frames, and the way of its middle."""
        formats = self._formats()
        if formats is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

        def shape(corners: Corners) -> QPolygonF:
            return QPolygonF([QPointF(place.left() + (x + 0.5) * across, place.top() + (y + 0.5) * down)
                              for x, y in corners])  # fmt: skip

        keys = self._desk.settings.keys
        for key in keys:
            _outline(painter, shape(_corners(formats, key)), Qt.PenStyle.DotLine, 1)
        if len(keys) > 1:
            middles = np.array([_corners(formats, key).mean(axis=0) for key in keys])
            painter.setPen(QPen(style.TEXT, 1, Qt.PenStyle.DotLine))
            painter.drawPolyline(shape(middles))
        present = shape(_corners(formats, self._here()))
        _outline(painter, present, Qt.PenStyle.SolidLine, 2)
        painter.setBrush(style.ACCENT)
        for corner in present.toList():
            painter.drawRect(QRectF(corner.x() - CORNER_PX, corner.y() - CORNER_PX, 2 * CORNER_PX, 2 * CORNER_PX))


def _corners(formats: tuple[PictureFormat, PictureFormat], key: ReframeKey) -> Corners:
    """(4, 2) where the corners of what is shown lie, x and y of pixel middles."""
    way, new = map_of(*formats, key), formats[1]
    right, bottom = new.width - 0.5, new.height - 0.5
    ends = np.array([(-0.5, -0.5, 1), (right, -0.5, 1), (right, bottom, 1), (-0.5, bottom, 1)])
    return np.asarray(ends @ way.T, np.float64)


def _holds(corners: Corners, point: Point) -> bool:
    return QPolygonF([QPointF(x, y) for x, y in corners]).containsPoint(QPointF(*point), Qt.FillRule.OddEvenFill)


def _outline(painter: QPainter, shape: QPolygonF, line: Qt.PenStyle, wide: int) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, thick, stroke in ((INK, wide + 2, Qt.PenStyle.SolidLine), (style.TEXT, wide, line)):
        painter.setPen(QPen(colour, thick, stroke))
        painter.drawPolygon(shape)
