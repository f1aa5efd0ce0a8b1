"""Edges: their small picture, the found borders kept as numbers, and the sides dragged on the light table."""

from __future__ import annotations

from typing import ClassVar

from PySide6.QtCore import QObject, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from grevin.core.picture.format import PictureFormat
from grevin.core.steps.edges.settings import FOUND, EdgesSettings
from grevin.desktop.keys import Key
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.painting import INK
from grevin.desktop.light_table.tools import Point, Tool
from grevin.desktop.session import Session
from grevin.desktop.steps.desk import Desk
from grevin.desktop.steps.small_pictures import boat, frame
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr

NAMES = ("left_px", "right_px", "top_lines", "bottom_lines")
GRIP_PX = 14.0  # screen pixels within which a side is taken hold of
MOST = 400  # of a side: as in the settings
BLACK = QColor(15, 15, 15)
TEETH = (4, 7, 3, 6, 5, 7, 4, 6)  # px of a ragged side of the small picture, line by line


class EdgesDesk(Desk):
    """What the step adds to the window."""

    step: ClassVar[str] = "edges"
    keys: ClassVar[tuple[Key, ...]] = (
        Key("drag_sides", ("Shift+K",), "Edges", "Drag the sides of the picture: the nearest follows the pointer",
            on_card="Drag the sides", holds_tool=True),
        Key("keep_borders", ("Ctrl+Shift+K",), "Edges", "Keep the found borders as numbers, for recipes and other ways",
            on_card="Keep these borders"),
    )  # fmt: skip

    def __init__(self, session: Session, table: LightTable, parent: QObject | None = None) -> None:
        super().__init__(session, table, parent)
        self.tools = {"drag_sides": SidesTool(self)}
        self.acts = {"drag_sides": lambda: self.toggle("drag_sides"), "keep_borders": self.keep}

    @classmethod
    def draw_fault(cls, painter: QPainter, area: QRectF) -> None:
        """A picture with a ragged side and a dark line below."""
        frame(painter, area)
        boat(painter, area)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(BLACK)
        high = area.height() / len(TEETH)
        for line, wide in enumerate(TEETH):
            painter.drawRect(QRectF(area.x(), area.y() + line * high, wide, high))
        painter.drawRect(QRectF(area.x(), area.bottom() - 4, area.width(), 4))

    @property
    def settings(self) -> EdgesSettings:
        """Those of the selected card."""
        settings = self.session.treatment.steps[self.place - 1].model()
        assert isinstance(settings, EdgesSettings)
        return settings

    def show(self) -> None:
        """Another frame, treatment or selection."""
        if self.table.tool in self.tools.values():
            self.table.update()

    def borders(self) -> tuple[int, ...]:
        """Left, right, top and bottom as they hold: said, else found, else nothing."""
        settings, known = self.settings, self.known()
        asked = [getattr(settings, name) for name in NAMES]
        found = [int(one) for one in known[1]["used"]] if known is not None and "used" in known[1] else [0] * 4
        return tuple(there if one == FOUND else one for one, there in zip(asked, found, strict=True))

    def keep(self) -> None:
        """What was found in this shot becomes a setting, which other ways and recipes then have."""
        learned = self.learned()
        if learned is None:
            return
        if "used" not in learned[1] or not learned[1]["used"].any():
            self.told.emit(tr("No border was found in this shot: there is nothing to keep."))
            return
        self._set(dict(zip(NAMES, (int(one) for one in learned[1]["used"]), strict=True)))
        self.told.emit(tr("The borders are kept as numbers: they hold for every shot of this treatment."))

    def set_side(self, name: str, size: int) -> None:
        """One side, by hand."""
        self._set({name: size})

    def _set(self, changes: dict[str, int]) -> None:
        self.session.change_settings(self.place, changes)
        self.table.update()


class SidesTool(Tool):
    """Drags the sides of the picture, over the picture before the step."""

    words = "Edges: drag the nearest side of the picture to where the picture begins. Esc ends."

    def __init__(self, desk: EdgesDesk) -> None:
        self._desk = desk
        self._side = ""
        self._size: int | None = None  # while the pointer is down

    def taken(self) -> None:
        """Show the picture before the step: there the borders lie."""
        self._desk.session.view_from(self._desk.place - 1)

    def _format(self) -> PictureFormat | None:
        """The picture before the step; None where another one is looked at."""
        session, place = self._desk.session, self._desk.place
        if session.chain is None or not place or session.place.view_point != place - 1:
            return None
        return session.chain.size_format_at(place - 1)

    def press(self, point: Point, more: bool) -> None:
        """Take hold of the nearest side."""
        fmt = self._format()
        self._side, self._size = "", None
        if fmt is None:
            self._desk.told.emit(tr("The sides are dragged over the picture before the step: look from there (W)."))
            return
        lines = self._lines(fmt)
        apart = {name: abs(point[0 if name in NAMES[:2] else 1] - line) for name, line in lines.items()}
        nearest = min(apart, key=lambda name: apart[name])
        if apart[nearest] <= GRIP_PX / max(self._desk.table.scale(), 1e-6):
            self._side = nearest
            self.drag(point)

    def drag(self, point: Point) -> None:
        """The side follows."""
        fmt = self._format()
        if fmt is None or not self._side:
            return
        sizes = dict(zip(NAMES, (point[0], fmt.width - point[0], point[1], fmt.height - point[1]), strict=True))
        most = (fmt.width if self._side in NAMES[:2] else fmt.height) // 2 - 1
        self._size = min(MOST, most, max(0, round(sizes[self._side])))
        self._desk.table.update()

    def release(self) -> None:
        """The side stays where it is."""
        side, size = self._side, self._size
        self._side, self._size = "", None
        if side and size is not None:
            self._desk.set_side(side, size)

    def _lines(self, fmt: PictureFormat) -> dict[str, float]:
        """Where each side lies, across or down."""
        left, right, top, bottom = self._desk.borders()
        lines = dict(zip(NAMES, (float(left), float(fmt.width - right), float(top), float(fmt.height - bottom)),
                         strict=True))  # fmt: skip
        if self._side and self._size is not None:
            far = {"right_px": fmt.width, "bottom_lines": fmt.height}
            lines[self._side] = float(far[self._side] - self._size if self._side in far else self._size)
        return lines

    def paint(self, painter: QPainter, place: QRectF, across: float, down: float) -> None:
        """The sides over the picture."""
        fmt = self._format()
        if fmt is None:
            return
        lines = self._lines(fmt)
        for pen in (QPen(INK, 3), QPen(style.ACCENT, 1.5)):
            painter.setPen(pen)
            for name in NAMES[:2]:
                x = place.x() + lines[name] * across
                painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))
            for name in NAMES[2:]:
                y = place.y() + lines[name] * down
                painter.drawLine(QPointF(place.left(), y), QPointF(place.right(), y))
