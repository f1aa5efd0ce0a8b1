"""The acts of a step's desk on its card: a button each, with its key in the tooltip."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QSizePolicy, QToolButton, QWidget

from grevin.desktop.keys import Key, hint_of
from grevin.desktop.texts import tr

COLUMNS, MANY_COLUMNS, MANY = 2, 3, 8  # of buttons; more of them where there are many


class DeskPanel(QWidget):
    """Buttons for the acts of a desk."""

    acted = Signal(str)

    def __init__(self, keys: tuple[Key, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._buttons: dict[str, QToolButton] = {}
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(3)
        columns = COLUMNS if len(keys) < MANY else MANY_COLUMNS
        for place, key in enumerate(keys):
            button = QToolButton()
            button.setObjectName(key.act)
            button.setText(tr(key.on_card))
            button.setAccessibleName(tr(key.label))
            button.setToolTip(hint_of(key))
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setCheckable(key.holds_tool)
            if columns == MANY_COLUMNS:
                button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            button.clicked.connect(partial(self._act, key.act))
            layout.addWidget(button, place // columns, place % columns)
            self._buttons[key.act] = button

    def _act(self, act: str, _checked: bool = False) -> None:
        self.acted.emit(act)

    def show_held(self, act: str, held: bool) -> None:
        """Whether the tool of an act is in hand."""
        if act in self._buttons:
            self._buttons[act].setChecked(held)
