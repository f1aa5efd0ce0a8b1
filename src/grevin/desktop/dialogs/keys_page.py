"""Help: the page of keys, made from the list of keys; a person chooses others here."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QKeySequenceEdit,
    QLabel,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from grevin.desktop.keys import POINTER, Key
from grevin.desktop.own_keys import OwnKeys
from grevin.desktop.steps.desks import every_key
from grevin.desktop.texts import tr

ACT = Qt.ItemDataRole.UserRole
OTHER_KEYBOARDS = "The left hand rests on A S D F; on a keyboard laid out otherwise, choose keys that lie well there."


class KeysPage(QDialog):
    """A window that may stay open beside the work."""

    def __init__(self, keys: OwnKeys, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        self.resize(560, 660)
        self._keys = keys
        self._entries = {key.act: key for key in every_key()}
        self.filter = QLineEdit(placeholderText=tr("Type what you look for, or a key"))
        self.filter.setAccessibleName(tr("Filter of the list of keys"))
        self.list = QTreeWidget()
        self.list.setColumnCount(2)
        self.list.setHeaderLabels([tr("what it does"), tr("keys")])
        self.list.setColumnWidth(0, 370)
        self.list.setAccessibleName(tr("Acts and their keys"))
        self.words = QLabel(tr(OTHER_KEYBOARDS))
        self.words.setWordWrap(True)
        self.edit = QKeySequenceEdit()
        self.edit.setMaximumSequenceLength(1)
        self.edit.setAccessibleName(tr("Press the new key here"))
        self.use = QPushButton(tr("Use this key"))
        self.none = QPushButton(tr("No key"))
        self.back = QPushButton(tr("Its first keys"))
        self.all_back = QPushButton(tr("All first keys"))
        self.use.setToolTip(tr("Give the selected act the key that was pressed in the field"))
        self.none.setToolTip(tr("The selected act has no key any more; it stays in its menu"))
        self.back.setToolTip(tr("The keys that Grevin comes with, for the selected act"))
        self.all_back.setToolTip(tr("The keys that Grevin comes with, for everything"))
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.addWidget(self.edit, 1)
        for button in (self.use, self.none, self.back, self.all_back):
            button.setAutoDefault(False)
            row.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.addWidget(self.filter)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.words)
        layout.addLayout(row)

    def _connect(self) -> None:
        self._keys.changed.connect(self.refresh)
        self.filter.textChanged.connect(self._filter)
        self.list.currentItemChanged.connect(lambda *_: self._tell())
        self.edit.keySequenceChanged.connect(lambda _keys: self._tell())
        self.use.clicked.connect(lambda: self._give(self._pressed()))
        self.none.clicked.connect(lambda: self._give(""))
        self.back.clicked.connect(lambda: self._keys.give_back(self._act()))
        self.all_back.clicked.connect(self._keys.give_all_back)

    def refresh(self) -> None:
        """Show the keys as they are."""
        act = self._act()
        self.list.clear()
        groups: dict[str, QTreeWidgetItem] = {}
        for key in self._entries.values():
            only = tr(", while its card is selected") if key.on_card else ""
            group = groups.get(key.group) or QTreeWidgetItem(self.list, [f"{tr(key.group)}{only}"])
            groups[key.group] = group
            self._add(group, key)
        pointer = QTreeWidgetItem(self.list, [tr("Pointer")])
        for how, words in POINTER:
            QTreeWidgetItem(pointer, [tr(words), tr(how)])
        self.list.expandAll()
        for group in _below(self.list.invisibleRootItem()):
            group.setFirstColumnSpanned(True)
        self._filter(self.filter.text())
        self.choose(act)

    def _add(self, group: QTreeWidgetItem, key: Key) -> None:
        own = tr("   (own)") if self._keys.is_own(key.act) else ""
        item = QTreeWidgetItem(group, [tr(key.label), ", ".join(self._keys.of(key.act)) + own])
        item.setData(0, ACT, key.act)

    def choose(self, act: str) -> None:
        """Select an act."""
        for item in self._items():
            if item.data(0, ACT) == act:
                self.list.setCurrentItem(item)
        self._tell()

    def _items(self) -> list[QTreeWidgetItem]:
        return [item for group in _below(self.list.invisibleRootItem()) for item in _below(group)]

    def _filter(self, text: str) -> None:
        for item in self._items():
            item.setHidden(text.lower() not in f"{item.text(0)} {item.text(1)}".lower())
        for group in _below(self.list.invisibleRootItem()):
            group.setHidden(all(item.isHidden() for item in _below(group)))

    def _act(self) -> str:
        item = self.list.currentItem()
        return str(item.data(0, ACT) or "") if item is not None else ""

    def _pressed(self) -> str:
        return self.edit.keySequence().toString(QKeySequence.SequenceFormat.PortableText)

    def _tell(self) -> None:
        """What pressing the button would mean."""
        act, text = self._act(), self._pressed()
        for button in (self.none, self.back):
            button.setEnabled(bool(act))
        self.use.setEnabled(bool(act and text))
        if not act or not text:
            self.words.setText(tr(OTHER_KEYBOARDS) if not act else tr("Press the new key in the field below."))
            return
        label, clashes = tr(self._entries[act].label), self._keys.clashes(act, text)
        if clashes:
            has = "; ".join(tr(key.label) for key in clashes)
            self.words.setText(tr("{0} is taken: {1}. It would lose the key to: {2}.", text, has, label))
        else:
            self.words.setText(tr("{0} is free. It would be for: {1}.", text, label))

    def _give(self, text: str) -> None:
        self._keys.give(self._act(), text)
        self.edit.clear()


def _below(item: QTreeWidgetItem) -> list[QTreeWidgetItem]:
    children = (item.child(place) for place in range(item.childCount()))
    return [child for child in children if child is not None]
