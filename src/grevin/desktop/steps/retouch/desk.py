"""Retouching by hand: its tools, keys and small picture."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QObject, QPointF, QRectF
from PySide6.QtGui import QPainter, QPen

from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.session import Session
from grevin.desktop.steps.small_pictures import DAMAGE, boat, frame
from grevin.desktop.steps.strokes.desk import StrokesDesk
from grevin.desktop.steps.strokes.options import Options
from grevin.desktop.style import look as style


class RetouchDesk(StrokesDesk):
    """What the step adds to the window."""

    step: ClassVar[str] = "retouch"
    tracks_are: ClassVar[str] = "strokes"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("retouch_brush", ("Ctrl+1",), "Retouch", "Brush over damage", on_card="Brush", holds_tool=True),
        Key("retouch_outline", ("Ctrl+2",), "Retouch", "Draw round damage", on_card="Outline", holds_tool=True),
        Key("retouch_polygon", ("Ctrl+3",), "Retouch", "A polygon over damage", on_card="Polygon", holds_tool=True),
        Key("retouch_disc", ("Ctrl+4",), "Retouch", "A soft disc over damage", on_card="Disc", holds_tool=True),
        Key("retouch_out", ("Del",), "Retouch", "Take out the stroke that is worked on", on_card="Take out"),
        Key("retouch_key", ("Shift+K",), "Retouch", "Key frame of the stroke on this frame, or none any more",
            on_card="Key frame"),
        Key("retouch_fill", ("Ctrl+Shift+R",), "Retouch", "Fill the stroke that is worked on from the frame in sight",
            on_card="From here"),
        Key("retouch_here", ("Shift+H",), "Retouch", "The stroke that is worked on reaches to this frame",
            on_card="To here"),
        Key("retouch_back", ("Shift+PgUp",), "Retouch", "To the previous frame with strokes", on_card="Previous"),
        Key("retouch_on", ("Shift+PgDown",), "Retouch", "To the next frame with strokes", on_card="Next"),
        Key("retouch_copy", ("Ctrl+Shift+C",), "Retouch", "Copy the strokes on this frame", on_card="Copy"),
        Key("retouch_paste", ("Ctrl+Shift+V",), "Retouch", "Give this frame the strokes that were copied",
            on_card="Paste"),
        Key("retouch_wider", ("Alt++", "Alt+="), "Retouch", "A wider brush", on_card="Wider"),
        Key("retouch_narrower", ("Alt+-",), "Retouch", "A narrower brush", on_card="Narrower"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, ("brush", "outline", "polygon", "disc"), Options(), parent)

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A blot, and the stroke that goes over it."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(QPen(DAMAGE, 1))
        painter.setBrush(DAMAGE)
        x, y = area.x() + 0.3 * area.width(), area.y() + 0.35 * area.height()
        painter.drawEllipse(QPointF(x, y), 4.0, 3.0)
        painter.setPen(QPen(style.ACCENT, 3))
        painter.drawLine(QPointF(x - 8, y + 6), QPointF(x + 9, y - 7))
