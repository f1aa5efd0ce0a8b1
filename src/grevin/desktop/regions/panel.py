"""The regions on a step's card: tools to draw them, the list, and what is said of the one that is worked on."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from grevin.core.treatment.region_edits import has_key
from grevin.core.treatment.regions import Region
from grevin.desktop.keys import hint
from grevin.desktop.texts import tr
from grevin.desktop.treatment_path.drawn_rows import remove_button

TOOLS = {"rectangle": "draw_rectangle", "ellipse": "draw_ellipse", "polygon": "draw_polygon"}
USES = {"only": "only inside", "protect": "leave alone", "measure": "measure inside"}


class RegionsPanel(QWidget):
    """Shows the regions of a step; emits acts and changes."""

    acted = Signal(str)
    use_chosen = Signal(str)
    picked = Signal(int)
    removed = Signal(int)
    changed = Signal(dict)

    def __init__(self, measures: bool = False, parent: QWidget | None = None) -> None:
        """Nothing yet.

        Args:
            measures: whether the step looks at shots before it acts, so that one may say where.
            parent: the card.
        """
        super().__init__(parent)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 4, 0, 0)
        self._layout.setSpacing(3)
        self._tools: dict[str, QToolButton] = {}
        head = QHBoxLayout()
        words = QLabel(tr("Where it may act"))
        words.setToolTip(tr("Without a region the step acts everywhere."))
        words.setProperty("quiet", True)
        self._layout.addWidget(words)
        head.setSpacing(3)
        for shape, act in TOOLS.items():
            button = self._button(act, shape)
            button.setCheckable(True)
            head.addWidget(button)
            self._tools[act] = button
        head.addStretch(1)
        self._layout.addLayout(head)
        self._use = QComboBox()
        self._use.setObjectName("region_use")
        for use, label in USES.items():
            if measures or use != "measure":
                self._use.addItem(tr(label), use)
        tip = "Whether the step acts only inside the region, or leaves it alone."
        more = "Whether the step acts only inside the region, leaves it alone, or looks nowhere else while it measures."
        self._use.setToolTip(tr(more) if measures else tr(tip))
        self._use.activated.connect(lambda _place: self.use_chosen.emit(str(self._use.currentData())))
        self._rows = QVBoxLayout()
        self._rows.setSpacing(1)
        self._layout.addLayout(self._rows)
        self._layout.addWidget(self._details())
        self._shown: tuple[object, ...] | None = None

    def _button(self, act: str, words: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName(act)
        button.setText(tr(words))
        button.setToolTip(hint(act))
        button.clicked.connect(partial(self._act, act))
        return button

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def _details(self) -> QWidget:
        self._more = QWidget()
        layout = QGridLayout(self._more)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(3)
        self._feather = self._number("feather_px", "Over which the step's say fades out at the edge.")
        self._rounding = self._number("rounding_px", "Radius of the corners of a rectangle or polygon.")
        self._follow = QCheckBox(tr("follows the picture"))
        self._follow.setObjectName("region_follow")
        self._follow.setToolTip(
            tr("The region goes with what it lies on; drag it on any frame to correct it from there.")
        )
        self._follow.toggled.connect(lambda on: self.changed.emit({"follow": on}))
        self._key = self._button("region_key", "key frame")
        self._key.setCheckable(True)
        layout.addWidget(self._use, 0, 0, 1, 2)
        for row, (words, field) in enumerate((("Feather", self._feather), ("Rounding", self._rounding)), 1):
            layout.addWidget(QLabel(tr(words)), row, 0)
            layout.addWidget(field, row, 1)
        self._first = self._end("first", tr("the start"), "The first frame on which the region holds.")
        self._last = self._end("last", tr("the end"), "The last frame on which the region holds.")
        layout.addWidget(QLabel(tr("From frame")), 3, 0)
        layout.addWidget(self._first, 3, 1)
        layout.addWidget(QLabel(tr("To frame")), 4, 0)
        layout.addWidget(self._last, 4, 1)
        layout.addWidget(self._follow, 5, 0, 1, 2)
        layout.addWidget(self._key, 6, 0)
        layout.addWidget(self._button("region_out", "take out"), 6, 1)
        return self._more

    def _number(self, name: str, tip: str) -> QDoubleSpinBox:
        field = QDoubleSpinBox()
        field.setObjectName(name)
        field.setRange(0, 10_000)
        field.setDecimals(0)
        field.setSuffix(tr(" px"))
        field.setToolTip(tr(tip))
        field.setKeyboardTracking(False)
        field.valueChanged.connect(lambda value: self.changed.emit({name: value}))
        return field

    def _end(self, name: str, none: str, tip: str) -> QSpinBox:
        """A frame, or none: the start or the end of the reel."""
        field = QSpinBox()
        field.setObjectName(f"region_{name}")
        field.setRange(-1, 10**8)
        field.setSpecialValueText(none)
        field.setToolTip(tr(tip))
        field.setKeyboardTracking(False)
        field.valueChanged.connect(lambda value: self.changed.emit({name: None if value < 0 else value}))
        return field

    def show_regions(self, regions: tuple[Region, ...], active: int, frame: int) -> None:
        """Show the list, and the values of the one that is worked on."""
        if (regions, active) != self._shown:
            self._shown = (regions, active)
            self._show_rows(regions, active)
        held = regions[active] if 0 <= active < len(regions) else None
        self._more.setVisible(held is not None)
        if held is None:
            return
        blocked = [
            QSignalBlocker(one)
            for one in (self._feather, self._rounding, self._follow, self._use, self._first, self._last)
        ]
        self._feather.setValue(held.feather_px)
        self._rounding.setValue(held.rounding_px)
        self._rounding.setEnabled(held.shape != "ellipse")
        self._follow.setChecked(held.follow)
        self._first.setValue(-1 if held.first is None else held.first)
        self._last.setValue(-1 if held.last is None else held.last)
        self._use.setCurrentIndex(self._use.findData(held.use))
        self._key.setChecked(has_key(held, frame))
        del blocked

    def show_held(self, act: str) -> None:
        """Which tool is in hand, "" for none."""
        for name, button in self._tools.items():
            button.setChecked(name == act)

    def _show_rows(self, regions: tuple[Region, ...], active: int) -> None:
        while (item := self._rows.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for place, region in enumerate(regions):
            row = QWidget()
            layout = QHBoxLayout(row)
            layout.setContentsMargins(0, 0, 0, 0)
            words = QToolButton()
            words.setObjectName("region_row")
            words.setText(
                ", ".join(
                    [
                        f"{place + 1}. {tr(region.shape)}",
                        tr(USES[region.use]),
                        *([tr("follows")] if region.follow else []),
                    ]
                )
            )
            words.setToolTip(tr("{0}. Work on this region.", region.words))
            words.setCheckable(True)
            words.setChecked(place == active)
            words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            words.clicked.connect(partial(self._pick, place))
            layout.addWidget(words, 1)
            remove = remove_button()
            remove.clicked.connect(partial(self._remove, place))
            layout.addWidget(remove)
            self._rows.addWidget(row)

    def _pick(self, place: int, _checked: bool = False) -> None:
        self.picked.emit(place)

    def _remove(self, place: int, _checked: bool = False) -> None:
        self.removed.emit(place)
