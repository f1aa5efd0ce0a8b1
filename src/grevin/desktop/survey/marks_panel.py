"""Marks: put by hand, noted, written to files and read from them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from grevin.core.errors import GrevinError
from grevin.core.job.marks import Mark
from grevin.core.job.marks_files import MarkedReel, read_marks, write_marks
from grevin.desktop.dialogs import files
from grevin.desktop.keys import hint
from grevin.desktop.session import Session
from grevin.desktop.texts import tr

FIRST, LAST, KIND, NOTE = range(4)
KINDS = "Marks (*.csv *.edl *.otio)"


class MarksPanel(QWidget):
    """The table of marks; kind and note are edited in place."""

    told = Signal(str)
    faulted = Signal(object)
    frame_chosen = Signal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._filling = False
        self.table = QTreeWidget()
        self.table.setObjectName("marks")
        self.table.setRootIsDecorated(False)
        self.table.setHeaderLabels([tr("first"), tr("last"), tr("kind"), tr("note")])
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        for column, width in ((FIRST, 78), (LAST, 78), (KIND, 70)):
            self.table.setColumnWidth(column, width)
        self.table.itemChanged.connect(self._edited)
        self.table.itemClicked.connect(
            lambda item, _column: self.frame_chosen.emit(item.data(0, Qt.ItemDataRole.UserRole))
        )
        grid = QGridLayout()
        for place, (name, words, tip, act) in enumerate((
            ("mark", "Mark here", hint("mark"), self.mark_here),
            ("mark_loop", "Mark the loop", "Marks the frames of the loop.", self.mark_loop),
            ("remove", "Remove", "Takes the chosen marks away; undo brings them back.", self.remove),
            ("read", "Read …", "Takes over marks from CSV, an EDL (CMX 3600) or OpenTimelineIO.", self._read),
            ("write", "Write …", "Writes all marks, by the ending: .csv, .edl or .otio.", self._write),
        )):  # fmt: skip
            button = QPushButton(tr(words))
            button.setObjectName(f"do_{name}")
            button.setToolTip(tr(tip))
            button.clicked.connect(lambda _checked=False, act=act: act())
            grid.addWidget(button, place // 3, place % 3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(self.table, 1)
        layout.addLayout(grid)
        self.loop: range | None = None
        for signal in (session.reel_opened, session.parts_changed, session.counter_changed):
            signal.connect(self.refresh)

    def refresh(self, *_: object) -> None:
        """Fill the table anew."""
        self._filling = True
        self.table.clear()
        counter = self._session.counter
        for mark in self._session.parts.marks:
            item = QTreeWidgetItem([counter.text(mark.first), counter.text(mark.last), mark.kind, mark.note])
            item.setData(0, Qt.ItemDataRole.UserRole, mark.first)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.table.addTopLevelItem(item)
        self._filling = False

    def _edited(self, item: QTreeWidgetItem, column: int) -> None:
        if self._filling:
            return
        place = self.table.indexOfTopLevelItem(item)
        if column in {KIND, NOTE}:
            self._session.parts.change_mark(place, **{"kind" if column == KIND else "note": item.text(column).strip()})
        self.refresh()

    def mark_here(self) -> None:
        """Mark the present frame."""
        frame = self._session.place.frame
        if self._session.entry is not None and not self._session.parts.mark(Mark(first=frame, last=frame)):
            self.told.emit(tr("This frame is marked already."))

    def mark_loop(self) -> None:
        """Mark the frames of the loop."""
        if self.loop is None:
            self.told.emit(tr("Set a loop first (Q where it begins, E where it ends)."))
        else:
            self._session.parts.mark(Mark(first=self.loop.start, last=self.loop.stop - 1))

    def remove(self) -> None:
        """Take the chosen marks away."""
        places = {self.table.indexOfTopLevelItem(item) for item in self.table.selectedItems()}
        if not places:
            self.told.emit(tr("Choose marks first."))
        else:
            self._session.parts.remove_marks(places)

    def _reel(self) -> MarkedReel | None:
        entry, reel = self._session.entry, self._session.reel
        if entry is None or reel is None:
            return None
        return MarkedReel(entry.title, self._session.length, self._session.timecode)

    def write(self, path: Path) -> None:
        """Write all marks."""
        reel = self._reel()
        if reel is None:
            return
        try:
            write_marks(path, self._session.parts.marks, reel)
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        self.told.emit(tr("{0} marks written to {1}.", len(self._session.parts.marks), path.name))

    def read(self, path: Path) -> None:
        """Take over marks."""
        reel = self._reel()
        if reel is None:
            return
        try:
            marks = read_marks(path, reel)
        except GrevinError as fault:
            self.faulted.emit(fault)
            return
        changed = self._session.parts.add_marks(marks)
        self.told.emit(
            tr("{0} marks read.", len(marks)) if changed else tr("{0} holds no mark that is new.", path.name)
        )

    def _write(self) -> None:
        path = files.ask_save(self, "marks", tr("Write marks"), KINDS)
        if path is not None:
            self.write(path)

    def _read(self) -> None:
        path = files.ask_one(self, "marks", tr("Read marks"), KINDS)
        if path is not None:
            self.read(path)
