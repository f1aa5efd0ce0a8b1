"""The bar under the light table: where one is, stepping, playing, the loop, and the code values under the pointer."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QSizePolicy, QToolButton, QWidget

from grevin.core.errors import UsageError
from grevin.core.measure.area import Reading
from grevin.core.timebase.counters import COUNTER_LABELS, Counter
from grevin.desktop.keys import hint
from grevin.desktop.style import look as style
from grevin.desktop.texts import tr


class TimeBar(QWidget):
    """Emits the name of an act, or the frame that was typed."""

    acted = Signal(str)
    frame_typed = Signal(int)
    counter_chosen = Signal(str)
    faulted = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._counter: Counter | None = None
        self._buttons: dict[str, QToolButton] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 3, 6, 3)
        layout.setSpacing(3)
        for act, icon in (
            ("shot_back", "shot_back"), ("step_back", "back"), ("play", "play"), ("step_forward", "forward"),
            ("shot_forward", "shot_forward"),
        ):  # fmt: skip
            layout.addWidget(self._button(act, icon))
        self.frame_field = QLineEdit()
        self.frame_field.setObjectName("frame_field")
        self.frame_field.setFixedWidth(92)
        self.frame_field.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.frame_field.setToolTip(tr("Type a frame, a timecode or feet+frames, and Return, to go there."))
        self.frame_field.returnPressed.connect(self._type)
        layout.addSpacing(6)
        layout.addWidget(self.frame_field)
        self._length = QLabel()
        self._length.setProperty("quiet", True)
        layout.addWidget(self._length)
        self._kind = QComboBox()
        self._kind.setObjectName("counter")
        self._kind.setToolTip(hint("count"))
        self._kind.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for kind, label in COUNTER_LABELS.items():
            self._kind.addItem(tr(label), kind)
        self._kind.activated.connect(lambda place: self.counter_chosen.emit(self._kind.itemData(place)))
        layout.addWidget(self._kind)
        self._loop = QToolButton()
        self._loop.setObjectName("loop")
        self._loop.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._loop.setToolTip(
            tr("The frames that are played. Q begins the loop here, E ends it, a click takes it away.")
        )
        self._loop.clicked.connect(partial(self._act, "loop_all"))
        layout.addWidget(self._loop)
        self._probe = QLabel()
        self._probe.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._probe.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # never widens the window
        self._probe.setObjectName("probe")
        self._probe.setToolTip(
            tr("Code values of the source's frame under the pointer, and percent of the nominal range.")
        )
        layout.addWidget(self._probe, 1)

    def _button(self, act: str, icon: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName(act)
        button.setIcon(style.icon(icon))
        button.setIconSize(QSize(16, 16))
        button.setToolTip(hint(act))
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.clicked.connect(partial(self._act, act))
        self._buttons[act] = button
        return button

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def _type(self) -> None:
        if self._counter is None:
            return
        try:
            self.frame_typed.emit(self._counter.number(self.frame_field.text()))
        except UsageError as fault:
            self.faulted.emit(fault)

    def show_place(self, frame: int, frames: range, counter: Counter, feet: bool) -> None:
        """Show where one is.

        Args:
            frame: the present frame.
            frames: those between the trims.
            counter: how they are counted.
            feet: whether a gauge is declared, so that feet can be counted.
        """
        self._counter = counter
        self.frame_field.setText(counter.text(frame))
        self._length.setText(tr("of {0}", counter.text(frames[-1])))
        self._kind.setCurrentIndex(self._kind.findData(counter.kind))
        item = self._kind.model().index(self._kind.findData("feet"), 0)
        self._kind.model().setData(item, None if feet else 0, Qt.ItemDataRole.UserRole - 1)  # 0: not to be chosen

    def show_loop(self, loop: range | None, counter: Counter) -> None:
        """The loop, if one was set."""
        self._loop.setVisible(loop is not None)
        if loop is not None:
            self._loop.setText(tr("loop {0} to {1}", counter.text(loop.start), counter.text(loop[-1])))

    def show_playing(self, playing: bool) -> None:
        """Play or pause on the button."""
        self._buttons["play"].setIcon(style.icon("pause" if playing else "play"))

    def show_probe(self, place: tuple[int, int] | None, readings: tuple[Reading, ...]) -> None:
        """What lies under the pointer; None for nothing."""
        if place is None:
            self._probe.clear()
            return
        values = "  ".join(f"{r.channel} {r.mean:.5g} ({r.percent:.0f} %)" for r in readings)
        self._probe.setText(tr("x {0} y {1}  {2}", place[0], place[1], values))
