"""Output: what is to be written, its progress, and the proof of what was written."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import get_args

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from grevin.core.errors import CancelledError
from grevin.core.job.job_file import JobFile
from grevin.core.job.measured import MeasuredFile
from grevin.core.picture.depth import DEPTHS
from grevin.core.progress import Progress, ProgressReport
from grevin.core.render.proof import Proof
from grevin.core.render.run import RunRequest, Sound, run
from grevin.desktop.dialogs import files
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.workers import Task

VERSIONS = (
    ("Archive master: FFV1 in Matroska, source's own chroma and depth", "{stem}-treated.mkv"),
    ("TIFF sequence", "{stem}-treated/{stem}.%06d.tif"),
    ("PNG sequence", "{stem}-treated/{stem}.%06d.png"),
)


class Output(QWidget):
    """The place where versions are written."""

    told = Signal(str)
    faulted = Signal(object)
    written = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._task: Task | None = None
        self._kept = range(0)
        self.version = QComboBox()
        self.path = QLineEdit()
        self.first = QSpinBox()
        self.last = QSpinBox()
        self.evidence = QCheckBox(tr("Evidence pictures beside it"))
        self.ledger = QCheckBox(tr("Ledger (CSV) beside it"))
        self.overwrite = QCheckBox(tr("Overwrite existing files"))
        self.write = QPushButton(tr("Write"))
        self.cancel = QPushButton(tr("Cancel"))
        self.sound = QComboBox()
        for sound in get_args(Sound):
            self.sound.addItem(tr(sound), sound)
        self.sound.setToolTip(
            tr(
                "Sound is carried over untouched where the picture plays as long as before. Where it does not: "
                "padded keeps its speed, with silence or a cut at its end; re-timed plays it at another speed, its "
                "pitch with it."
            )
        )
        self.bits = QComboBox()
        self.bits.addItem(tr("as the material"), None)
        for bits in DEPTHS:
            self.bits.addItem(tr("{0} bit", bits), bits)
        self.bits.setToolTip(
            tr(
                "More bits keep what a step that changes whole pictures made between two code values; samples that "
                "nothing changed keep their values."
            )
        )
        self.dither = QCheckBox(tr("Dither"))
        self.dither.setToolTip(tr("Round what a step changed with fine noise, so that soft gradients show no steps."))
        self.bar = QProgressBar()
        self.result = QLabel()
        self._runs = QVBoxLayout()
        self._lay_out()
        self.version.currentIndexChanged.connect(self._suggest)
        self.write.clicked.connect(self.start)
        self.cancel.clicked.connect(self.stop_writing)
        session.reel_opened.connect(self._show_reel)
        session.declared_changed.connect(self._follow_trims)

    def _lay_out(self) -> None:
        for label, _ in VERSIONS:
            self.version.addItem(tr(label))
        for name in (
            "version",
            "path",
            "first",
            "last",
            "sound",
            "bits",
            "dither",
            "evidence",
            "ledger",
            "overwrite",
            "write",
            "cancel",
            "result",
        ):
            getattr(self, name).setObjectName(f"output_{name}")
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignRight)
        form.addRow(tr("Version"), self.version)
        row = QHBoxLayout()
        row.addWidget(self.path, 1)
        browse = QPushButton(tr("Choose …"))
        browse.clicked.connect(self._browse)
        row.addWidget(browse)
        form.addRow(tr("Write to"), row)
        frames = QHBoxLayout()
        frames.addWidget(self.first)
        frames.addWidget(QLabel(tr("to")))
        frames.addWidget(self.last)
        frames.addStretch(1)
        form.addRow(tr("Frames"), frames)
        form.addRow(tr("Sound"), self.sound)
        depth = QHBoxLayout()
        depth.addWidget(self.bits)
        depth.addWidget(self.dither)
        depth.addStretch(1)
        form.addRow(tr("Depth"), depth)
        for box in (self.evidence, self.ledger, self.overwrite):
            form.addRow("", box)
        self.write.setProperty("strong", True)
        self.write.setToolTip(
            tr("Written under a temporary name, read back, then renamed. The source is never written to.")
        )
        self.cancel.hide()
        self.bar.hide()
        buttons = QHBoxLayout()
        self.write.setMinimumWidth(140)
        buttons.addWidget(self.write)
        buttons.addWidget(self.cancel)
        buttons.addWidget(self.bar, 1)
        buttons.addStretch(0)
        form.addRow("", buttons)
        self.result.setWordWrap(True)
        self.result.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        form.addRow("", self.result)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 12)
        self._treated = QLabel()
        self._treated.setProperty("title", True)
        layout.addWidget(self._treated)
        layout.addLayout(form)
        heading = QLabel(tr("Written from this job, with proof"))
        heading.setProperty("title", True)
        layout.addSpacing(10)
        layout.addWidget(heading)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        inner = QWidget()
        inner.setLayout(self._runs)
        self._runs.setAlignment(Qt.AlignmentFlag.AlignTop)
        scroll.setWidget(inner)
        layout.addWidget(scroll, 1)

    def _show_reel(self) -> None:
        self.show_length()
        self._kept = range(0)
        self._follow_trims()
        self.result.clear()
        self._suggest()
        self.show_facts()
        self.show_runs()

    def _follow_trims(self) -> None:
        """Other trims: all that is kept is written, until another range is chosen."""
        kept = self._session.kept
        if kept != self._kept:
            self._kept = kept
            self.first.setValue(kept.start)
            self.last.setValue(kept.stop - 1)

    def show_length(self) -> None:
        """The reel grew while it was being indexed: a range that ended with it still does."""
        last = max(0, self._session.length - 1)
        follows = self.last.value() == self.last.maximum()
        for box in (self.first, self.last):
            box.setRange(0, last)
        if follows:
            self.last.setValue(self._session.kept.stop - 1)

    def _suggest(self) -> None:
        reels = self._session.document.reels
        if reels:
            source = Path(reels[self._session.reel_index].path)
            pattern = VERSIONS[self.version.currentIndex()][1]
            stem = (source.stem if source.suffix else source.name).split("%")[0].rstrip("._-") or "reel"
            self.path.setText(str(source.parent / pattern.format(stem=stem)))

    def show_facts(self) -> None:
        """Say what would be written."""
        treatments = self._session.plan.treatments()
        steps = dict.fromkeys(step.step for one in treatments for step in one.steps if step.enabled)
        words = "treated: " + ", ".join(steps) if steps else "not treated: this would be a plain copy"
        words += f"; {len(treatments)} different treatments, shot by shot" if len(treatments) > 1 else ""
        chain = self._session.chain
        fmt = chain.size_format.describe() if chain is not None else ""
        self._treated.setText(f"{fmt}, {words}")

    def show_runs(self) -> None:
        """List the proofs that the job holds."""
        while (item := self._runs.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        runs = self._session.job_file.runs() if self._session.job_file is not None else []
        for done_at, proof in runs:
            self._runs.addWidget(_run_card(done_at, proof))
        if not runs:
            empty = QLabel(tr("Nothing yet."))
            empty.setProperty("quiet", True)
            self._runs.addWidget(empty)

    def _browse(self) -> None:
        path = files.ask_save(self, "output", tr("Write to"), proposed=self.path.text())
        if path is not None:
            self.path.setText(str(path))

    @property
    def writing(self) -> bool:
        """Whether something is being written."""
        return self._task is not None

    def start(self) -> None:
        """Write what the form says."""
        reel, plan, entry = self._session.reel, self._session.plan, self._session.entry
        if reel is None or entry is None or self._session.job_file is None or self._task is not None:
            return
        job_path, reel_id = self._session.job_file.path, entry.id
        output = Path(self.path.text()).expanduser()
        stem = output.stem.split("%")[0].rstrip("._")
        request = RunRequest(
            output,
            range(self.first.value(), self.last.value() + 1),
            output.parent / f"{stem}-evidence" if self.evidence.isChecked() else None,
            output.parent / f"{stem}-ledger.csv" if self.ledger.isChecked() else None,
            self.overwrite.isChecked(),
            self._session.verdicts,
            self.sound.currentData(),
            self.bits.currentData(),
            self.dither.isChecked(),
        )
        if not request.frames:
            self.result.setText(tr("The last frame lies before the first: choose a run of frames."))
            return

        def work(progress: Progress) -> Proof:
            proof = run(reel, plan, request, progress, MeasuredFile(job_path))
            JobFile.record_run(job_path, reel_id, proof.data(), proof.rows)
            proof.rows.close()
            return proof

        self._task = Task(work, "write", self)
        self._task.progressed.connect(self._show_progress)
        self._task.done.connect(self._finish)
        self._task.failed.connect(self._fail)
        self._show_running(True)
        self.result.setText(tr("Writing aside; the output gets its name when it is proved."))
        self._task.start()

    def stop_writing(self) -> None:
        """Ask the run to stop."""
        if self._task is not None:
            self._task.cancel()

    def stop(self) -> None:
        """Stop and wait, before the window closes."""
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None

    def _show_running(self, running: bool) -> None:
        self.write.setEnabled(not running)
        self.cancel.setVisible(running)
        self.bar.setVisible(running)

    def _show_progress(self, report: ProgressReport) -> None:
        self.bar.setRange(0, max(1, report.total))
        self.bar.setValue(report.done)
        left = report.seconds_left
        rest = f", {left:.0f} s left" if left is not None else ""
        self.bar.setFormat(f"{report.message} {report.done}/{report.total}{rest}")

    def _finish(self, proof: Proof) -> None:
        self._task = None
        self._show_running(False)
        self.result.setText(tr("Proved. ") + " ".join((proof.sentence(), *proof.notes)))
        self.show_runs()
        self.told.emit(tr("{0} is written and proved.", Path(proof.output).name))
        self.written.emit()

    def _fail(self, fault: Exception) -> None:
        self._task = None
        self._show_running(False)
        if isinstance(fault, CancelledError):
            self.result.setText(tr("Cancelled; nothing was left behind."))
        else:
            self.result.setText(tr("Not written."))
            self.faulted.emit(fault)


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
