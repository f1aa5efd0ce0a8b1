"""The neighbour strip: the frames around the current one, cut to the light table's area at its zoom."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from grevin.core.measure.repeats import Judgement
from grevin.core.picture.display import Screen
from grevin.desktop.light_table.painting import lay, placeholder, target
from grevin.desktop.light_table.view import View
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr

COUNTS = (3, 5, 7)
GAP = 3
CAPTION = 32  # two lines: which frame, and what it is to the one before it
HEIGHT = 146


class NeighbourStrip(QWidget):
    """Three to seven pictures side by side; a click goes there."""

    frame_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("neighbour_strip")
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(
            tr(
                "The neighbouring frames at the light table's own crop and zoom, and how the source's frame "
                "differs from the one before it. Click to go there."
            )
        )
        self.count = COUNTS[-1]
        self._number = 0
        self._frames = range(0)
        self._aspect = 1.0
        self._view = View()
        self._pictures: dict[int, Screen] = {}
        self._judgements: dict[int, Judgement] = {}
        self._missing: dict[int, str] = {}
        self._name: Callable[[int], str] | None = None

    @property
    def offsets(self) -> range:
        """Places shown, from the current frame."""
        return range(-(self.count // 2), self.count // 2 + 1)

    def nearest_first(self) -> list[int]:
        """Frames shown, the current one first."""
        frames = (self._number + offset for offset in sorted(self.offsets, key=abs))
        return [frame for frame in frames if frame in self._frames]

    def show_count(self, count: int) -> None:
        """Show three, five or seven frames."""
        self.count = count
        self.update()

    def show_place(
        self, number: int, frames: range, aspect: float, name: Callable[[int], str] | None = None
    ) -> None:  # fmt: skip
        """Centre on a frame of `frames`; pictures of frames out of sight are dropped.

        Args:
            number: the frame.
            frames: those that there are.
            aspect: width of a pixel over its height.
            name: what a frame is, where they are those of an output; None for frames of the reel.
        """
        if (name is None) != (self._name is None):
            self.forget()
        self._number, self._frames, self._aspect, self._name = number, frames, aspect, name
        near = {number + offset for offset in self.offsets}
        self._pictures = {frame: screen for frame, screen in self._pictures.items() if frame in near}
        self._missing = {frame: words for frame, words in self._missing.items() if frame in near}
        self._judgements = {frame: judged for frame, judged in self._judgements.items() if frame in near}
        self.update()

    def show_picture(self, frame: int, screen: Screen) -> None:
        """Give one frame its picture."""
        self._pictures[frame] = screen
        self.update()

    def show_judgement(self, frame: int, judgement: Judgement) -> None:
        """Say what a frame is to the one before it."""
        self._judgements[frame] = judgement
        self.update()

    def show_missing(self, frame: int, words: str) -> None:
        """Say that a frame cannot be read."""
        self._missing[frame] = words
        self.update()

    def forget(self) -> None:
        """Drop all pictures, because they would be others now."""
        self._pictures.clear()
        self._missing.clear()
        self.update()

    def show_view(self, view: View) -> None:
        """Take over the light table's view."""
        self._view = view
        self.update()

    def shown(self, frame: int) -> bool:
        """Whether a frame has its picture."""
        return frame in self._pictures

    def caption(self, frame: int) -> tuple[str, str]:
        """The two lines under a frame."""
        if frame not in self._frames:
            return "no frame", ""
        offset = frame - self._number
        judged = self._judgements.get(frame) if self._name is None else None
        first = str(frame) if offset == 0 else f"{frame}  {offset:+d}"
        if self._name is not None:
            return first, self._name(frame)
        return first, judged.words() if judged is not None else ""

    def _cell(self, place: int) -> QRectF:
        width = (self.width() - GAP * (self.count - 1)) / self.count
        return QRectF(place * (width + GAP), 0, width, self.height() - CAPTION)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), style.SURFACE)
        for place, offset in enumerate(self.offsets):
            self._paint_cell(painter, self._cell(place), self._number + offset, offset)
        if not self.isEnabled():
            painter.fillRect(self.rect(), QColor(style.SURFACE.red(), style.SURFACE.green(), style.SURFACE.blue(), 190))
            painter.setPen(style.QUIET)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("The neighbours wait while pictures play."))

    def _paint_cell(self, painter: QPainter, cell: QRectF, frame: int, offset: int) -> None:
        painter.fillRect(cell, style.table())
        screen = self._pictures.get(frame)
        if frame in self._missing:
            placeholder(painter, cell, "cannot be read")
        elif screen is not None:
            self._paint_picture(painter, cell, screen)
        elif frame in self._frames:
            painter.setPen(style.QUIET)
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, "…")
        if offset == 0:
            painter.setPen(QPen(style.ACCENT, 2))
            painter.drawRect(cell.adjusted(1, 1, -1, -1))
        self._paint_caption(painter, cell, frame, offset)

    def _paint_picture(self, painter: QPainter, cell: QRectF, screen: Screen) -> None:
        """The light table's crop: same middle, same zoom, in the screen's own pixels; a fitted picture is fitted."""
        ratio = self.devicePixelRatioF()
        height, width = screen.shape[:2]
        pane = QRectF(cell.left() * ratio, cell.top() * ratio, cell.width() * ratio, cell.height() * ratio)
        painter.save()
        painter.setClipRect(cell)
        painter.scale(1 / ratio, 1 / ratio)
        lay(painter, screen, target(self._view, (width * self._aspect, float(height)), pane))
        painter.restore()

    def _paint_caption(self, painter: QPainter, cell: QRectF, frame: int, offset: int) -> None:
        for line, words in enumerate(self.caption(frame)):
            painter.setPen(style.TEXT if offset == 0 or line else style.QUIET)
            box = QRectF(cell.left(), cell.bottom() + line * CAPTION / 2, cell.width(), CAPTION / 2)
            fitted = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(cell.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, fitted)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for place, offset in enumerate(self.offsets):
            if self._cell(place).contains(event.position()) and self._number + offset in self._frames:
                self.frame_chosen.emit(self._number + offset)
