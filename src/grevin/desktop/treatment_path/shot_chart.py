"""What a step measured of the shot in sight, on its card: curves, maps over the picture, what is left behind it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QToolButton, QVBoxLayout, QWidget

from grevin.core.steps.charting import Chart, Line
from grevin.desktop.keys import hint_of, key_of
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.curve_by_hand import CurveByHand
from grevin.desktop.work.looks import ShotLook

CHART_HEIGHT, MAP_HEIGHT = 74, 66
RIM = 3
SURE_HEIGHT = 5
LEAST_SPAN = 4.0  # of the chart's unit: a curve over less would make noise look like flicker
HEADROOM = 1.25  # times the highest value of a curve over levels: it may be drawn higher
LEAST_PCT = 2.0  # that a map shows as white: the same for what was found and what is left
MOST_POINTS = 600


POINT_PX = 3.5
DRAWING_KEYS = {
    Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Delete: 0,
}  # fmt: skip
HOW_TO_DRAW = (
    "Drag a point to draw the curve by hand; a click beside adds one, a double click takes one out. Keys: left and "
    "right choose a point, up and down move it, Del takes it out."
)


class CurvesOfShot(QWidget):
    """Curves over the frames of a shot, where a click goes there; or over levels, where points may be dragged."""

    frame_chosen = Signal(int)
    drawn = Signal(str, list)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(CHART_HEIGHT)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._shot: ShotLook | None = None
        self._hand = CurveByHand()
        self._dragged = False
        self._scale: tuple[float, float] | None = None  # while a point is dragged

    def show_shot(self, shot: ShotLook) -> None:
        """Another shot or frame."""
        self._shot = shot
        found = shot.found
        if found is not None:
            by_frame = found.over == "frames"
            self.setFocusPolicy(Qt.FocusPolicy.NoFocus if found.by_hand is None else Qt.FocusPolicy.StrongFocus)
            if found.by_hand is not None and not self._dragged:
                self._hand.show(found.by_hand)
            self.setCursor(Qt.CursorShape.PointingHandCursor if by_frame else Qt.CursorShape.ArrowCursor)
            words = ", ".join(_said(line, found.per_frame * shot.frame if by_frame else None) for line in found.lines)
            self.setAccessibleName(f"{tr(found.about)}: {words} {tr(found.unit)}")
            how = "" if found.by_hand is None else f"\n{tr(HOW_TO_DRAW)}"
            self.setToolTip(f"{self.accessibleName()}{how}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        shot = self._shot
        if shot is None or shot.found is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), style.SURFACE)
        low, high = self._limits(shot)
        length = len(shot.found.lines[0].values)
        for line in shot.found.lines:
            pen = QPen(style.QUIET if line.measured else style.TEXT, 1.1)
            pen.setStyle(Qt.PenStyle.SolidLine if line.measured else Qt.PenStyle.DashLine)
            self._draw(painter, pen, line, low, high)
        if shot.left is not None:
            self._draw(painter, QPen(style.ACCENT, 1.4), shot.left.lines[0], low, high)
        if shot.found.over == "frames":
            painter.setPen(QPen(style.ACCENT, 1))
            x = self._x(shot.found.per_frame * shot.frame, length)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        if shot.found.by_hand is not None:
            self._draw_points(painter)
        painter.setPen(style.QUIET)
        unit = tr(shot.found.unit)
        area = QRectF(RIM, 0, self.width() - 2 * RIM, self.height())
        sign = "+" if low < 0 else ""
        painter.drawText(area, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, f"{high:{sign}.0f} {unit}")
        painter.drawText(area, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, f"{low:{sign}.0f}")

    def _limits(self, shot: ShotLook) -> tuple[float, float]:
        return self._scale or _span((shot.found, shot.left))

    def _spots(self) -> list[QPointF]:
        """Where the points of a curve by hand lie."""
        if self._shot is None:
            return []
        low, high = self._limits(self._shot)
        inner = self.height() - 2 * RIM
        return [
            QPointF(
                self._x(0, 2) + (self._x(1, 2) - self._x(0, 2)) * level / 255,
                RIM + inner * (1 - (value - low) / (high - low)),
            )
            for level, value in self._hand.points
        ]

    def _place_of(self, at: QPointF) -> tuple[float, float]:
        """(level, value) under the pointer."""
        assert self._shot is not None
        low, high = self._limits(self._shot)
        level = 255 * (at.x() - RIM) / max(1, self.width() - 2 * RIM)
        return level, low + (high - low) * (1 - (at.y() - RIM) / max(1, self.height() - 2 * RIM))

    def _draw_points(self, painter: QPainter) -> None:
        if self._dragged:
            painter.setPen(QPen(style.ACCENT, 1.1))
            painter.drawPolyline(QPolygonF(self._spots()))
        for place, spot in enumerate(self._spots()):
            here = place == self._hand.held and (self._dragged or self.hasFocus())
            painter.setPen(QPen(style.ACCENT if here else style.TEXT, 1.2))
            painter.setBrush(style.ACCENT if here else style.SURFACE)
            painter.drawEllipse(spot, POINT_PX, POINT_PX)

    def _draw(self, painter: QPainter, pen: QPen, line: Line, low: float, high: float) -> None:
        values = line.values
        places = np.unique(np.linspace(0, len(values) - 1, min(len(values), MOST_POINTS)).astype(int))
        down = RIM + (self.height() - 2 * RIM) * (1 - (values[places] - low) / (high - low))
        painter.setPen(pen)
        known = np.flatnonzero(np.isfinite(down))
        for run in np.split(known, np.flatnonzero(np.diff(known) > 1) + 1):  # nothing is drawn where nothing is known
            points = [
                QPointF(self._x(int(n), len(values)), float(y)) for n, y in zip(places[run], down[run], strict=True)
            ]
            painter.drawPolyline(QPolygonF(points))

    def _x(self, frame: int, length: int) -> float:
        return RIM + (self.width() - 2 * RIM) * frame / max(1, length - 1)

    @property
    def _by_hand(self) -> str:
        """The setting that a curve by hand goes to; "" where none is drawn."""
        found = self._shot.found if self._shot is not None else None
        return found.by_hand.setting if found is not None and found.by_hand is not None else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._by_hand and self._shot is not None:
            self._scale = self._limits(self._shot)
            self._dragged = True
            self._hand.held = self._hand.near(event.position(), self._spots())
            if self._hand.held < 0:
                self._hand.add(*self._place_of(event.position()))
            self.update()
        elif self._shot is not None and self._shot.found is not None and self._shot.found.over == "frames":
            found = self._shot.found
            length = len(found.lines[0].values)
            share = (event.position().x() - RIM) / max(1, self.width() - 2 * RIM)
            place = round(min(1.0, max(0.0, share)) * (length - 1))
            self.frame_chosen.emit(self._shot.first + place // found.per_frame)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged:
            self._hand.move(*self._place_of(event.position()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragged:
            self._dragged, self._scale = False, None
            self._tell()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._by_hand:
            self._hand.held = self._hand.near(event.position(), self._spots())
            if self._hand.take_out():
                self._tell()

    def event(self, event: QEvent) -> bool:
        """The keys that draw are the curve's while it has the focus, not the window's."""
        override = event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent)
        if override and self._by_hand and event.key() in DRAWING_KEYS:  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._by_hand or event.key() not in DRAWING_KEYS:
            super().keyPressEvent(event)
            return
        way = DRAWING_KEYS[Qt.Key(event.key())]
        if event.key() in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            self._hand.choose(way)
            self.update()
            return
        if event.key() == Qt.Key.Key_Delete:
            self._hand.take_out()
        else:
            self._hand.nudge(way)
        self._tell()

    def _tell(self) -> None:
        """The curve as it is now goes to its setting, if it is another one."""
        found = self._shot.found if self._shot is not None else None
        if found is not None and found.by_hand is not None and tuple(self._hand.points) != found.by_hand.points:
            self.drawn.emit(found.by_hand.setting, list(self._hand.points))
        self.update()


def _said(line: Line, place: int | None) -> str:
    """A curve in words: its value at a place, or the least and the most."""
    if place is None:
        return tr("{0} {1:.1f} to {2:.1f}", tr(line.name), float(np.nanmin(line.values)), float(np.nanmax(line.values)))
    value = float(line.values[place])
    return f"{tr(line.name)} {value:.1f}" if np.isfinite(value) else tr("{0} not told", tr(line.name))


def _span(charts: tuple[Chart | None, ...]) -> tuple[float, float]:
    ends = [chart.limits() for chart in charts if chart is not None]
    low, high = min(low for low, _ in ends), max(high for _, high in ends)
    if charts[0] is not None and charts[0].over == "levels":
        return 0.0, max(HEADROOM * high, LEAST_SPAN)
    missing = max(0.0, LEAST_SPAN - (high - low)) / 2
    return low - missing, high + missing


class MapOfPlaces(QWidget):
    """By how much each part of the picture does it: grey from none to most."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(MAP_HEIGHT)
        self._places: npt.NDArray[np.float32] | None = None
        self._white = LEAST_PCT
        self._head = ""

    def show_places(self, head: str, places: npt.NDArray[np.float32] | None, white: float) -> None:
        """A map.

        Args:
            head: what it is.
            places: (h, w) float32, %; None for nothing.
            white: % that is shown as white.
        """
        self._places, self._white, self._head = places, white, head
        self.setVisible(places is not None)
        if places is not None:
            self.setAccessibleName(
                tr("{0}: at most {1:.1f} % of the light of a part of the picture", head, places.max())
            )
            self.setToolTip(self.accessibleName())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._places is None:
            return
        grey = np.ascontiguousarray(np.clip(255.0 * self._places / self._white, 0, 255).astype(np.uint8))
        height, width = grey.shape
        picture = QImage(grey.data, width, height, width, QImage.Format.Format_Grayscale8)
        painter = QPainter(self)
        painter.drawImage(self.rect(), picture)
        words = f"{self._head} {self._places.max():.1f} %"
        area = QRectF(self.rect()).adjusted(4, 2, -4, -2)
        flags = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
        painter.setPen(QColor(0, 0, 0))
        painter.drawText(area.translated(1, 1), flags, words)
        painter.setPen(QColor(255, 255, 255))
        painter.drawText(area, flags, words)


