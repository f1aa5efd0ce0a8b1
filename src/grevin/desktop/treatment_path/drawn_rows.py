"""Things of a step that are drawn on the light table, such as regions and tie lines: a row for each."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from grevin.desktop.style import look as style
from grevin.desktop.texts import tr


class DrawnRows(QWidget):
    """Shows things by their `words`; emits those that are left when one is taken out."""

    changed = Signal(object)

    def __init__(self, empty: str = "", parent: QWidget | None = None) -> None:
        """Make rows.

        Args:
            empty: what is shown where there are no things; "" for nothing at all.
            parent: the widget around it.
        """
        super().__init__(parent)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 2, 0, 0)
        self._layout.setSpacing(2)
        self._things: tuple[Any, ...] | None = None
        self._empty = empty
        if empty:
            self.show_things(())
        else:
            self.hide()

    def show_things(self, things: tuple[Any, ...]) -> None:
        """Show them, or that there are none."""
        if not self._empty:
            self.setVisible(bool(things))
        if things == self._things:
            return
        self._things = things
        while (item := self._layout.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for place, thing in enumerate(things):
            self._layout.addWidget(self._row(place, thing.words))
        if self._empty and not things:
            self._layout.addWidget(self._words(self._empty))

    def _words(self, text: str) -> QLabel:
        words = QLabel(text)
        words.setProperty("quiet", True)
        words.setWordWrap(True)
        return words

    def _row(self, place: int, text: str) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._words(text), 1)
        remove = remove_button()
        remove.clicked.connect(partial(self._remove, place))
        layout.addWidget(remove)
        return row

    def _remove(self, place: int, _checked: bool = False) -> None:
        things = self._things or ()
        self.changed.emit(things[:place] + things[place + 1 :])


def remove_button() -> QToolButton:
    """The button that takes a row out."""
    button = QToolButton()
    button.setObjectName("remove_drawn")
    button.setIcon(style.icon("remove"))
    button.setIconSize(QSize(12, 12))
    button.setToolTip(tr("Take this one out (undo brings it back)."))
    return button
