"""The message bar: one sentence at a time, what is running with its progress, and a way to stop it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from grevin.core.errors import GrevinError
from grevin.core.progress import ProgressReport


class MessageBar(QFrame):
    """Shows a message or a fault until the next one or until it is put away."""

    cancel_asked = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("messageBar")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 3, 8, 3)
        self._words = QLabel()
        self._words.setObjectName("message")
        self._words.setWordWrap(True)
        layout.addWidget(self._words, 1)
        self._bar = QProgressBar()
        self._bar.setFixedWidth(220)
        self._bar.hide()
        layout.addWidget(self._bar)
        self._cancel = QPushButton("Cancel")
        self._cancel.setObjectName("cancel_work")
        self._cancel.clicked.connect(self.cancel_asked)
        self._cancel.hide()
        layout.addWidget(self._cancel)
        self._away = QPushButton("Dismiss")
        self._away.clicked.connect(self.clear)
        self._away.hide()
        layout.addWidget(self._away)
        self.setMinimumHeight(30)

    @property
    def text(self) -> str:
        """What is being said."""
        return self._words.text()

    def say(self, words: str) -> None:
        """Something worth knowing."""
        self._show(words, "plain")

    def say_fault(self, fault: Exception) -> None:
        """Something that went wrong, in its own sentence."""
        if isinstance(fault, GrevinError):
            self._show(f"{fault.what} {fault.hint}", "fault")
        else:
            self._show(f"Internal error ({type(fault).__name__}: {fault}); the details are in the log file.", "fault")

    def clear(self) -> None:
        """Say nothing."""
        self._show("", "plain")

    def _show(self, words: str, kind: str) -> None:
        self._words.setText(words)
        self._away.setVisible(kind == "fault")
        if self.property("kind") != kind:
            self.setProperty("kind", kind)
            self.style().unpolish(self)
            self.style().polish(self)

    def show_progress(self, report: ProgressReport | None) -> None:
        """Progress of what is running; None when it ended."""
        running = report is not None
        self._bar.setVisible(running)
        self._cancel.setVisible(running)
        if report is None:
            return
        self._bar.setRange(0, report.total)
        self._bar.setValue(report.done)
        left = report.seconds_left
        rest = f", {left:.0f} s left" if left is not None and report.seconds > 1 else ""
        self._bar.setFormat(f"{report.message} {report.done}/{report.total}{rest}")
