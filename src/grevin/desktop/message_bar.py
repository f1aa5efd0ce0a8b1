"""One line under the places: what happened, what went wrong and stays until it is put away, and what is running."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import (
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from grevin.core.errors import GrevinError
from grevin.core.progress import ProgressReport
from grevin.desktop.texts import tr

MOST_FAULTS = 100  # of one session are listed


class Work(QWidget):
    """One piece of work that runs: its progress and a way to stop it."""

    def __init__(self, name: str, cancel: Callable[[], object]) -> None:
        """Hidden until it runs.

        Args:
            name: of the work, for names of widgets.
            cancel: stops it.
        """
        super().__init__()
        self.hide()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.bar = QProgressBar()
        self.bar.setFixedWidth(220)
        self.bar.setAccessibleName(tr("Progress"))
        self.stop = QPushButton(tr("Cancel"))
        self.stop.setObjectName(f"cancel_{name}")
        self.stop.clicked.connect(lambda: cancel())
        layout.addWidget(self.bar)
        layout.addWidget(self.stop)

    def show_progress(self, report: ProgressReport | None) -> None:
        """How far it is; None when it ended."""
        self.setVisible(report is not None)
        if report is None:
            return
        self.bar.setRange(0, report.total)
        self.bar.setValue(report.done)
        left = report.seconds_left
        rest = f", {left:.0f} s left" if left is not None and report.seconds > 1 else ""
        self.bar.setFormat(f"{report.message} {report.done}/{report.total}{rest}")
        self.stop.setToolTip(tr("Cancel: {0}", report.message))


class MessageBar(QFrame):
    """Shows the last message; a fault stays beside it until it is put away, and all of the session are listed."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("messageBar")
        self.faults: list[str] = []
        self._latest = ""
        self._list: QDialog | None = None
        self.works: dict[str, Work] = {}
        self._words = QLabel()
        self._words.setObjectName("message")
        self._words.setWordWrap(True)
        self._fault = QLabel()
        self._fault.setObjectName("fault")
        self._fault.setWordWrap(True)
        self._all = QPushButton(tr("All faults …"))
        self._all.setToolTip(tr("What went wrong since Grevin was started"))
        self._all.clicked.connect(self.list_faults)
        self._away = QPushButton(tr("Dismiss"))
        self._away.clicked.connect(self._put_away)
        self._lay_out()
        self.setMinimumHeight(30)

    def _lay_out(self) -> None:
        self._fault_row = QWidget()
        fault = QHBoxLayout(self._fault_row)
        fault.setContentsMargins(0, 0, 0, 0)
        fault.addWidget(self._fault, 1)
        fault.addWidget(self._all)
        fault.addWidget(self._away)
        said = QVBoxLayout()
        said.addWidget(self._words)
        said.addWidget(self._fault_row)
        self._running = QVBoxLayout()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 3, 8, 3)
        layout.addLayout(said, 1)
        layout.addLayout(self._running)
        self._fault_row.hide()

    @property
    def text(self) -> str:
        """What was said last."""
        return self._latest

    @property
    def fault(self) -> str:
        """The fault that is shown; empty where none is, or where it was put away."""
        return self._fault.text()

    def follow(self, name: str, progressed: SignalInstance, cancel: Callable[[], object]) -> None:
        """Show a piece of work while it runs.

        Args:
            name: of the work.
            progressed: tells how far it is, None at its end.
            cancel: stops it.
        """
        work = Work(name, cancel)
        self.works[name] = work
        self._running.addWidget(work)
        progressed.connect(work.show_progress)

    def say(self, words: str) -> None:
        """Something worth knowing."""
        self._latest = words
        self._words.setText(words)
        self._words.setVisible(bool(words) or not self.fault)

    def say_fault(self, fault: Exception) -> None:
        """Something that went wrong, in its own sentence; it stays until it is put away."""
        if isinstance(fault, GrevinError):
            words = f"{fault.what} {fault.hint}"
        else:
            words = f"Internal error ({type(fault).__name__}: {fault}); the details are in the log file."
        self.say("")
        self._latest = words
        self.faults = [*self.faults[-MOST_FAULTS + 1 :], f"{datetime.now():%H:%M:%S}  {words}"]
        self._show_fault(words)

    def clear(self) -> None:
        """Say nothing."""
        self._show_fault("")
        self.say("")

    def _put_away(self) -> None:
        if self._latest == self.fault:
            self._latest = ""
        self._show_fault("")

    def _show_fault(self, words: str) -> None:
        self._fault.setText(words)
        self._fault_row.setVisible(bool(words))
        self._all.setVisible(len(self.faults) > 1)
        self._words.setVisible(bool(self._words.text()) or not words)
        kind = "fault" if words else "plain"
        if self.property("kind") != kind:
            self.setProperty("kind", kind)
            self.style().unpolish(self)
            self.style().polish(self)

    def list_faults(self) -> None:
        """Everything that went wrong since the start, to be read and copied."""
        self._list = self._list or QDialog(self)
        self._list.setWindowTitle(tr("What went wrong"))
        text = self._list.findChild(QTextBrowser) or self._lay_out_list(self._list)
        text.setPlainText("\n\n".join(reversed(self.faults)) or tr("Nothing went wrong since Grevin was started."))
        self._list.show()

    @staticmethod
    def _lay_out_list(dialog: QDialog) -> QTextBrowser:
        dialog.resize(560, 300)
        text = QTextBrowser()
        text.setAccessibleName(tr("What went wrong"))
        QVBoxLayout(dialog).addWidget(text)
        return text
