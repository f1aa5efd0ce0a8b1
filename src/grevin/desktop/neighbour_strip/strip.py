"""The neighbour strip: the frames around the current one, cut to the light table's area at its zoom."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.picture.display import Screen
from grevin.desktop.light_table.painting import lay
from grevin.desktop.light_table.view import View
from grevin.desktop.style import look as style

OFFSETS = (-3, -2, -1, 0, 1, 2, 3)
NEAREST_FIRST = sorted(OFFSETS, key=abs)
GAP = 3
CAPTION = 16


class NeighbourStrip(QWidget):
    """Seven pictures side by side; a click goes there."""

    frame_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("neighbour_strip")
        self.setFixedHeight(128)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip("The neighbouring frames at the light table's own crop and zoom. Click to go there.")
        self._number = 0
        self._length = 0
        self._aspect = 1.0
        self._view = View()
        self._table = (1.0, 1.0)
        self._pictures: dict[int, Screen] = {}

    def show_place(self, number: int, length: int, aspect: float) -> None:
        """Centre on a frame; pictures of frames out of sight are dropped."""
        self._number, self._length, self._aspect = number, length, aspect
        near = {number + offset for offset in OFFSETS}
        self._pictures = {frame: screen for frame, screen in self._pictures.items() if frame in near}
        self.update()

    def show_picture(self, frame: int, screen: Screen) -> None:
        """Give one frame its picture."""
        self._pictures[frame] = screen
        self.update()

    def forget(self) -> None:
        """Drop all pictures, because they would be others now."""
        self._pictures.clear()
        self.update()

    def show_view(self, view: View, table: tuple[float, float]) -> None:
        """Take over the light table's view; `table` is the light table's size."""
        self._view, self._table = view, table
        self.update()

    def shown(self, frame: int) -> bool:
        """Whether a frame has its picture."""
        return frame in self._pictures

    def _cell(self, place: int) -> QRectF:
        width = (self.width() - GAP * (len(OFFSETS) - 1)) / len(OFFSETS)
        return QRectF(place * (width + GAP), 0, width, self.height() - CAPTION)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), style.SURFACE)
        for place, offset in enumerate(OFFSETS):
            self._paint_cell(painter, self._cell(place), self._number + offset, offset)

    def _paint_cell(self, painter: QPainter, cell: QRectF, frame: int, offset: int) -> None:
        painter.fillRect(cell, style.TABLE)
        exists = 0 <= frame < self._length
        screen = self._pictures.get(frame)
        if screen is not None:
            painter.save()
            painter.setClipRect(cell)
            lay(painter, screen, self._target(screen, cell))
            painter.restore()
        elif exists:
            painter.setPen(style.QUIET)
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, "…")
        if offset == 0:
            painter.setPen(QPen(style.ACCENT, 2))
            painter.drawRect(cell.adjusted(1, 1, -1, -1))
        painter.setPen(style.TEXT if offset == 0 else style.QUIET)
        words = (str(frame) if offset == 0 else f"{frame}  {offset:+d}") if exists else "no frame"
        painter.drawText(QRectF(cell.left(), cell.bottom(), cell.width(), CAPTION), Qt.AlignmentFlag.AlignCenter, words)

    def _target(self, screen: Screen, cell: QRectF) -> QRectF:
        """The light table's crop: same middle, same zoom; a fitted picture is fitted here too."""
        height, width = screen.shape[:2]
        size = (width * self._aspect, float(height))
        table = (cell.width(), cell.height())
        left, top = self._view.origin(size, table)
        scale = self._view.scale(size, table)
        return QRectF(round(cell.left() + left), round(cell.top() + top), size[0] * scale, size[1] * scale)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for place, offset in enumerate(OFFSETS):
            if self._cell(place).contains(event.position()) and 0 <= self._number + offset < self._length:
                self.frame_chosen.emit(self._number + offset)
