"""The survey chart: curves of the whole reel one above the other, time running to the right."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QSizePolicy, QWidget

from grevin.core.survey.lanes import Frames, Lanes
from grevin.core.survey.measures.registry import MEASURES
from grevin.core.survey.words import CURVE_SCALES, curve_words
from grevin.desktop.reel_column.stretch import Stretch
from grevin.desktop.steps.desks import LANES
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr

NAMES_WIDTH = 172
SCALE_WIDTH = 34  # of the values at the edges of a row
LEAST_GAP = 14  # px between two numbers of frames
ROW_HEIGHT = 38
FOOT = 16
GROUND = QColor(34, 34, 34)
NEARLY = 0.05  # of what is shown: the present frame stays this far from its ends
SHOWN_AT_FIRST = ("level_luma_mean", "light_change", "dirt_count", "motion_p95")
UNITS = {series.name: series.unit for measure in MEASURES for series in measure.series}


@dataclass(frozen=True)
class Over:
    """What lies over the curves.

    Attributes:
        cuts: first frames of shots.
        titles: of the shots, in order; the first begins at 0.
        found: run of frames of the finding that is looked at.
    """

    cuts: tuple[int, ...] = ()
    titles: tuple[str, ...] = ()
    found: range | None = field(default=None)


class SurveyChart(QWidget):
    """Draws curves and the present frame; a press or drag goes to that frame, the wheel zooms."""

    frame_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("survey_chart")
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._length = 0
        self._frame = 0
        self.stretch = Stretch()
        self._lanes: Lanes | None = None
        self._over = Over()
        self._drawn: QPixmap | None = None
        self.names: tuple[str, ...] = SHOWN_AT_FIRST
        self._fit()

    def _fit(self) -> None:
        self.setFixedHeight(ROW_HEIGHT * len(self.names) + FOOT)

    def show_curves(self, names: tuple[str, ...]) -> None:
        """Which curves are drawn, from top to bottom."""
        self.names = names or SHOWN_AT_FIRST[:1]
        self._fit()
        self.refresh()

    def show_lanes(self, length: int, lanes: Lanes | None) -> None:
        """The curves of a reel."""
        if length != self._length:
            self.stretch = Stretch.whole(length)
        self._length, self._lanes = length, lanes
        self.refresh()

    def show_over(self, over: Over) -> None:
        """Shots, and the finding that is looked at."""
        if over != self._over:
            self._over = over
            self.refresh()

    def show_frame(self, frame: int) -> None:
        """Mark the present frame; what is shown follows it."""
        self._frame = frame
        self.show_stretch(self.stretch.holding(frame, NEARLY))
        self.update()

    def show_stretch(self, stretch: Stretch) -> None:
        """Show fewer or more frames."""
        if stretch != self.stretch:
            self.stretch = stretch
            self.refresh()

    def refresh(self) -> None:
        """Draw the curves anew; between two refreshes only the mark of the present frame moves."""
        self._drawn = None
        self.update()

    def frame_at(self, x: float) -> int:
        """Frame at a place of the widget."""
        return self.stretch.frame_at((x - NAMES_WIDTH) / self._wide)

    @property
    def _wide(self) -> int:
        """Width of the curves."""
        return max(1, self.width() - NAMES_WIDTH)

    def _x(self, frame: float) -> float:
        return NAMES_WIDTH + self._wide * self.stretch.share_of(frame)

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        ratio = self.devicePixelRatioF()
        if self._drawn is None or self._drawn.size() != self.size() * ratio:
            self._drawn = QPixmap(self.size() * ratio)
            self._drawn.setDevicePixelRatio(ratio)
            self._draw(self._drawn)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._drawn)
        if self._length:
            painter.setPen(QPen(style.ACCENT, 2))
            x = self._x(self._frame + 0.5)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height() - FOOT))
            self._paint_values(painter)

    def _draw(self, picture: QPixmap) -> None:
        picture.fill(style.SURFACE)
        painter = QPainter(picture)
        painter.setFont(self.font())
        for place, name in enumerate(self.names):
            self._draw_row(painter, name, place * ROW_HEIGHT)
        if not self._length:
            return
        self._draw_over(painter)
        self._draw_frames(painter)

    def _draw_frames(self, painter: QPainter) -> None:
        """Numbers of frames under the curves, at round steps, with a fine line up through the rows."""
        frames = self.stretch.frames
        room = painter.fontMetrics().horizontalAdvance("0" * len(str(frames.stop))) + LEAST_GAP
        step = _round_step(len(frames) * room / self._wide)
        foot = self.height() - FOOT
        for frame in range(-(-frames.start // step) * step, frames.stop, step):
            x = self._x(frame)
            painter.setPen(QPen(style.LINE, 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, 0), QPointF(x, foot + 3))
            painter.setPen(style.QUIET)
            if x + room - LEAST_GAP < self.width():
                painter.drawText(QPointF(x + 2, self.height() - 4), str(frame))

    def _columns(self) -> tuple[range, Frames, Frames]:
        columns = range(NAMES_WIDTH, NAMES_WIDTH + self._wide)
        return columns, *self.stretch.runs(len(columns))

    def _draw_row(self, painter: QPainter, name: str, top: int) -> None:
        ground = QRectF(NAMES_WIDTH, top + 1, self.width() - NAMES_WIDTH, ROW_HEIGHT - 3)
        painter.fillRect(ground, GROUND)
        painter.setPen(style.TEXT)
        box = QRectF(6, top + 2, NAMES_WIDTH - 12 - SCALE_WIDTH, ROW_HEIGHT / 2 - 1)
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, tr(curve_words(name)))
        if self._lanes is None or not self._length:
            return
        columns, starts, stops = self._columns()
        span = self._lanes.span(name, starts, stops)
        known = np.nonzero(~np.isnan(span.low))[0]
        low, high = self._scale(name)
        self._draw_scale(painter, ground, low, high)
        deep = ground.height() - 4

        def y(value: float) -> float:
            return ground.top() + 2 + deep * (1 - (min(max(value, low), high) - low) / (high - low))

        painter.setPen(QPen(style.DAMAGE if _counts_damage(name) else style.LEVEL, 1))
        points: list[QPointF] = []
        last = -2
        for column in known:
            if column != last + 1 and points:
                painter.drawPolyline(QPolygonF(points))
                points = []
            last = int(column)
            points += [QPointF(columns[last], y(float(value))) for value in (span.low[last], span.high[last])]
        if points:
            painter.drawPolyline(QPolygonF(points))

    def _draw_scale(self, painter: QPainter, ground: QRectF, low: float, high: float) -> None:
        """The values of the upper and the lower edge; the middle where the curve goes both ways."""
        painter.setPen(style.QUIET)
        box = QRectF(6, ground.top(), NAMES_WIDTH - 10, ground.height())
        flags = Qt.AlignmentFlag
        painter.drawText(box, flags.AlignRight | flags.AlignTop, f"{high:.3g}")
        painter.drawText(box, flags.AlignRight | flags.AlignBottom, f"{low:.3g}")
        if low < 0 < high:
            y = ground.top() + 2 + (ground.height() - 4) * high / (high - low)
            painter.setPen(QPen(style.LINE, 1))
            painter.drawLine(QPointF(ground.left(), y), QPointF(ground.right(), y))

    def _scale(self, name: str) -> tuple[float, float]:
        low, high = CURVE_SCALES.get(name, (0.0, 1.0))
        assert self._lanes is not None
        known = self._lanes.limits(name, high - low)
        return min(low, known[0]) if low < 0 else low, max(high, known[1])

    def _draw_over(self, painter: QPainter) -> None:
        painter.setClipRect(QRectF(NAMES_WIDTH, 0, self.width() - NAMES_WIDTH, self.height()))
        if self._over.found is not None:
            left, right = self._x(self._over.found.start), self._x(self._over.found.stop)
            painter.fillRect(QRectF(left, 0, max(2.0, right - left), self.height() - FOOT), QColor(94, 168, 152, 60))
        painter.setPen(QPen(style.LINE, 1, Qt.PenStyle.DashLine))
        for x in {round(self._x(cut)) for cut in self._over.cuts if self.stretch.first <= cut < self.stretch.stop}:
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height() - FOOT))

    def _paint_values(self, painter: QPainter) -> None:
        """The present frame's values under the names."""
        painter.setPen(style.QUIET)
        for place, name in enumerate(self.names):
            value = self._lanes.value(name, self._frame) if self._lanes is not None else None
            words = "not measured" if value is None else f"{value:.4g} {UNITS.get(name, '')}"
            box = QRectF(6, place * ROW_HEIGHT + ROW_HEIGHT / 2, NAMES_WIDTH - 12 - SCALE_WIDTH, ROW_HEIGHT / 2 - 2)
            flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(
                box, flags, painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, round(box.width()))
            )

    # Pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._length and event.button() == Qt.MouseButton.LeftButton:
            self.frame_chosen.emit(self.frame_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._length:
            return
        frame = self.frame_at(event.position().x())
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.frame_chosen.emit(frame)
            return
        place = min(int(event.position().y() // ROW_HEIGHT), len(self.names) - 1)
        name = self.names[place]
        value = self._lanes.value(name, frame) if self._lanes is not None else None
        words = "not measured" if value is None else f"{value:.4g} {UNITS.get(name, '')}"
        shot = int(np.searchsorted(self._over.cuts, frame, "right"))
        title = f", {self._over.titles[shot]}" if shot < len(self._over.titles) else ""
        self.setToolTip(tr("frame {0}{1}: {2} {3}", frame, title, curve_words(name), words))

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer; with Shift, move."""
        notches = (event.angleDelta().y() or event.angleDelta().x()) / 120
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.show_stretch(self.stretch.moved(notches))
        else:
            self.show_stretch(self.stretch.zoomed((event.position().x() - NAMES_WIDTH) / self._wide, notches))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """The whole reel."""
        self.show_stretch(Stretch.whole(self._length))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.curves_menu().exec(event.globalPos())

    def curves_menu(self) -> QMenu:
        """The curves to choose from."""
        menu = QMenu(self)
        for name in CURVE_SCALES:
            action = menu.addAction(tr(curve_words(name)))
            action.setCheckable(True)
            action.setChecked(name in self.names)
            action.toggled.connect(lambda on, name=name: self._toggle(name, on))
        return menu

    def _toggle(self, name: str, on: bool) -> None:
        chosen = {*self.names, name} if on else set(self.names) - {name}
        self.show_curves(tuple(one for one in CURVE_SCALES if one in chosen))


def _round_step(least: float) -> int:
    """The next of 1, 2, 5, 10, 20 ... frames."""
    step = 1
    while step < least:
        step = step * 5 // 2 if str(step)[0] == "2" else step * 2
    return step


def _counts_damage(curve: str) -> bool:
    return any(curve.startswith(f"{lane.kind}_") for lane in LANES)
