"""Two scopes, each of a kind the person chooses, over the whole frame or the measured box."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from grevin.core.measure.area import Box
from grevin.core.measure.scope_pictures import scope_picture
from grevin.core.measure.scopes import SCOPES, ScopeKind, take_samples
from grevin.core.picture.display import Screen
from grevin.core.picture.frame import Frame
from grevin.desktop.scopes.scope import Scope
from grevin.desktop.texts import tr
from grevin.desktop.work.workers import LatestWorker, Request

FIRST_KINDS: tuple[ScopeKind, ScopeKind] = ("colour waveform", "vectorscope")


class ScopesPanel(QWidget):
    """Measures the frame it is given, off the GUI thread; the newest frame wins."""

    faulted = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("scopes_panel")
        self._worker = LatestWorker("scopes", self)
        self._worker.done.connect(self._take)
        self._worker.failed.connect(self._fail)
        self._frame: Frame | None = None
        self._box: Box | None = None
        self.taken = 0
        self.scopes = (Scope(), Scope())
        self.choices: list[QComboBox] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 2, 6, 4)
        layout.setSpacing(2)
        self.boxed = QCheckBox(tr("only the measured box"))
        self.boxed.setToolTip(tr("Measure only the box that was dragged with Measure, instead of the whole frame."))
        self.boxed.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.boxed.toggled.connect(self._ask)
        for scope, first in zip(self.scopes, FIRST_KINDS, strict=True):
            choice = QComboBox()
            for kind in SCOPES:
                choice.addItem(tr(kind), kind)
            choice.setCurrentIndex(choice.findData(first))
            choice.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            choice.setToolTip(tr("Which scope is shown."))
            choice.activated.connect(self._ask)
            self.choices.append(choice)
            row = QHBoxLayout()
            row.addWidget(choice)
            if scope is self.scopes[0]:
                row.addWidget(self.boxed)
            row.addStretch(1)
            layout.addLayout(row)
            layout.addWidget(scope, 1)
            scope.resized.connect(self._ask)

    @property
    def busy(self) -> bool:
        """Whether a frame is being measured."""
        return self._worker.busy

    def kinds(self) -> list[str]:
        """The scopes shown, from top to bottom."""
        return [choice.currentData() for choice in self.choices]

    def show_kinds(self, kinds: list[str]) -> None:
        """Choose scopes from outside; unknown ones are left."""
        for choice, kind in zip(self.choices, kinds, strict=False):
            choice.setCurrentIndex(max(0, choice.findData(kind)))

    def show_frame(self, frame: Frame | None) -> None:
        """Measure this frame, if the panel is in sight."""
        self._frame = frame
        self._ask()

    def show_box(self, box: Box | None) -> None:
        """The measured box."""
        self._box = box
        if self.boxed.isChecked():
            self._ask()

    def _ask(self, _changed: object = None) -> None:
        if self._frame is None or not self.isVisible():
            return
        box = self._box if self.boxed.isChecked() else None
        wanted = [(SCOPES[choice.currentIndex()], scope.size_in_pixels()) for choice, scope in zip(
            self.choices, self.scopes, strict=True)]  # fmt: skip
        self._worker.ask(Request((wanted, self._frame.format.matrix), partial(_measure, self._frame, wanted, box)))

    def _take(self, tag: tuple[list[tuple[ScopeKind, tuple[int, int]]], str], pictures: list[Screen]) -> None:
        wanted, matrix = tag
        self.taken += 1
        for scope, (kind, _), picture in zip(self.scopes, wanted, pictures, strict=True):
            scope.show_picture(kind, picture, matrix)

    def _fail(self, _tag: object, fault: Exception) -> None:
        self.faulted.emit(fault)

    def stop(self) -> None:
        """End the thread."""
        self._worker.stop()


def _measure(frame: Frame, wanted: list[tuple[ScopeKind, tuple[int, int]]], box: Box | None) -> list[Screen]:
    samples = take_samples(frame, box)
    return [scope_picture(samples, kind, size) for kind, size in wanted]
