"""Strokes on the card: from where they are filled, how they are drawn, on which frames; and those on this frame."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from grevin.core.picture.display import Screen
from grevin.core.steps.strokes import ALONG_MOTION, MOST_AWAY, NAMES_A_FRAME, WAY_WORDS
from grevin.core.treatment.regions import Shift
from grevin.core.treatment.strokes import Stroke, middle
from grevin.desktop.light_table.painting import as_image
from grevin.desktop.steps.strokes.options import Options
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look

THUMB = QSize(44, 33)
THUMB_PX = 24  # of the picture to either side of a stroke's middle
LIST_PX = 116
SPANS = {"frame": "the frame in sight", "shot": "the whole shot"}

Shown = list[tuple[int, Stroke, Shift]]


class StrokesPanel(QWidget):
    """Shows strokes of a step; emits what a person changes."""

    picked = Signal(int)
    fill_changed = Signal(dict)
    shape_changed = Signal(dict)
    span_chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(3)
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 1)
        layout.addLayout(self._grid)
        self._rows: dict[str, tuple[QLabel, QWidget]] = {}
        self._add_fields()
        self._follow = QCheckBox(tr("follows the picture"))
        self._follow.setObjectName("stroke_follow")
        self._follow.setToolTip(
            tr("The stroke goes with what it lies on; move it on any frame to correct it from there.")
        )
        self._follow.toggled.connect(lambda on: self.shape_changed.emit({"follow": on}))
        layout.addWidget(self._follow)
        self._list = QListWidget()
        self._list.setObjectName("strokes")
        self._list.setAccessibleName(tr("Strokes on this frame"))
        self._list.setIconSize(THUMB)
        self._list.setFixedHeight(LIST_PX)
        self._list.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._list.itemClicked.connect(lambda item: self.picked.emit(item.data(Qt.ItemDataRole.UserRole)))
        self._list.itemActivated.connect(lambda item: self.picked.emit(item.data(Qt.ItemDataRole.UserRole)))
        layout.addWidget(self._list)
        self._words = QLabel()
        self._words.setProperty("quiet", True)
        self._words.setWordWrap(True)
        layout.addWidget(self._words)
        self._listed: tuple[object, ...] | None = None

    def _add_fields(self) -> None:
        self._way = QComboBox()
        self._way.setObjectName("stroke_way")
        for way, words in WAY_WORDS.items():
            self._way.addItem(tr(words), way)
        self._way.setToolTip(tr("From where the stroke that is worked on is filled, and those that come next."))
        self._way.activated.connect(lambda _place: self.fill_changed.emit({"way": str(self._way.currentData())}))
        self._row("way", tr("Fill from"), self._way)
        self._away = self._whole("away", 1, MOST_AWAY, tr(" frames"), "How far before and after.")
        self._frame = self._whole("frame", 0, 10**8, "", "Number of the reel's frame; a button takes the one in sight.")
        self._turn = self._number("turn_degrees", -180, 180, tr(" °"), 1, "By how much the other place is turned.")
        self._scale = self._number("scale_pct", 10, 1000, tr(" %"), 0, "How large the other place is made.")
        self._blur = self._number("blur_px", 0.3, 200, tr(" px"), 1, "Standard deviation of the blur.")
        self._width = self._number("stroke_width_px", 1, 400, tr(" px"), 0, "Width of the brush.")
        self._feather = self._number(
            "stroke_feather_px", 0, 1000, tr(" px"), 0, "Over which the stroke fades in at its edge."
        )
        self._rounding = self._number("stroke_rounding_px", 0, 1000, tr(" px"), 0, "Radius of the corners.")
        self._strength = self._number("stroke_strength", 0, 100, tr(" %"), 0, "How much of the fill is taken.")
        for name, words, field in (
            ("away", tr("Away"), self._away), ("frame", tr("Frame"), self._frame), ("turn", tr("Turn"), self._turn),
            ("scale", tr("Size"), self._scale), ("blur", tr("Blur"), self._blur), ("width", tr("Width"), self._width),
            ("feather", tr("Feather"), self._feather), ("rounding", tr("Rounding"), self._rounding),
            ("strength", tr("Strength"), self._strength),
        ):  # fmt: skip
            self._row(name, words, field)
        self._span = QComboBox()
        self._span.setObjectName("stroke_span")
        for span, words in SPANS.items():
            self._span.addItem(tr(words), span)
        self._span.setToolTip(tr("On which frames strokes hold that come next."))
        self._span.activated.connect(lambda _place: self.span_chosen.emit(str(self._span.currentData())))
        self._row("span", tr("Drawn on"), self._span)
        ends = QWidget()
        row = QHBoxLayout(ends)
        row.setContentsMargins(0, 0, 0, 0)
        self._first = self._end("first", "The first frame on which the stroke holds.")
        self._last = self._end("last", "The last frame on which the stroke holds.")
        row.addWidget(self._first, 1)
        row.addWidget(QLabel(tr("to")))
        row.addWidget(self._last, 1)
        self._row("held", tr("On frames"), ends)

    def _row(self, name: str, words: str, field: QWidget) -> None:
        label, place = QLabel(words), self._grid.rowCount()
        field.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        label.setBuddy(field)
        self._grid.addWidget(label, place, 0)
        self._grid.addWidget(field, place, 1)
        self._rows[name] = (label, field)

    def _number(self, name: str, low: float, high: float, unit: str, decimals: int, tip: str) -> QDoubleSpinBox:
        field = QDoubleSpinBox()
        field.setObjectName(name)
        field.setRange(low, high)
        field.setDecimals(decimals)
        field.setSuffix(unit)
        field.setToolTip(tr(tip))
        field.setKeyboardTracking(False)
        field.valueChanged.connect(partial(self._change, name))
        return field

    def _whole(self, name: str, low: int, high: int, unit: str, tip: str) -> QSpinBox:
        field = QSpinBox()
        field.setObjectName(f"stroke_{name}")
        field.setRange(low, high)
        field.setSuffix(unit)
        field.setToolTip(tr(tip))
        field.setKeyboardTracking(False)
        field.valueChanged.connect(lambda value: self.fill_changed.emit({name: value}))
        return field

    def _end(self, name: str, tip: str) -> QSpinBox:
        field = QSpinBox()
        field.setObjectName(f"stroke_{name}")
        field.setRange(0, 10**8)
        field.setToolTip(tr(tip))
        field.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        field.setKeyboardTracking(False)
        field.valueChanged.connect(lambda value: self.shape_changed.emit({name: value}))
        return field

    def _change(self, name: str, value: float) -> None:
        if name in {"turn_degrees", "blur_px"}:
            self.fill_changed.emit({name: value})
        elif name in {"scale_pct", "stroke_strength"}:
            self.fill_changed.emit({"scale" if name == "scale_pct" else "strength": round(value / 100, 3)})
        else:
            self.shape_changed.emit({name.removeprefix("stroke_"): value})

    # showing

    def show_strokes(
        self, shown: Shown, active: int, held: Stroke | None, options: Options, frame: int, look: Look | None
    ) -> None:  # fmt: skip
        """Show the strokes on a frame, and what holds for the one that is worked on, or for those that come next."""
        self._show_values(held, options)
        picture = look.after if look is not None and look.number == frame and look.geometry is None else None
        wanted = (tuple(shown), frame, id(picture))
        if wanted != self._listed:
            self._listed = wanted
            self._show_list(shown, frame, picture, options.fills)
        rows = [place for place, _, _ in shown]
        blocked = QSignalBlocker(self._list)
        self._list.setCurrentRow(rows.index(active) if active in rows else -1)
        del blocked

    def show_elsewhere(self, words: str) -> None:
        """Of strokes on other frames."""
        self._words.setText(words)
        self._words.setVisible(bool(words))

    def _show_values(self, held: Stroke | None, options: Options) -> None:
        fill = held.fill if held is not None else options.fill
        where = held.where if held is not None else None
        fields = (
            self._way, self._away, self._frame, self._turn, self._scale, self._blur, self._width, self._feather,
            self._rounding, self._strength, self._span, self._first, self._last, self._follow,
        )  # fmt: skip
        blocked = [QSignalBlocker(field) for field in fields]
        self._way.setCurrentIndex(self._way.findData(fill.way))
        self._away.setValue(fill.away)
        self._frame.setValue(fill.frame)
        self._turn.setValue(fill.turn_degrees)
        self._scale.setValue(100 * fill.scale)
        self._blur.setValue(fill.blur_px)
        self._strength.setValue(100 * fill.strength)
        self._width.setValue(where.width_px if where is not None and where.shape == "brush" else options.width_px)
        self._feather.setValue(where.feather_px if where is not None else options.feather_px)
        self._rounding.setValue(where.rounding_px if where is not None else options.rounding_px)
        self._span.setCurrentIndex(self._span.findData(options.span))
        if where is not None:
            self._first.setValue(where.first or 0)
            self._last.setValue(where.last if where.last is not None else self._last.maximum())
            self._follow.setChecked(where.follow)
        del blocked
        self._show_rows({
            "away": options.fills and fill.way in ALONG_MOTION, "frame": fill.way in NAMES_A_FRAME,
            "turn": fill.way == "place", "scale": fill.way == "place", "blur": fill.way == "blur",
            "width": where is None or where.shape == "brush",
            "rounding": options.fills and (where is None or where.shape == "polygon"), "feather": options.fills,
            "strength": options.fills, "way": options.fills, "held": where is not None, "span": where is None,
        })  # fmt: skip
        self._follow.setVisible(where is not None)

    def _show_rows(self, wanted: dict[str, bool]) -> None:
        for name, on in wanted.items():
            for widget in self._rows[name]:
                widget.setVisible(on)

    def _show_list(self, shown: Shown, frame: int, picture: Screen | None, fills: bool) -> None:
        blocked = QSignalBlocker(self._list)
        self._list.clear()
        for place, stroke, shift in shown:
            filled = f": {tr(stroke.fill.words)}" if fills else ""
            item = QListWidgetItem(f"{place + 1}. {tr(_shape(stroke))}{filled}")
            item.setToolTip(tr("{0}. Click to work on this stroke.", stroke.words))
            item.setData(Qt.ItemDataRole.UserRole, place)
            if picture is not None:
                item.setIcon(_thumb(picture, stroke, frame, shift))
            self._list.addItem(item)
        if not shown:
            item = QListWidgetItem(tr("No stroke on this frame."))
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self._list.addItem(item)
        del blocked


def _shape(stroke: Stroke) -> str:
    return "soft disc" if stroke.where.shape == "ellipse" else stroke.where.shape


def _thumb(picture: Screen, stroke: Stroke, frame: int, shift: Shift) -> QIcon:
    """The picture round a stroke as it is now."""
    x, y = (int(value) for value in middle(stroke.where, frame, shift))
    left, top = max(0, x - THUMB_PX), max(0, y - THUMB_PX * THUMB.height() // THUMB.width())
    part = picture[top : top + 2 * THUMB_PX * THUMB.height() // THUMB.width(), left : left + 2 * THUMB_PX]
    if not part.size:
        return QIcon()
    held = np.ascontiguousarray(part)
    return QIcon(QPixmap.fromImage(as_image(held).copy()))
