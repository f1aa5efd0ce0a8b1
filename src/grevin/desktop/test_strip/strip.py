"""The strip itself: the source and the same crop at up to five values, side by side, one to be taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from grevin.core.measure.area import Box
from grevin.core.picture.format import PictureFormat
from grevin.desktop.light_table.painting import evidence_overlay, label, lay, target
from grevin.desktop.light_table.view import View
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look

GAP = 4
CAPTION = 20
COLUMNS = 3


@dataclass(frozen=True)
class Cell:
    """One value: what it is called, and whether it is the present one."""

    value: Any
    words: str
    present: bool


class Cells(QWidget):
    """The pictures: the first is the source, the others are the values in order."""

    taken = Signal(int)
    zoom_wanted = Signal(int)
    moved = Signal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("cells")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._cells: tuple[Cell, ...] = ()
        self._looks: dict[int, Look] = {}
        self._aspect = 1.0
        self._view = View()
        self._evidence: tuple[int, int, int] | None = None
        self.chosen = 0
        self._drag: QPointF | None = None
        self._dragged = False

    def show_cells(self, cells: tuple[Cell, ...]) -> None:
        """Other values."""
        self._cells, self._looks = cells, {}
        self.chosen = next((place for place, cell in enumerate(cells) if cell.present), 0)
        self.update()

    def show_looks(self, looks: dict[int, Look], aspect: float) -> None:
        """Pictures by place of the value."""
        self._looks, self._aspect = looks, aspect
        self.update()

    def show_view(self, view: View, evidence: tuple[int, int, int] | None) -> None:
        """The light table's zoom and crop; evidence in a colour, or none."""
        self._view, self._evidence = view, evidence
        self.update()

    @property
    def shown(self) -> int:
        """How many values have their picture."""
        return len(self._looks)

    def rect_of(self, place: int) -> QRectF:
        """Where a picture lies; 0 is the source, k the k-th value."""
        rows = -(-(len(self._cells) + 1) // COLUMNS)
        width = (self.width() - GAP * (COLUMNS - 1)) // COLUMNS  # whole pixels: the hatch stays sharp
        height = (self.height() - GAP * (rows - 1)) // rows
        row, column = divmod(place, COLUMNS)
        return QRectF(column * (width + GAP), row * (height + GAP), width, height)

    def seen_of(self, fmt: PictureFormat) -> Box:
        """The part of a picture of some format that is seen in each place."""
        pane, ratio = self.rect_of(0).adjusted(0, 0, 0, -CAPTION), self.devicePixelRatioF()
        return self._view.seen(fmt, float(fmt.pixel_aspect), (pane.width() * ratio, pane.height() * ratio))

    def caption(self, place: int) -> str:
        """The words under a picture."""
        if place == 0:
            return "source"
        cell, look = self._cells[place - 1], self._looks.get(place - 1)
        words = cell.words + (" (present)" if cell.present else "")
        if look is not None and look.evidence is not None:
            words += f": {len(look.evidence.blobs)} found, {100 * float(look.evidence.mask.mean()):.2f} %"
        return words

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), style.SURFACE)
        for place in range(len(self._cells) + 1):
            self._paint_cell(painter, self.rect_of(place), place)

    def _paint_cell(self, painter: QPainter, cell: QRectF, place: int) -> None:
        pane = cell.adjusted(0, 0, 0, -CAPTION)
        painter.fillRect(pane, style.table())
        look = next(iter(self._looks.values()), None) if place == 0 else self._looks.get(place - 1)
        if look is not None:
            self._paint_look(painter, pane, look, place)
        else:
            painter.setPen(style.QUIET)
            painter.drawText(pane, Qt.AlignmentFlag.AlignCenter, "…")
        chosen = place == self.chosen + 1
        if chosen:
            painter.setPen(QPen(style.ACCENT, 2))
            painter.drawRect(pane.adjusted(1, 1, -1, -1))
        painter.setPen(style.TEXT if chosen else style.QUIET)
        box = QRectF(cell.left(), pane.bottom(), cell.width(), CAPTION)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.caption(place))

    def _paint_look(self, painter: QPainter, pane: QRectF, look: Look, place: int) -> None:
        ratio = self.devicePixelRatioF()
        screen = look.before if place == 0 else look.after
        height, width = screen.shape[:2]
        exact = QRectF(pane.left() * ratio, pane.top() * ratio, pane.width() * ratio, pane.height() * ratio)
        lying = target(self._view, (width * self._aspect, float(height)), exact)
        painter.save()
        painter.setClipRect(pane)
        painter.scale(1 / ratio, 1 / ratio)
        lay(painter, screen, lying)
        if place and self._evidence is not None and look.evidence is not None and look.evidence.mask.any():
            overlay = evidence_overlay(look.evidence.mask, lying, exact, self._evidence)
            if overlay is not None:
                painter.drawImage(overlay[1], overlay[0])
        painter.restore()
        if place == 0:
            label(painter, f"frame {look.number}", pane.left() + 6, pane.top() + 6)

    def _place_at(self, position: QPointF) -> int | None:
        return next((place for place in range(len(self._cells) + 1) if self.rect_of(place).contains(position)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            moved = (event.position() - self._drag) * self.devicePixelRatioF()
            if self._dragged or abs(moved.x()) + abs(moved.y()) > 3:
                self._dragged, self._drag = True, event.position()
                self.moved.emit(moved.x(), moved.y())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        place = self._place_at(event.position())
        if not self._dragged and place:
            self.taken.emit(place - 1)
        self._drag = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.angleDelta().y():
            self.zoom_wanted.emit(1 if event.angleDelta().y() > 0 else -1)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab moves from value to value."""
        if self._cells:
            self.chosen = (self.chosen + (1 if forward else -1)) % len(self._cells)
            self.update()
        return bool(self._cells)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and self._cells:
            self.taken.emit(self.chosen)
        else:
            super().keyPressEvent(event)


class ValueStrip(QWidget):
    """Which setting, over which range; and the pictures."""

    setting_chosen = Signal(str)
    span_chosen = Signal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("test_strip_view")
        self.cells = Cells()
        self.choice = QComboBox()
        self.choice.setObjectName("strip_setting")
        self.choice.setToolTip(tr("The setting that is tried at several values."))
        self.choice.activated.connect(lambda place: self.setting_chosen.emit(self.choice.itemData(place)))
        self.first, self.last = QDoubleSpinBox(), QDoubleSpinBox()
        row = QHBoxLayout()
        row.setContentsMargins(6, 4, 6, 4)
        row.setSpacing(8)
        title = QLabel(tr("Test strip of"))
        title.setProperty("title", True)
        row.addWidget(title)
        row.addWidget(self.choice)
        self._to = QLabel(tr("to"))
        self._from = QLabel(tr("from"))
        for name, box, before in (("strip_first", self.first, self._from), ("strip_last", self.last, self._to)):
            box.setObjectName(name)
            box.setKeyboardTracking(False)
            box.valueChanged.connect(self._choose_span)
            row.addWidget(before)
            row.addWidget(box)
        self._words = QLabel(tr("Click a picture to take its value; Tab and Return do it by keys. P leaves."))
        self._words.setProperty("quiet", True)
        self._words.setWordWrap(True)
        row.addWidget(self._words, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.cells, 1)

    def show_settings(self, settings: dict[str, str], chosen: str) -> None:
        """The settings that can be tried, {name: label}."""
        self.choice.clear()
        for name, words in settings.items():
            self.choice.addItem(tr(words), name)
        self.choice.setCurrentIndex(self.choice.findData(chosen))

    def show_span(self, span: tuple[float, float] | None, bounds: tuple[float, float], decimals: int) -> None:
        """The range tried; None where the setting is a choice."""
        for box, before, value in ((self.first, self._from, 0), (self.last, self._to, 1)):
            box.setVisible(span is not None)
            before.setVisible(span is not None)
            if span is not None:
                blocker = QSignalBlocker(box)
                box.setDecimals(decimals)
                box.setRange(*bounds)
                box.setValue(span[value])
                blocker.unblock()

    def _choose_span(self, _value: float) -> None:
        self.span_chosen.emit(self.first.value(), self.last.value())
