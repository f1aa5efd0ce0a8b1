"""Looking findings through: filters, the table, and a verdict by key on each."""

from __future__ import annotations

from bisect import bisect_left
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QItemSelectionModel, QSize, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from grevin.core.job.findings import Finding, Wanted
from grevin.core.job.job_file import JobFile
from grevin.core.picture.geometry import Area
from grevin.core.survey.words import kind_words
from grevin.core.treatment.verdicts import Verdict, Verdicts, Word
from grevin.desktop.keys import hint
from grevin.desktop.session import Session
from grevin.desktop.survey.findings_model import HEADS, FindingsModel
from grevin.desktop.survey.thumbnails import HEIGHT, WIDTH, Thumbnails
from grevin.desktop.texts import tr
from grevin.desktop.work.workers import LatestWorker, Request

SOON_MS = 60
NARROW, WIDE = 46, 86  # of the column that says where: frame numbers, timecode
VERDICTS = (("any verdict", ""), ("undecided", "undecided"), ("mend", "mend"), ("leave", "leave"))
THIS_SHOT = 1  # place in the list of where to look


class FindingsPanel(QWidget):
    """Shows the findings that are wanted; says which one is looked at."""

    looked_at = Signal(object)
    acted = Signal(str)
    told = Signal(str)
    faulted = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.thumbnails = Thumbnails(self)
        self.model = FindingsModel(self.thumbnails, lambda: session.counter, self)
        self._query = LatestWorker("findings", self)
        self._turn = 0
        self._kinds: dict[str, int] = {}
        self._soon = QTimer(self, singleShot=True, interval=SOON_MS)
        self._sight = QTimer(self, singleShot=True, interval=SOON_MS)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        self.kind, self.verdict, self.where = QComboBox(), QComboBox(), QComboBox()
        self.kind.setObjectName("finding_kind")
        self.verdict.setObjectName("finding_verdict")
        self.where.setObjectName("finding_where")
        for words, value in VERDICTS:
            self.verdict.addItem(tr(words), value)
        self.where.addItems([tr("whole reel"), tr("this shot")])
        self.least = QDoubleSpinBox()
        self.least.setRange(0.0, 1.0)
        self.least.setSingleStep(0.05)
        self.least.setPrefix(tr("sure ≥ "))
        self.least.setToolTip(tr("Least confidence of what is listed."))
        self.count = QLabel()
        self.count.setProperty("quiet", True)
        self.view = QTableView()
        self.view.setObjectName("findings")
        self.view.setModel(self.model)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setIconSize(QSize(WIDTH, HEIGHT))
        self.view.setShowGrid(False)
        self.view.setWordWrap(False)
        self.view.verticalHeader().hide()
        self.view.verticalHeader().setDefaultSectionSize(HEIGHT + 6)
        self.view.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        head = self.view.horizontalHeader()
        for column, width in enumerate((WIDTH + 8, NARROW, 0, 42, 52)):
            self.view.setColumnWidth(column, width)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        head.setSortIndicatorShown(True)
        head.setSortIndicator(1, Qt.SortOrder.AscendingOrder)
        head.setSectionsClickable(True)
        self.go_on = QCheckBox(tr("on to the next after a verdict"))
        self.go_on.setChecked(True)
        first, second, third = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        for part in (self.kind, self.verdict):
            first.addWidget(part, 1)
        second.addWidget(self.where, 1)
        second.addWidget(self.least)
        second.addWidget(self.count, 1)
        for act, words in (
            ("doubt_back", "‹"), ("doubt_on", "›"), ("leave", "Leave"), ("mend", "Mend"), ("undecided", "Undecided"),
            ("play_around", "Play it"),
        ):  # fmt: skip
            button = QPushButton(tr(words))
            button.setObjectName(f"finding_{act}")
            button.setToolTip(hint(act))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(partial(self._act, act))
            third.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addLayout(first)
        layout.addLayout(second)
        layout.addWidget(self.view, 1)
        layout.addLayout(third)
        layout.addWidget(self.go_on)

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def _connect(self) -> None:
        session = self._session
        session.reel_opened.connect(self._forget)
        session.findings_changed.connect(self._changed)
        session.counter_changed.connect(self._soon.start)
        self._soon.timeout.connect(self.query)
        self._sight.timeout.connect(self._want_pictures)
        self._query.done.connect(self._take)
        self._query.failed.connect(lambda _tag, fault: self.faulted.emit(fault))
        self.thumbnails.made.connect(self.model.renew_picture)
        self.thumbnails.faulted.connect(self.faulted)
        for box in (self.kind, self.verdict, self.where):
            box.currentIndexChanged.connect(lambda _place: self._soon.start())
        self.least.valueChanged.connect(lambda _value: self._soon.start())
        self.view.horizontalHeader().sortIndicatorChanged.connect(lambda *_: self._soon.start())
        self.view.selectionModel().currentRowChanged.connect(self._look)
        self.view.verticalScrollBar().valueChanged.connect(lambda _value: self._sight.start())

    @property
    def busy(self) -> bool:
        """Whether rows or pictures are on their way."""
        return self._soon.isActive() or self._query.busy or self._sight.isActive() or self.thumbnails.busy

    def stop(self) -> None:
        """End the threads."""
        self._query.stop()
        self.thumbnails.stop()

    def _forget(self) -> None:
        self._query.ask()
        self.thumbnails.forget()
        self.model.show_rows(None, [])
        self.renew()

    def _changed(self) -> None:
        """Verdicts or findings changed: rows stay while one goes through them, but for new ones."""
        kinds = self._session.findings.kinds() if self._session.findings is not None else {}
        if kinds != self._kinds:
            self.renew()
        else:
            self.model.renew()

    def renew(self) -> None:
        """The findings are others."""
        self._kinds = self._session.findings.kinds() if self._session.findings is not None else {}
        chosen = self.kind.currentData()
        self.kind.blockSignals(True)
        self.kind.clear()
        self.kind.addItem(tr("all kinds ({0})", sum(self._kinds.values())), "")
        for kind, count in self._kinds.items():
            self.kind.addItem(f"{tr(kind_words(kind))} ({count})", kind)
        self.kind.setCurrentIndex(max(0, self.kind.findData(chosen)))
        self.kind.blockSignals(False)
        self._soon.start()

    def wanted(self) -> Wanted:
        """What the filters say."""
        header = self.view.horizontalHeader()
        order = HEADS[header.sortIndicatorSection()][1] or "first"
        kind, parts, frame = self.kind.currentData(), self._session.parts, self._session.place.frame
        frames = None
        if self.where.currentIndex() == THIS_SHOT:
            frames = parts.frames(parts.at(frame), self._session.length)
        falling = header.sortIndicatorOrder() == Qt.SortOrder.DescendingOrder
        return Wanted((kind,) if kind else (), self.verdict.currentData(), self.least.value(), frames, order, falling)

    def filters(self) -> dict[str, Any]:
        """The filters as they are, to be remembered."""
        return {
            "kind": self.kind.currentData() or "", "verdict": self.verdict.currentData(),
            "where": self.where.currentIndex(), "least": self.least.value(),
        }  # fmt: skip

    def filter(self, filters: dict[str, Any]) -> None:
        """Set the filters that are remembered; what is not there any more lists everything."""
        for box, name in ((self.kind, "kind"), (self.verdict, "verdict")):
            box.setCurrentIndex(max(0, box.findData(str(filters.get(name, "")))))
        self.where.setCurrentIndex(THIS_SHOT if filters.get("where") == THIS_SHOT else 0)
        least = filters.get("least", 0.0)
        self.least.setValue(least if isinstance(least, int | float) else 0.0)

    def query(self) -> None:
        """Ask for the rows that are wanted, off the GUI thread."""
        job, entry = self._session.job_file, self._session.entry
        if job is None or entry is None:
            return
        self._turn += 1
        make = partial(_query, job.path, entry.id, self._session.verdicts, self.wanted())
        self._query.ask(Request(self._turn, make))

    def _take(self, turn: Any, ids: Any) -> None:
        if turn != self._turn or self._session.findings is None:
            return
        present = self.present()
        self.view.setColumnWidth(1, NARROW if self._session.counter.kind == "frames" else WIDE)
        self.model.show_rows(self._session.findings, ids)
        words = tr("nothing of that kind") if self._kinds else tr("nothing found yet")
        self.count.setText(tr("{0} listed", len(ids)) if ids else words)
        row = self.model.row_of(present.id) if present is not None else -1
        if row >= 0:
            self._select(row)
        self._sight.start()

    def _want_pictures(self) -> None:
        if self._session.chain is None or not self.isVisible():
            return
        first = max(0, self.view.rowAt(0))
        last = self.view.rowAt(self.view.viewport().height() - 1)
        last = last if last >= 0 else self.model.rowCount() - 1
        found = [self.model.finding(row) for row in range(first, last + 1)]
        self.thumbnails.want([one for one in found if one is not None], self._session.chain.source)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._sight.start()

    # Going through

    def present(self) -> Finding | None:
        """The finding that is looked at."""
        index = self.view.selectionModel().currentIndex()
        return self.model.finding(index.row()) if index.isValid() else None

    def _look(self, *_: object) -> None:
        finding = self.present()
        if finding is not None:
            self.looked_at.emit(finding)

    def _select(self, row: int) -> None:
        flags = QItemSelectionModel.SelectionFlag
        index = self.model.index(row, 0)
        self.view.selectionModel().setCurrentIndex(index, flags.ClearAndSelect | flags.Rows)
        self.view.scrollTo(index)

    def step(self, direction: int) -> None:
        """To the next (+1) or previous (-1) finding of the list."""
        index = self.view.selectionModel().currentIndex()
        row = index.row() + direction if index.isValid() else self._first_row(direction)
        if 0 <= row < self.model.rowCount():
            self._select(row)
        else:
            self.told.emit(
                tr("No more findings that way.") if self.model.rowCount() else tr("There are no findings yet.")
            )

    def _first_row(self, direction: int) -> int:
        """Where going through begins: at the present frame where the list is in the order of frames."""
        count, frame = self.model.rowCount(), self._session.place.frame
        wanted = self.wanted()
        if wanted.order != "first" or wanted.falling:
            return 0 if direction > 0 else count - 1
        after = bisect_left(
            range(count), frame, key=lambda row: found.first if (found := self.model.finding(row)) else 0
        )
        return min(after, count - 1) if direction > 0 else after - 1

    def give(self, word: Word) -> None:
        """A verdict on the finding that is looked at."""
        finding, reel = self.present(), self._session.reel
        if finding is None or reel is None:
            self.told.emit(tr("Choose a finding first (.)."))
            return
        whole: Area = (0, 0, reel.format.width, reel.format.height)
        area = finding.area if finding.area[2] else whole
        said = self._session.judge(Verdict(finding.kind, finding.first, area, word))
        more = self.view.selectionModel().currentIndex().row() + 1 < self.model.rowCount()
        if said and more and self.go_on.isChecked():
            self.step(1)


def _query(path: Path, reel: int, verdicts: Verdicts, wanted: Wanted) -> list[int]:
    """Numbers of the findings, over a connection of its own."""
    job = JobFile.open(path)
    try:
        table = job.findings(reel)
        table.judge(verdicts)
        return table.ids(wanted)
    finally:
        job.close()
