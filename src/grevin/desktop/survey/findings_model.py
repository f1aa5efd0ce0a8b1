"""The findings as a table for Qt: numbers of all rows, the rows themselves fetched when they come into sight."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from grevin.core.job.findings import Finding, FindingsTable, Order
from grevin.core.survey.words import figures_words, kind_words
from grevin.core.timebase.counters import Counter
from grevin.desktop.survey.thumbnails import Thumbnails

PAGE = 200  # rows fetched at once
HEADS: tuple[tuple[str, Order | None], ...] = (
    ("", None), ("frame", "first"), ("finding", "kind"), ("sure", "confidence"), ("verdict", "verdict"),
)  # fmt: skip
VERDICT_WORDS = {"mend": "mend", "leave": "leave", "undecided": ""}
Index = QModelIndex | QPersistentModelIndex
NO_INDEX = QModelIndex()


class FindingsModel(QAbstractTableModel):
    """Rows by number; what is not in sight is not held."""

    def __init__(self, thumbnails: Thumbnails, counter: Any, parent: Any = None) -> None:
        super().__init__(parent)
        self._ids: list[int] = []
        self._rows: dict[int, Finding] = {}
        self._table: FindingsTable | None = None
        self._thumbnails = thumbnails
        self._counter = counter

    def show_rows(self, table: FindingsTable | None, ids: list[int]) -> None:
        """Other rows, or another order."""
        self.beginResetModel()
        self._table, self._ids, self._rows = table, ids, {}
        self.endResetModel()

    def renew(self) -> None:
        """The same rows with other verdicts."""
        self._rows = {}
        if self._ids:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self._ids) - 1, len(HEADS) - 1))

    def renew_picture(self, id_: int) -> None:
        """A picture was made."""
        for row, finding in list(self._rows.items()):
            if finding.id == id_:
                self.dataChanged.emit(self.index(row, 0), self.index(row, 0))

    def finding(self, row: int) -> Finding | None:
        """The finding of a row."""
        if not 0 <= row < len(self._ids) or self._table is None:
            return None
        if row not in self._rows:
            first = row // PAGE * PAGE
            ids = self._ids[first : first + PAGE]
            if len(self._rows) > 20 * PAGE:
                self._rows.clear()
            self._rows.update({first + place: one for place, one in enumerate(self._table.rows(ids))})
        return self._rows.get(row)

    def row_of(self, id_: int) -> int:
        """Row of a finding; -1 where it is not among them."""
        return self._ids.index(id_) if id_ in self._ids else -1

    def rowCount(self, parent: Index = NO_INDEX) -> int:
        return 0 if parent.isValid() else len(self._ids)

    def columnCount(self, parent: Index = NO_INDEX) -> int:
        return 0 if parent.isValid() else len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return HEADS[section][0]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        finding = self.finding(index.row())
        if finding is None:
            return None
        if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
            return self._thumbnails.of(finding)
        if role == Qt.ItemDataRole.DisplayRole and index.column() > 0:
            return self._words(finding, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{kind_words(finding.kind)}, {figures_words(finding.figures)} {finding.words}".strip(", ")
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() == 3:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def _words(self, finding: Finding, column: int) -> str:
        counter: Counter = self._counter()
        if column == 1:
            last = f"\nto {counter.text(finding.last)}" if finding.last > finding.first else ""
            return counter.text(finding.first) + last
        if column == 2:
            figures = figures_words(finding.figures) or finding.words
            return kind_words(finding.kind) + (f"\n{figures}" if figures else "")
        if column == 3:
            return f"{finding.confidence:.2f}"
        return VERDICT_WORDS.get(finding.verdict, finding.verdict)