class ShotChart(QWidget):
    """Curves, maps and words of a shot, how good the measure is, and the button that asks what is left."""

    frame_chosen = Signal(int)
    drawn = Signal(str, list)
    acted = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("shot_chart")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(3)
        self.curves = CurvesOfShot()
        self.curves.frame_chosen.connect(self.frame_chosen)
        self.curves.drawn.connect(self.drawn)
        layout.addWidget(self.curves)
        self.sure = QProgressBar()
        self.sure.setObjectName("sure")
        self.sure.setTextVisible(False)
        self.sure.setFixedHeight(SURE_HEIGHT)
        self.sure.setRange(0, 100)
        layout.addWidget(self.sure)
        self.maps = (MapOfPlaces(), MapOfPlaces())
        row = QHBoxLayout()
        row.setSpacing(3)
        for one in self.maps:
            row.addWidget(one, 1)
        layout.addLayout(row)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setProperty("quiet", True)
        layout.addWidget(self.words)
        self.ask = QToolButton()
        self.ask.setObjectName("measure_left")
        self.ask.setText(tr("Measure what is left"))
        self.ask.setToolTip(hint_of(key_of("measure_left")))
        self.ask.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.ask.clicked.connect(lambda: self.acted.emit("measure_left"))
        layout.addWidget(self.ask)
        self.hide()

    def show_shot(self, shot: ShotLook | None) -> None:
        """Show what is known; nothing hides it all."""
        self.setVisible(shot is not None and shot.found is not None)
        if shot is None or shot.found is None:
            return
        self.curves.show_shot(shot)
        sure = shot.found.sure
        self.sure.setVisible(sure is not None)
        if sure is not None:
            self.sure.setValue(round(100 * sure))
            self.sure.setToolTip(tr("How good the measure is: {0} of 100. The words above say why.", round(100 * sure)))
            self.sure.setAccessibleName(self.sure.toolTip())
        found = shot.found.places
        left = shot.left.places if shot.left is not None else None
        white = max(LEAST_PCT, float(found.max()) if found is not None and found.size else 0.0)
        for one, head, places in zip(self.maps, (tr("found"), tr("left")), (found, left), strict=True):
            one.show_places(head, places if places is not None and places.size else None, white)
        self.words.setText(tr("Behind the step: {0}", " ".join(shot.words)) if shot.words else "")
        self.words.setVisible(bool(shot.words))
        self.words.setMinimumHeight(self.words.heightForWidth(self.width()) if shot.words else 0)
        self.ask.setVisible(shot.asks and shot.left is None)
        layout = self.layout()
        assert layout is not None
        layout.activate()
        self.setMinimumHeight(layout.sizeHint().height())  # the card is as high as what it shows
        self.updateGeometry()
