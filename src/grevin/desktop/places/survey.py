"""Survey: the condition of the reel. The picture, what was found, shots, marks, and curves over the whole length."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from grevin.core.job.findings import Finding
from grevin.core.progress import ProgressReport
from grevin.core.survey.lanes import Lanes
from grevin.core.survey.survey import Survey
from grevin.core.treatment.verdicts import Word
from grevin.desktop.keys import hint
from grevin.desktop.light_table.drawing import Drawing
from grevin.desktop.light_table.light_table import LightTable
from grevin.desktop.light_table.marks import OutlineMark
from grevin.desktop.places.time_bar import TimeBar
from grevin.desktop.session import Session
from grevin.desktop.survey.chart import Over, SurveyChart
from grevin.desktop.survey.condition_panel import ConditionPanel
from grevin.desktop.survey.findings_panel import FindingsPanel
from grevin.desktop.survey.marks_panel import MarksPanel
from grevin.desktop.survey.shots_panel import ShotsPanel
from grevin.desktop.texts import tr
from grevin.desktop.work.looks import Look, Ways
from grevin.desktop.work.surveying import Surveying

SIDE_WIDTH = 404
AROUND_S = 0.6  # seconds that are played on either side of a finding
PAGES = ("Findings", "Shots", "Marks", "Condition")


class SurveyPlace(QWidget):
    """The place where a reel is looked through."""

    acted = Signal(str)
    told = Signal(str)
    faulted = Signal(object)
    play_wanted = Signal(object)

    def __init__(self, session: Session, surveying: Surveying, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.surveying = surveying
        self.table = LightTable()
        self.table.setObjectName("survey_picture")
        self.time_bar = TimeBar()
        self.chart = SurveyChart()
        self.side = QWidget(self)
        self.pages = QStackedWidget(self.side)
        self.findings = FindingsPanel(session, self.pages)
        self.shots = ShotsPanel(session, self.pages)
        self.marks = MarksPanel(session, self.pages)
        self.condition = ConditionPanel(session, self.pages)
        self._finding: Finding | None = None
        self._lay_out()
        self._connect()
        self._show_state()

    def _lay_out(self) -> None:
        self.state = QLabel()
        self.state.setObjectName("survey_state")
        self.state.setWordWrap(True)
        self.bar = QProgressBar()
        buttons = QHBoxLayout()
        self.begin, self.quick, self.pause, self.halt = (QPushButton() for _ in range(4))
        for button, name, words, act in (
            (self.begin, "survey", "Survey", partial(self.acted.emit, "survey")),
            (self.quick, "quick", "Quick survey", partial(self.acted.emit, "quick_survey")),
            (self.pause, "pause", "Pause", lambda: self.surveying.pause(not self.surveying.paused)),
            (self.halt, "halt", "Stop", self.surveying.cancel),
        ):  # fmt: skip
            button.setText(tr(words))
            button.setObjectName(f"do_{name}")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _checked=False, act=act: act())
            buttons.addWidget(button)
        self.begin.setToolTip(hint("survey"))
        self.quick.setToolTip(hint("quick_survey"))
        self.pause.setToolTip(tr("Pause, so that viewing has the processors to itself."))
        self.halt.setToolTip(tr("Ends it; what was measured is kept, and the next survey goes on from there."))
        tabs = QHBoxLayout()
        self._tabs: list[QToolButton] = []
        for place, part in enumerate((self.findings, self.shots, self.marks, self.condition)):
            tab = QToolButton()
            tab.setText(tr(PAGES[place]))
            tab.setObjectName(f"page_{PAGES[place].lower()}")
            tab.setCheckable(True)
            tab.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            tab.clicked.connect(partial(self.show_page, place))
            tabs.addWidget(tab, 1)
            self._tabs.append(tab)
            self.pages.addWidget(part)
        side = QVBoxLayout(self.side)
        side.setContentsMargins(8, 6, 8, 6)
        side.addWidget(self.state)
        side.addWidget(self.bar)
        side.addLayout(buttons)
        side.addLayout(tabs)
        side.addWidget(self.pages, 1)
        self.side.setFixedWidth(SIDE_WIDTH)
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.table, 1)
        middle.addWidget(self.time_bar)
        middle.addWidget(self.chart)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(middle, 1)
        layout.addWidget(self.side)
        self.show_page(0)

    def _connect(self) -> None:
        session = self._session
        session.reel_opened.connect(self._forget)
        session.place_changed.connect(lambda _place: self._show_place())
        session.parts_changed.connect(self._show_over)
        session.findings_changed.connect(self._show_outline)
        self.chart.frame_chosen.connect(session.go)
        self.shots.frame_chosen.connect(session.go)
        self.marks.frame_chosen.connect(session.go)
        self.findings.looked_at.connect(self._look_at)
        self.findings.acted.connect(self.acted)
        self.time_bar.acted.connect(self.acted)
        self.time_bar.frame_typed.connect(session.go)
        self.time_bar.counter_chosen.connect(session.count_in)
        for told in (self.findings.told, self.shots.told, self.marks.told, self.condition.told):
            told.connect(self.told)
        for faulted in (self.findings.faulted, self.marks.faulted, self.condition.faulted, self.time_bar.faulted):
            faulted.connect(self.faulted)
        self.surveying.changed.connect(self._show_state)
        self.surveying.progressed.connect(lambda _report: self._show_state())

    @property
    def busy(self) -> bool:
        """Whether something is on its way."""
        return self.findings.busy or self.condition.task.busy

    def stop(self) -> None:
        """End the threads."""
        self.findings.stop()
        self.condition.stop()

    def only_picture(self, on: bool) -> None:
        """The light table alone, for the full screen."""
        for part in (self.side, self.time_bar, self.chart):
            part.setVisible(not on)

    def show_page(self, place: int, _checked: bool = False) -> None:
        """Findings, shots, marks or condition."""
        self.pages.setCurrentIndex(place)
        for number, tab in enumerate(self._tabs):
            tab.setChecked(number == place)

    # Showing

    def _forget(self) -> None:
        self._finding = None
        self.table.show_words(tr("Reading the first picture …"))
        self._show_place()
        self._show_state()

    def show_look(self, look: Look) -> None:
        """The picture of the present frame, treated as far as the view point says."""
        self.table.show_look(look)
        self._show_outline()

    def show_before(self, before: bool) -> None:
        """The source while held."""
        self.table.show_ways(Ways(), Drawing(before=before))

    def show_lanes(self, lanes: Lanes | None) -> None:
        """Curves as far as they are known."""
        self.chart.show_lanes(self._session.length, lanes)
        self._show_over()

    def refresh(self) -> None:
        """More is known."""
        self.chart.refresh()
        self._show_over()
        if self.isVisible() and not self.surveying.running:
            self.shots.refresh()

    def _show_place(self) -> None:
        session = self._session
        if session.reel is None:
            return
        self.chart.show_frame(session.place.frame)
        feet = session.reel.declared.gauge is not None
        self.time_bar.show_place(session.place.frame, session.kept, session.counter, feet)
        self._show_outline()

    def _show_over(self) -> None:
        parts = self._session.parts
        shots = parts.shots
        titles = tuple(shot.name for shot in shots) if any(shot.name for shot in shots) else ()
        found = range(self._finding.first, self._finding.last + 1) if self._finding is not None else None
        self.chart.show_over(Over(tuple(shot.first for shot in shots if shot.first), titles, found))

    def _show_outline(self) -> None:
        finding, frame = self._finding, self._session.place.frame
        marks: tuple[OutlineMark, ...] = ()
        if finding is not None and finding.area[2] and finding.first <= frame <= finding.last:
            verdict = self._session.verdicts.word_on(finding.kind, finding.first, finding.area)
            marks = (OutlineMark(finding.area, "left" if verdict == "leave" else "picked"),)
        self.table.show_marks(marks, "")

    def _look_at(self, finding: Finding) -> None:
        self._finding = finding
        self._session.go(finding.first)
        self._session.view_before(finding.kind)
        self._show_over()
        self._show_outline()
        if finding.area[2]:
            x, y, width, height = finding.area
            self.table.show_middle(x + width / 2, y + height / 2)

    # Survey

    def show_survey(self, survey: Survey | None) -> None:
        """What was measured, or that nothing was."""
        self.shots.show_survey(survey)
        self.condition.show_survey(survey)

    def _show_state(self) -> None:
        running, report, survey = self.surveying.running, self.surveying.report, self.surveying.survey
        self.bar.setVisible(running)
        self.pause.setVisible(running)
        self.halt.setVisible(running)
        self.begin.setVisible(not running)
        self.quick.setVisible(not running and survey is None)
        self.pause.setText(tr("Go on") if self.surveying.paused else tr("Pause"))
        self.begin.setText(tr("Survey") if survey is None or survey.cadence is None else tr("Survey again"))
        if running:
            self._show_progress(report)
        elif survey is None:
            self.state.setText(tr("Not surveyed yet. A survey measures every frame once; you can go on working."))
        else:
            depth = "Surveyed" if survey.cadence is not None else "Surveyed quickly, every fifth frame"
            run = survey.frames
            part = (
                f", {run.start} to {run[-1]}" if len(run) and run.step == 1 and len(run) < self._session.length else ""
            )
            self.state.setText(tr("{0}: {1} frames{2}.", depth, len(run), part))

    def _show_progress(self, report: ProgressReport | None) -> None:
        if report is None:
            self.state.setText(tr("Beginning …"))
            self.bar.setRange(0, 0)
            return
        self.bar.setRange(0, max(1, report.total))
        self.bar.setValue(report.done)
        left = report.seconds_left
        words = "Paused" if self.surveying.paused else "Surveying"
        rest = (
            f", about {_duration(left)} left"
            if left is not None and report.done > 5 and not self.surveying.paused
            else ""
        )
        self.state.setText(tr("{0}: frame {1} of {2}{3}.", words, report.done, report.total, rest))

    # Going through findings

    def step(self, direction: int) -> None:
        """To another finding."""
        self.show_page(0)
        self.findings.step(direction)

    def give(self, word: Word) -> None:
        """A verdict on the finding that is looked at."""
        self.findings.give(word)

    def play_around(self) -> None:
        """Play the finding with a little before and after it, in a loop."""
        reel = self._session.reel
        if reel is None:
            return
        frame = self._session.place.frame
        first, last = (self._finding.first, self._finding.last) if self._finding is not None else (frame, frame)
        around = max(3, round(AROUND_S * float(reel.format.rate)))
        self.play_wanted.emit(range(max(0, first - around), min(self._session.length, last + around + 1)))


def _duration(seconds: float) -> str:
    whole = round(seconds)
    if whole < 90:
        return f"{whole} s"
    return f"{whole // 60} min" if whole < 5400 else f"{whole // 3600} h {whole % 3600 // 60} min"
