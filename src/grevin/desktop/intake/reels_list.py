"""The reels of the job: open one, name them, add and take out."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QEvent, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from grevin.core.intake.naming import EXAMPLE
from grevin.core.job.document import Reel
from grevin.desktop.keys import hint
from grevin.desktop.texts import tr

COLUMNS = ("name", "material", "declared", "treatment", "")
NAME = 0
NAME_KEY = Qt.Key.Key_F2


class _Rows(QTreeWidget):
    """The list itself; Return opens the reel of the row."""

    opened = Signal(int)

    def row(self) -> int:
        """The chosen row, -1 for none."""
        item = self.currentItem()
        return self.indexOfTopLevelItem(item) if item is not None else -1

    def event(self, event: QEvent) -> bool:
        """In the list the key of Intake gives the chosen reel a name."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() == NAME_KEY:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        editing = self.state() == QAbstractItemView.State.EditingState
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and not editing and self.row() >= 0:
            self.opened.emit(self.row())
        else:
            super().keyPressEvent(event)


class ReelsList(QWidget):
    """Shows the reels; says what the person wants done with them."""

    reel_wanted = Signal(int)
    renamed = Signal(int, str)
    named = Signal(str, int)
    removed = Signal(int)
    acted = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = _Rows()
        self.rows.setObjectName("reels")
        self.rows.setHeaderLabels([tr(name) for name in COLUMNS])
        self.rows.setRootIsDecorated(False)
        self.rows.setUniformRowHeights(True)
        self.rows.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.rows.header().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.rows.header().setStretchLastSection(False)
        self.rows.setToolTip(tr("Return or a double click opens a reel; F2 in this list gives it a name."))
        self.rows.opened.connect(self.reel_wanted)
        self.rows.itemDoubleClicked.connect(lambda item: self.reel_wanted.emit(self.rows.indexOfTopLevelItem(item)))
        self.rows.itemChanged.connect(self._rename)
        self.pattern = QLineEdit(EXAMPLE)
        self.pattern.setObjectName("pattern")
        self.pattern.setToolTip(
            tr(
                "Names for all reels: {reel} is a running number ({reel:03} with three digits), {year} this year, "
                "{file} the name of the file, {gauge} the gauge declared."
            )
        )
        self.first = QSpinBox()
        self.first.setObjectName("first_number")
        self.first.setRange(0, 99_999)
        self.first.setValue(1)
        self.first.setToolTip(tr("Number of the first reel."))
        self.name_all = QPushButton(tr("Name all"))
        self.name_all.setObjectName("name_all")
        self.name_all.clicked.connect(lambda: self.named.emit(self.pattern.text(), self.first.value()))
        self.pattern.returnPressed.connect(self.name_all.click)
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        title = QLabel(tr("Reels of this job"))
        title.setProperty("title", True)
        head.addWidget(title, 1)
        for act, words in (("add_reels", "Add files …"), ("add_folder", "Add a folder …")):
            button = QPushButton(tr(words))
            button.setObjectName(act)
            button.setToolTip(hint(act))
            button.clicked.connect(lambda _on=False, name=act: self.acted.emit(name))
            head.addWidget(button)
        remove = QPushButton(tr("Take out"))
        remove.setObjectName("take_out")
        remove.setToolTip(tr("Take the chosen reel out of the job (undo brings it back); its file is not touched."))
        remove.clicked.connect(self._remove)
        head.addWidget(remove)
        naming = QHBoxLayout()
        naming.addWidget(QLabel(tr("Names")))
        naming.addWidget(self.pattern, 1)
        naming.addWidget(QLabel(tr("from number")))
        naming.addWidget(self.first)
        naming.addWidget(self.name_all)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(head)
        layout.addWidget(self.rows, 1)
        layout.addLayout(naming)

    def show_reels(self, reels: tuple[Reel, ...], opened: int) -> None:
        """Show the job's reels; the open one is marked in words."""
        blocker = QSignalBlocker(self.rows)
        chosen = self.rows.row() if self.rows.row() >= 0 else opened
        self.rows.clear()
        for place, reel in enumerate(reels):
            item = QTreeWidgetItem(
                [reel.title, Path(reel.path).name, _declared(reel), _treatment(reel), "open" if place == opened else ""]
            )
            item.setToolTip(1, reel.path)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.rows.addTopLevelItem(item)
            if place == chosen:
                self.rows.setCurrentItem(item)
        for column in (0, 2, 3, 4):
            self.rows.resizeColumnToContents(column)
        blocker.unblock()

    def _rename(self, item: QTreeWidgetItem, column: int) -> None:
        if column == NAME:
            self.renamed.emit(self.rows.indexOfTopLevelItem(item), item.text(NAME))

    def _remove(self) -> None:
        if self.rows.row() >= 0:
            self.removed.emit(self.rows.row())


def _declared(reel: Reel) -> str:
    declared = reel.declared
    words = [declared.gauge, f"{declared.rate} frames/s" if declared.rate else None]
    words.append("trimmed" if declared.head or declared.tail else None)
    words.append("turned or flipped" if declared.turn or declared.flip_sideways or declared.flip_upright else None)
    return ", ".join(word for word in words if word)


def _treatment(reel: Reel) -> str:
    acting = [step.step for step in reel.treatment.steps if step.enabled]
    return ", ".join(acting) or "none"
