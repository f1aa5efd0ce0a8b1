"""What a step measured of the shot in sight, on its card: curves, maps over the picture, what is left behind it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from grevin.core.steps.charting import Chart, Line
from grevin.desktop.keys import hint_of, key_of
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import ShotLook

CHART_HEIGHT, MAP_HEIGHT = 74, 66
RIM = 3
LEAST_SPAN = 4.0  # of the chart's unit: a curve over less would make noise look like flicker
LEAST_PCT = 2.0  # that a map shows as white: the same for what was found and what is left
MOST_POINTS = 600


class CurvesOfShot(QWidget):
    """Curves over the frames of a shot; a click goes there."""

    frame_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(CHART_HEIGHT)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._shot: ShotLook | None = None

    def show_shot(self, shot: ShotLook) -> None:
        """Another shot or frame."""
        self._shot = shot
        found = shot.found
        if found is not None:
            by_frame = found.over == "frames"
            self.setCursor(Qt.CursorShape.PointingHandCursor if by_frame else Qt.CursorShape.ArrowCursor)
            words = ", ".join(_said(line, shot.frame if by_frame else None) for line in found.lines)
            self.setAccessibleName(f"{tr(found.about)}: {words} {tr(found.unit)}")
            self.setToolTip(self.accessibleName())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        shot = self._shot
        if shot is None or shot.found is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), style.SURFACE)
        low, high = _span((shot.found, shot.left))
        length = len(shot.found.lines[0].values)
        for line in shot.found.lines:
            pen = QPen(style.QUIET if line.measured else style.TEXT, 1.1)
            pen.setStyle(Qt.PenStyle.SolidLine if line.measured else Qt.PenStyle.DashLine)
            self._draw(painter, pen, line, low, high)
        if shot.left is not None:
            self._draw(painter, QPen(style.ACCENT, 1.4), shot.left.lines[0], low, high)
        if shot.found.over == "frames":
            painter.setPen(QPen(style.ACCENT, 1))
            x = self._x(shot.frame, length)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.setPen(style.QUIET)
        unit = tr(shot.found.unit)
        area = QRectF(RIM, 0, self.width() - 2 * RIM, self.height())
        painter.drawText(area, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, f"{high:+.0f} {unit}")
        painter.drawText(area, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, f"{low:+.0f}")

    def _draw(self, painter: QPainter, pen: QPen, line: Line, low: float, high: float) -> None:
        values = line.values
        places = np.unique(np.linspace(0, len(values) - 1, min(len(values), MOST_POINTS)).astype(int))
        down = RIM + (self.height() - 2 * RIM) * (1 - (values[places] - low) / (high - low))
        known = np.isfinite(down)
        points = [
            QPointF(self._x(int(n), len(values)), float(y)) for n, y in zip(places[known], down[known], strict=True)
        ]
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(points))

    def _x(self, frame: int, length: int) -> float:
        return RIM + (self.width() - 2 * RIM) * frame / max(1, length - 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._shot is not None and self._shot.found is not None and self._shot.found.over == "frames":
            length = len(self._shot.found.lines[0].values)
            share = (event.position().x() - RIM) / max(1, self.width() - 2 * RIM)
            self.frame_chosen.emit(self._shot.first + round(min(1.0, max(0.0, share)) * (length - 1)))


def _said(line: Line, frame: int | None) -> str:
    """A curve in words: its value on a frame, or the least and the most."""
    if frame is not None:
        return f"{tr(line.name)} {line.values[frame]:.1f}"
    return tr("{0} {1:.1f} to {2:.1f}", tr(line.name), line.values.min(), line.values.max())


def _span(charts: tuple[Chart | None, ...]) -> tuple[float, float]:
    ends = [chart.limits() for chart in charts if chart is not None]
    low, high = min(low for low, _ in ends), max(high for _, high in ends)
    if charts[0] is not None and charts[0].over == "levels":
        return 0.0, max(high, LEAST_SPAN)
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
    """Curves, maps and words of a shot, and the button that asks what is left."""

    frame_chosen = Signal(int)
    acted = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("shot_chart")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(3)
        self.curves = CurvesOfShot()
        self.curves.frame_chosen.connect(self.frame_chosen)
        layout.addWidget(self.curves)
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
        found = shot.found.places
        left = shot.left.places if shot.left is not None else None
        white = max(LEAST_PCT, float(found.max()) if found is not None and found.size else 0.0)
        for one, head, places in zip(self.maps, (tr("found"), tr("left")), (found, left), strict=True):
            one.show_places(head, places if places is not None and places.size else None, white)
        self.words.setText(tr("Behind the step: {0}", " ".join(shot.words)) if shot.words else "")
        self.words.setVisible(bool(shot.words))
        self.words.setMinimumHeight(self.words.heightForWidth(self.width()) if shot.words else 0)
        self.ask.setVisible(shot.asks and shot.left is None)
        self.updateGeometry()  # the card is as high as what it shows
