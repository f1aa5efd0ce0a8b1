"""The bar between light table and neighbour strip: stepping, playing, zoom and ways of comparing."""

from __future__ import annotations

from fractions import Fraction
from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSpinBox, QToolButton, QWidget

from grevin.core.timebase.counters import clock_text
from grevin.desktop.keys import hint
from grevin.desktop.light_table.view import FIT, ZOOM_STEPS
from grevin.desktop.style import look as style


class BenchBar(QWidget):
    """Emits the name of an act; shows frame, time and zoom."""

    acted = Signal(str)
    toggled = Signal(str, bool)
    frame_typed = Signal(int)
    zoom_chosen = Signal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 3, 6, 3)
        layout.setSpacing(3)
        self._buttons: dict[str, QToolButton] = {}
        for act, icon in (
            ("shot_back", "shot_back"), ("step_back", "back"), ("play", "play"), ("step_forward", "forward"),
            ("shot_forward", "shot_forward"),
        ):  # fmt: skip
            layout.addWidget(self._button(act, icon))
        self.frame_box = QSpinBox()
        self.frame_box.setObjectName("frame_box")
        self.frame_box.setKeyboardTracking(False)
        self.frame_box.setFixedWidth(82)
        self.frame_box.setToolTip("Frame number, from 0. Type one to go there.")
        self.frame_box.valueChanged.connect(self.frame_typed)
        layout.addSpacing(6)
        layout.addWidget(self.frame_box)
        self._clock = QLabel()
        self._clock.setProperty("quiet", True)
        layout.addWidget(self._clock)
        layout.addStretch(1)
        for act, icon, words in (
            ("before", "before", "Before"),
            ("wipe", "wipe", "Wipe"),
            ("evidence", "evidence", "Evidence"),
        ):
            button = self._button(act, icon)
            button.setText(words)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            layout.addWidget(button)
        layout.addSpacing(8)
        self._zoom = QComboBox()
        self._zoom.setObjectName("zoom")
        self._zoom.setToolTip("Zoom: screen pixels for a picture pixel. The wheel zooms at the pointer.")
        self._zoom.setMinimumWidth(104)
        self._zoom.addItem("fit", FIT)
        for zoom in ZOOM_STEPS:
            self._zoom.addItem(f"{zoom:.0%}", zoom)
        self._zoom.activated.connect(self._choose_zoom)
        layout.addWidget(self._zoom)

    def _button(self, act: str, icon: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName(act)
        button.setIcon(style.icon(icon))
        button.setIconSize(QSize(18, 18))
        button.setToolTip(hint(act))
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        if act == "before":
            button.pressed.connect(partial(self.toggled.emit, act, True))
            button.released.connect(partial(self.toggled.emit, act, False))
        elif act in {"wipe", "evidence"}:
            button.setCheckable(True)
            button.toggled.connect(partial(self.toggled.emit, act))
        else:
            button.clicked.connect(partial(self.acted.emit, act))
        self._buttons[act] = button
        return button

    def _choose_zoom(self, index: int) -> None:
        self.zoom_chosen.emit(float(self._zoom.itemData(index)))

    def show_frame(self, frame: int, length: int, rate: Fraction) -> None:
        """Show where one is."""
        self.frame_box.blockSignals(True)
        self.frame_box.setRange(0, max(0, length - 1))
        self.frame_box.setValue(frame)
        self.frame_box.blockSignals(False)
        self._clock.setText(f" of {max(0, length - 1)}   {clock_text(frame, rate)}")

    def show_zoom(self, zoom: float, scale: float) -> None:
        """Show the zoom: a step of the list, or fit with its scale."""
        self._zoom.setItemText(0, f"fit ({scale:.0%})" if zoom == FIT else "fit")
        index = self._zoom.findData(zoom)
        self._zoom.setCurrentIndex(max(0, index))

    def show_toggle(self, act: str, on: bool) -> None:
        """Set a toggle without emitting."""
        button = self._buttons[act]
        button.blockSignals(True)
        button.setChecked(on)
        button.blockSignals(False)

    def show_playing(self, playing: bool) -> None:
        """Play or pause on the button."""
        self._buttons["play"].setIcon(style.icon("pause" if playing else "play"))
