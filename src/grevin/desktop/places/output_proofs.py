"""The proofs of what was written from a job, and handing it all over."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QScrollArea, QVBoxLayout, QWidget

from grevin.core.job.handing_over import HandedOver, hand_over
from grevin.core.progress import ProgressReport
from grevin.desktop.dialogs import files
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.one_task import OneTask


class Proofs(QWidget):
    """A card for every output that was finished."""

    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._gathering = OneTask("handover", self)
        self._cards = QVBoxLayout()
        self._cards.setAlignment(Qt.AlignmentFlag.AlignTop)
        inner = QWidget()
        inner.setLayout(self._cards)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        self.hand_over = QPushButton(tr("Hand over …"))
        self.hand_over.setObjectName("output_hand_over")
        self.hand_over.setToolTip(
            tr("Gather the outputs with proofs, ledgers and checksums in a folder that explains itself.")
        )
        self.cancel = QPushButton(tr("Cancel"))
        self.cancel.setObjectName("output_hand_over_cancel")
        self.cancel.hide()
        self.bar = QProgressBar()
        self.bar.hide()
        row = QHBoxLayout()
        row.addWidget(self.hand_over)
        row.addWidget(self.bar, 1)
        row.addWidget(self.cancel)
        row.addStretch(0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scroll, 1)
        layout.addLayout(row)
        self.hand_over.clicked.connect(self._ask)
        self.cancel.clicked.connect(self._cancel)
        self._gathering.progressed.connect(self._show_progress)
        self._gathering.failed.connect(self.faulted)

    def show_runs(self) -> None:
        """List the proofs that the job holds."""
        while (item := self._cards.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        runs = self._session.job_file.runs() if self._session.job_file is not None else []
        for done_at, proof in runs:
            self._cards.addWidget(_run_card(done_at, proof))
        if not runs:
            empty = QLabel(tr("Nothing yet."))
            empty.setProperty("quiet", True)
            self._cards.addWidget(empty)
        self.hand_over.setEnabled(bool(runs) and not self.busy)

    def _ask(self) -> None:
        job = self._session.job_file
        if job is None:
            return
        folder = files.ask_save(
            self, "handover", tr("Hand over in a new folder"), proposed=f"{job.path.stem}-handed-over"
        )
        if folder is not None:
            self.begin(Path(folder))

    def begin(self, folder: Path) -> None:
        """Gather everything in a folder, in the background."""
        job = self._session.job_file
        if job is None or self.busy:
            return
        path = job.path
        self._gathering.run(lambda progress: hand_over(path, folder, progress), self._finish)
        self._show_running(True)

    @property
    def busy(self) -> bool:
        """Whether something is being gathered."""
        return self._gathering.busy

    def _cancel(self) -> None:
        self._gathering.cancel()
        self.told.emit(tr("Cancelled; nothing was left behind."))

    def stop(self) -> None:
        """Stop and wait, before the window closes; nothing half-gathered is left."""
        self._gathering.cancel()

    def _show_running(self, on: bool) -> None:
        self.hand_over.setEnabled(not on)
        self.bar.setVisible(on)
        self.cancel.setVisible(on)

    def _show_progress(self, report: ProgressReport | None) -> None:
        """None when it has come to an end."""
        if report is None:
            self._show_running(False)
            return
        self.bar.setRange(0, 1000)
        self.bar.setValue(round(1000 * report.fraction))
        self.bar.setFormat(report.message)

    def _finish(self, done: HandedOver) -> None:
        self.told.emit(done.sentence())


def local_time(moment: str) -> str:
    """A moment that is kept in universal time, as the clock on the wall said it."""
    return f"{datetime.fromisoformat(moment).astimezone():%Y-%m-%d %H:%M}"


def _run_card(done_at: str, proof: dict[str, object]) -> QWidget:
    card = QFrame()
    card.setObjectName("card")
    layout = QVBoxLayout(card)
    title = QLabel(f"{Path(str(proof['output'])).name}   {local_time(done_at)}")
    title.setProperty("title", True)
    title.setToolTip(str(proof["output"]))
    layout.addWidget(title)
    words = QLabel(str(proof["summary"]))
    words.setWordWrap(True)
    layout.addWidget(words)
    return card
