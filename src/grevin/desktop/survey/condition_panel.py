"""The condition of the reel in words, and the report that is handed over."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from grevin.core.cache import ByteCache
from grevin.core.errors import GrevinError
from grevin.core.intake.probe import probe
from grevin.core.progress import Progress
from grevin.core.survey.proposal import proposal_for, words_of
from grevin.core.survey.report import Reported, summary_lines
from grevin.core.survey.report_files import check_report_path, write_report
from grevin.core.survey.survey import Survey, run_survey
from grevin.core.treatment.plan import TreatedReel, TreatedSource
from grevin.desktop.dialogs import files
from grevin.desktop.session import Session
from grevin.desktop.texts import tr
from grevin.desktop.work.one_task import OneTask

KINDS = "Condition report (*.html *.pdf *.csv *.json)"
CACHE_BYTES = 160 << 20
MOST_SHOTS = 40


class ConditionPanel(QWidget):
    """Says what is wrong in a few lines; writes the report."""

    told = Signal(str)
    faulted = Signal(object)
    progressed = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._survey: Survey | None = None
        self.task = OneTask("report", self)
        self.task.failed.connect(self.faulted)
        self.task.progressed.connect(self.progressed)
        self.words = QLabel()
        self.words.setObjectName("condition")
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.words)
        self.before = QPushButton(tr("Write the report …"))
        self.before.setObjectName("do_report")
        self.before.setToolTip(
            tr("By the ending: .html or .pdf to hand over, .csv for the curves, .json for everything.")
        )
        self.both = QPushButton(tr("Before and after …"))
        self.both.setObjectName("do_report_both")
        self.both.setToolTip(tr("The treated reel is surveyed too, and the report compares both."))
        self.before.clicked.connect(partial(self._ask, False))
        self.both.clicked.connect(partial(self._ask, True))
        row = QHBoxLayout()
        row.addWidget(self.before)
        row.addWidget(self.both)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(scroll, 1)
        layout.addLayout(row)
        self.show_survey(None)

    def show_survey(self, survey: Survey | None) -> None:
        """What was measured."""
        self._survey = survey
        for button in (self.before, self.both):
            button.setEnabled(survey is not None)
        self.words.setText(tr("Not surveyed yet.") if survey is None else _words(survey))

    def stop(self) -> None:
        """End the thread."""
        self.task.cancel()

    def _ask(self, both: bool, _checked: bool = False) -> None:
        path = files.ask_save(self, "report", tr("Write the condition report"), KINDS)
        if path is not None:
            self.write(path, both)

    def write(self, path: Path, both: bool = False) -> None:
        """Write the report in the background; with `both` the treated reel is surveyed first."""
        session, survey = self._session, self._survey
        if survey is None or session.reel is None or session.entry is None or session.treated is None:
            return
        try:
            check_report_path(path)
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        names = {shot.first: shot.name for shot in session.entry.shots}
        about = Reported(
            session.entry.title, survey, probe(session.reel.reader, session.examined), session.reel, session.timecode,
            names=names,
        )  # fmt: skip
        # a chain of its own: the window's is rebuilt when the treatment changes
        treated = TreatedReel(session.reel, session.plan, ByteCache(CACHE_BYTES), verdicts=session.verdicts)
        work = partial(_write, path, about, treated if both else None)
        self.told.emit(tr("Writing {0} …", path.name))
        self.task.run(work, lambda _done: self.told.emit(tr("{0} is written.", path.name)))


def _words(survey: Survey) -> str:
    lines = [*summary_lines(survey), *([""] if survey.shots else [])]
    for number, (first, last, _) in enumerate(survey.shots[:MOST_SHOTS], 1):
        words = words_of(proposal_for(survey, range(first, last + 1)))
        lines.append(f"Shot {number}, frames {first} to {last}, would gain from: {words}.")
    if len(survey.shots) > MOST_SHOTS:
        lines.append(f"and {len(survey.shots) - MOST_SHOTS} more shots; the report tells them all.")
    return "\n".join(lines)


def _write(path: Path, about: Reported, treated: TreatedReel | None, progress: Progress) -> None:
    """Survey what comes out of the treatment, if it is wanted, and write the report."""
    if treated is not None:
        treated.prepare(progress)
        output = TreatedSource(treated)
        after = run_survey(output, treated.timeline.outputs_in(about.survey.frames), "full", progress)
        about = replace(about, after=after, treated=output, output_of=treated.timeline.output_of)
    progress.begin(0, "Writing the report")
    write_report(path, about)
