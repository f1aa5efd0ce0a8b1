"""Keys that last while they are held, and leaving a field, so that keys act again."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QWidget,
)

from grevin.desktop.light_table.light_table import LightTable

LEAVING_KEYS = {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape}
USES_SPACE = (QLineEdit, QAbstractSpinBox, QAbstractButton, QComboBox, QAbstractItemView)


class HeldKeys:
    """Sees every key of the application, deaf while the window is not the active one."""

    def __init__(
        self, window: QWidget, table: Callable[[], LightTable | None], before: Callable[[bool], object],
        play: Callable[[], object], keys: Callable[[str], tuple[str, ...]],
    ) -> None:  # fmt: skip
        """Listen.

        Args:
            window: the window that has to be active.
            table: the light table in sight, None where there is none.
            before: told whether the source is wanted.
            play: play or stop.
            keys: the keys of an act.
        """
        self._window = window
        self._table = table
        self._before = before
        self._play = play
        self._keys = keys
        self._held_before = False

    def see(self, event: QKeyEvent) -> None:
        """See a key before it is acted on; none is taken away."""
        if not self._window.isActiveWindow():
            return
        pressed = event.type() == QEvent.Type.KeyPress
        released = event.type() == QEvent.Type.KeyRelease
        plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
        field = QApplication.focusWidget()
        typing = isinstance(field, QLineEdit | QAbstractSpinBox)
        begins = pressed and plain and not event.isAutoRepeat()
        ends = released and not event.isAutoRepeat()  # whatever else is down by now
        if self._is(event, "before") and ((begins and not typing) or (ends and self._held_before)):
            self._held_before = begins
            self._before(begins)
        if self._is(event, "play") and (ends or (begins and not isinstance(field, USES_SPACE))):
            self._space(begins, ends)
        table = self._table()
        if pressed and typing and event.key() in LEAVING_KEYS and table is not None:
            QTimer.singleShot(0, lambda: table.setFocus(Qt.FocusReason.OtherFocusReason))

    def _is(self, event: QKeyEvent, act: str) -> bool:
        """Whether it is the key of an act, whatever modifiers are down."""
        return any(QKeySequence(text)[0].key() == event.key() for text in self._keys(act))  # type: ignore[index]

    def _space(self, pressed: bool, released: bool) -> None:
        """Space moves the picture while it is down; let go without having moved it, it plays or stops."""
        table = self._table()
        if table is None:
            return
        if pressed:
            table.hold_space(True)
        elif released and table.panning_by_space and not table.hold_space(False):
            self._play()
