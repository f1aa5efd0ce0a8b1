"""Whose a key or a turn of the wheel is: the field or list that has the focus, or the window."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QTextBrowser,
    QWidget,
)

from grevin.desktop.held_keys import HeldKeys
from grevin.desktop.spoken_names import give_name

LISTS = (QAbstractItemView, QTextBrowser, QComboBox, QAbstractSlider, QLineEdit, QAbstractSpinBox)
TURNED = (QComboBox, QAbstractSpinBox)
WATCHED = {
    QEvent.Type.Polish, QEvent.Type.Wheel, QEvent.Type.ShortcutOverride, QEvent.Type.KeyPress, QEvent.Type.KeyRelease,
}  # fmt: skip
OWN_KEYS = {
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Home, Qt.Key.Key_End,
    Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Delete,
}  # fmt: skip
OWN_MODIFIERS = {Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.KeypadModifier}


class FocusRules(QObject):
    """The event filter over the whole application: one alone, since every event has to pass it.

    Arrows, Home, End, Page and Del belong to the list or field that has the focus. The wheel changes no field that was
    not chosen first. A button that was clicked does not keep the focus, so that Space goes on playing.
    What takes the focus has a name that can be spoken.
    """

    def __init__(self, held: HeldKeys, parent: QObject) -> None:
        super().__init__(parent)
        self._held = held

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """See events before they are acted on."""
        kind = event.type()
        if kind not in WATCHED:
            return False
        if kind == QEvent.Type.Polish:
            if isinstance(watched, QWidget):
                self.meet(watched)
        elif kind == QEvent.Type.Wheel:
            if isinstance(watched, TURNED) and not watched.hasFocus():
                event.ignore()  # what lies around it may scroll
                return True
        elif isinstance(event, QKeyEvent):
            return self._see_key(watched, event)
        return False

    def _see_key(self, watched: QObject, event: QKeyEvent) -> bool:
        if event.type() != QEvent.Type.ShortcutOverride:
            self._held.see(event)
        elif isinstance(watched, LISTS) and event.key() in OWN_KEYS and event.modifiers() in OWN_MODIFIERS:
            event.accept()
            return True
        return False

    @staticmethod
    def meet(widget: QWidget) -> None:
        """A widget is about to be seen for the first time."""
        if isinstance(widget, QAbstractButton):
            _keep_focus_away(widget)
        elif isinstance(widget, TURNED):
            _by_click_or_tab(widget)
        if widget.focusPolicy() != Qt.FocusPolicy.NoFocus or isinstance(widget, QAbstractButton):
            give_name(widget)


def _keep_focus_away(button: QAbstractButton) -> None:
    if button.focusPolicy() & Qt.FocusPolicy.ClickFocus:
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)


def _by_click_or_tab(field: QWidget) -> None:
    """Fields take the focus by click or Tab, not by the wheel."""
    if field.focusPolicy() == Qt.FocusPolicy.WheelFocus:
        field.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
