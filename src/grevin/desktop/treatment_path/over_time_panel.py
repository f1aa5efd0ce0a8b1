"""Numbers of a step that change over time, on its card: a curve for each, evenly or with ease."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from grevin.core.treatment.over_time import OverTime
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr, tr_count
from grevin.desktop.treatment_path.drawn_rows import remove_button

CURVE_HEIGHT = 26
POINTS = 65  # of a drawn curve
RIM = 4


class Curve(QWidget):
    """The value from the first key frame to the last, with the present frame."""

    def __init__(self, change: OverTime) -> None:
        super().__init__()
        self.setFixedHeight(CURVE_HEIGHT)
        self._change = change
        self._frame = change.keys[0].frame
        self.setAccessibleName(change.words)
        self.setToolTip(change.words)

    def show_frame(self, frame: int) -> None:
        """Mark the present frame."""
        self._frame = frame
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        keys = self._change.keys
        first, last = keys[0].frame, max(keys[-1].frame, keys[0].frame + 1)
        low, high = min(key.value for key in keys), max(key.value for key in keys)

        def point(frame: float) -> QPointF:
            value = self._change.at(round(frame))
            share = (value - low) / (high - low) if high > low else 0.5
            x = RIM + (self.width() - 2 * RIM) * (frame - first) / (last - first)
            return QPointF(x, RIM + (self.height() - 2 * RIM) * (1 - share))

        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(style.QUIET, 1.2))
        painter.drawPolyline(QPolygonF([point(first + (last - first) * n / (POINTS - 1)) for n in range(POINTS)]))
        painter.setBrush(style.TEXT)
        for key in keys:
            painter.drawEllipse(point(key.frame), 2.2, 2.2)
        if first <= self._frame <= last:
            painter.setPen(QPen(style.ACCENT, 1.5))
            x = point(self._frame).x()
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))


class OverTimePanel(QWidget):
    """A row for each number that changes; emits all of them when one is changed."""

    changed = Signal(object)

    def __init__(self, labels: dict[str, str], parent: QWidget | None = None) -> None:
        """Nothing yet.

        Args:
            labels: of the settings, by name.
            parent: the card.
        """
        super().__init__(parent)
        self._labels = labels
        self._shown: tuple[OverTime, ...] | None = None
        self._curves: list[Curve] = []
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 2, 0, 0)
        self._layout.setSpacing(2)
        self.hide()

    def show_changes(self, changes: tuple[OverTime, ...], frame: int) -> None:
        """Show what changes, at a frame of the reel."""
        self.setVisible(bool(changes))
        if changes != self._shown:
            self._shown = changes
            self._build(changes)
        for curve in self._curves:
            curve.show_frame(frame)

    def _build(self, changes: tuple[OverTime, ...]) -> None:
        while (item := self._layout.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._curves = [Curve(change) for change in changes]
        for change, curve in zip(changes, self._curves, strict=True):
            self._layout.addWidget(self._row(change))
            self._layout.addWidget(curve)

    def _row(self, change: OverTime) -> QWidget:
        label = tr(self._labels.get(change.setting, change.setting))
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        count = len(change.keys)
        words = QLabel(tr_count("{1}: {0} key frame", "{1}: {0} key frames", count, label))
        words.setToolTip(change.words)
        layout.addWidget(words, 1)
        ease = QCheckBox(tr("with ease"))
        ease.setObjectName(f"ease_{change.setting}")
        ease.setAccessibleName(tr("{0} changes with ease", label))
        ease.setToolTip(tr("Slowly at both ends of each way, instead of evenly."))
        ease.setChecked(change.ease == "both")
        ease.toggled.connect(partial(self._ease, change))
        layout.addWidget(ease)
        remove = remove_button()
        remove.setAccessibleName(tr("{0}: no key frames", label))
        remove.clicked.connect(lambda _checked: self._replace(change, None))
        layout.addWidget(remove)
        return row

    def _ease(self, change: OverTime, on: bool) -> None:
        self._replace(change, change.model_copy(update={"ease": "both" if on else "none"}))

    def _replace(self, change: OverTime, new: OverTime | None) -> None:
        rows = [new if one is change else one for one in self._shown or ()]
        self.changed.emit(tuple(one for one in rows if one is not None))
