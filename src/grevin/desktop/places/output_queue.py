"""The queue in the place Output: what is ordered, how far it is, and what can be done about it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from grevin.core.errors import GrevinError, UsageError
from grevin.core.job.queue import Queue, Queued
from grevin.core.media.codings import CODINGS
from grevin.desktop.texts import tr

HEADS = ("Output", "As", "State")
NAMES = ("go_on", "hold", "first", "again", "remove")


class QueueList(QWidget):
    """Orders of all jobs, those of other windows and commands too."""

    wanted = Signal()
    held = Signal(int)
    faulted = Signal(object)

    def __init__(self, queue: Queue, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._queue = queue
        self._shown: list[Queued] = []
        self.table = QTableWidget(0, len(HEADS))
        self.table.setObjectName("output_queue")
        self.table.setAccessibleName(tr("Queue"))
        self.table.setHorizontalHeaderLabels([tr(head) for head in HEADS])
        self.table.verticalHeader().hide()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        header.resizeSection(0, 210)
        header.resizeSection(1, 130)
        header.setStretchLastSection(True)
        self.fault = QLabel()
        self.fault.setObjectName("queue_fault")
        self.fault.setWordWrap(True)
        self.table.itemSelectionChanged.connect(self._show_acts)
        self.go_on, self.hold, self.first, self.again, self.remove = (
            QPushButton(tr(words)) for words in ("Work off what waits", "Hold", "To the front", "Again", "Remove")
        )
        self.go_on.setToolTip(tr("Write what is ordered, one after the other."))
        self.hold.setToolTip(tr("Stop for now: what was made is kept, and it goes on with it later."))
        self.remove.setToolTip(tr("Take it out of the queue; what was written stays."))
        row = QHBoxLayout()
        for name in NAMES:
            button = getattr(self, name)
            button.setObjectName(f"queue_{name}")
            row.addWidget(button)
        row.addStretch(1)
        self.go_on.clicked.connect(self.wanted)
        self.hold.clicked.connect(self._hold)
        self.first.clicked.connect(lambda: self._act(queue.first))
        self.again.clicked.connect(lambda: self._act(lambda number: queue.put(number, "waiting")))
        self.remove.clicked.connect(lambda: self._act(queue.remove))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.fault)
        layout.addWidget(self.table, 1)
        layout.addLayout(row)
        self.show_orders()

    def show_orders(self) -> None:
        """Read the queue anew; what is selected stays so."""
        selected = self.selected
        orders, words = self._read()
        self.fault.setText(words)
        self.fault.setVisible(bool(words))
        if [one.id for one in orders] != [one.id for one in self._shown]:
            self.table.setRowCount(len(orders))
        self._shown = orders
        for row, one in enumerate(orders):
            for column, words in enumerate(_words(one)):
                item = self.table.item(row, column) or QTableWidgetItem()
                if item.text() != words:
                    item.setText(words)
                    item.setToolTip(words)
                if self.table.item(row, column) is None:
                    self.table.setItem(row, column, item)
            if selected is not None and one.id == selected.id:
                self.table.selectRow(row)
        self._show_acts()

    def _read(self) -> tuple[list[Queued], str]:
        """The orders, or why there are none to be seen."""
        try:
            return self._queue.orders(), ""
        except GrevinError as fault:
            return [], f"{fault.what} {fault.hint}"

    @property
    def waiting(self) -> int:
        """How many of the orders that are shown wait."""
        return sum(one.state == "waiting" for one in self._shown)

    @property
    def selected(self) -> Queued | None:
        """The order that is selected."""
        rows = self.table.selectionModel().selectedRows()
        return self._shown[rows[0].row()] if rows and rows[0].row() < len(self._shown) else None

    def _show_acts(self) -> None:
        one = self.selected
        state = one.state if one is not None else ""
        self.go_on.setEnabled(self.waiting > 0)
        self.hold.setEnabled(state in {"waiting", "running"})
        self.first.setEnabled(state == "waiting")
        self.again.setEnabled(state in {"held", "failed"})
        self.remove.setEnabled(state in {"waiting", "held", "done", "failed"})

    def _act(self, act: object) -> None:
        one = self.selected
        if one is not None:
            try:
                act(one.id)  # type: ignore[operator]
            except GrevinError as fault:
                self.faulted.emit(fault)
            self.show_orders()

    def _hold(self) -> None:
        one = self.selected
        if one is None:
            return
        if one.state == "running":
            self.held.emit(one.id)
        else:
            self._act(lambda number: self._queue.put(number, "held"))


def _words(one: Queued) -> tuple[str, str, str]:
    """Output, coding and state for people."""
    try:
        order = one.order
    except UsageError:
        return tr("ordered by another version of Grevin"), "", tr(one.state)
    coding = CODINGS[order.coding].label if order.coding in CODINGS else Path(order.output).suffix[1:].upper()
    whole = order.stop <= order.first
    frames = tr("the whole reel") if whole else tr("frames {0} to {1}", order.first, order.stop - 1)
    state = {
        "waiting": tr("waits, {0}", frames), "held": tr("held, {0}", frames),
        "running": tr("{0} of {1} frames", one.done, one.total) if one.total else tr("begins"),
        "done": tr("written and proved"), "failed": one.words,
    }[one.state]  # fmt: skip
    return Path(order.output).name, coding, state
