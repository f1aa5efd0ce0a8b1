"""Menus and their entries, made from the list of keys; which entries hold now."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu, QWidget

from grevin.desktop.keys import Key, hint_of
from grevin.desktop.own_keys import OwnKeys
from grevin.desktop.steps.desks import every_key
from grevin.desktop.texts import tr

# the letter that opens a menu with Alt; none of them is a key with Alt
TITLES = {
    "Job": "&Job", "Change": "Cha&nge", "Region": "Re&gion", "Step": "S&tep", "Go": "G&o", "Look": "&Look",
    "Verdict": "V&erdict", "Survey": "S&urvey", "Measure": "&Measure", "Place": "&Place", "Help": "&Help",
}  # fmt: skip

# what a right click offers
ON_PICTURE = (
    "zoom_fit", "zoom_100", "", "wipe", "side", "difference", "taken", "evidence", "another_source", "",
    "draw_rectangle", "draw_ellipse", "draw_polygon", "", "measure_whole", "mark", "one_picture",
)  # fmt: skip
ON_FRAMES = ("mark", "split_shot", "join_shot", "", "loop_start", "loop_end", "loop_shot", "loop_all", "", "count")
ON_PATH = (
    "add_step", "step_rests", "step_again", "step_earlier", "step_later", "step_out", "", "test_strip", "measure_left",
    "copy_regions",
    "paste_regions", "", "save_recipe", "take_recipe",
)  # fmt: skip
ON_FINDINGS = ("mend", "leave", "undecided", "play_around", "", "doubt_on", "doubt_back")


class Menus(QObject):
    """The entries of a window's menus."""

    wanted = Signal(str)

    def __init__(self, window: QMainWindow, keys: OwnKeys, states: Mapping[str, Callable[[], bool]]) -> None:
        """Fill the menu bar.

        Args:
            window: whose menu bar, and in which the keys act.
            keys: the keys of each act.
            states: what tells whether an act is on, for those that switch something.
        """
        super().__init__(window)
        self._window = window
        self._keys = keys
        self._states = states
        self.actions: dict[str, QAction] = {}
        self._hints: dict[str, str] = {}
        self._menus: dict[str, QMenu] = {}
        sections: set[str] = set()
        for key in every_key():
            menu = self._menu(key.menu)
            if key.on_card and key.group not in sections:
                sections.add(key.group)
                menu.addSection(tr(key.group))
            if not key.held:
                menu.addAction(self._make(key))
        self._give_keys()
        keys.changed.connect(self._give_keys)

    def _menu(self, name: str) -> QMenu:
        if name not in self._menus:
            self._menus[name] = self._window.menuBar().addMenu(tr(TITLES[name]))
            self._menus[name].aboutToShow.connect(self.show_states)
        return self._menus[name]

    def _make(self, key: Key) -> QAction:
        action = QAction(tr(key.label), self._window)
        action.setObjectName(f"act_{key.act}")
        action.setCheckable(key.act in self._states)
        action.triggered.connect(lambda _checked, act=key.act: self.wanted.emit(act))
        self._window.addAction(action)  # keys go on acting while the menu is hidden on the full screen
        self.actions[key.act] = action
        return action

    def _give_keys(self) -> None:
        """The keys as they are now, also in tooltips that were made with those of before."""
        changed: dict[str, str] = {}
        for key in every_key():
            action, told = self.actions.get(key.act), hint_of(key)
            if action is not None and not key.on_release:
                action.setShortcuts([QKeySequence(text) for text in self._keys.of(key.act)])
            changed[self._hints.get(key.act, told)] = told
            self._hints[key.act] = told
        for widget in self._window.findChildren(QWidget):
            tip = changed.get(widget.toolTip())
            if tip is not None and tip != widget.toolTip():
                widget.setToolTip(tip)

    def offer(self, widget: QWidget, acts: Sequence[str]) -> None:
        """Offer acts where a person tries a right click; those that do not hold now are left out.

        Args:
            widget: where.
            acts: in order; "" for a line between.
        """
        widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        widget.customContextMenuRequested.connect(lambda at: self.menu_of(acts).popup(widget.mapToGlobal(at)))

    def menu_of(self, acts: Sequence[str]) -> QMenu:
        """A menu of some acts."""
        self.show_states()
        menu = QMenu(self._window)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for act in acts:
            if not act:
                menu.addSeparator()
            elif self.actions[act].isEnabled():
                menu.addAction(self.actions[act])
        return menu

    def show_states(self) -> None:
        """Tick what is on."""
        for act, is_on in self._states.items():
            self.actions[act].setChecked(is_on())

    def show_allowed(self, present: str, on_card: Callable[[str], bool]) -> None:
        """Keys hold where what they act on is in sight; those of a step while its card is selected."""
        for key in every_key():
            action = self.actions.get(key.act)
            if action is not None and key.in_sight:
                action.setEnabled(present in key.in_sight and (not key.on_card or on_card(key.act)))

    def show_history(self, undo: str | None, redo: str | None) -> None:
        """What undo and redo would take back and do again; None for nothing."""
        for act, words in (("undo", undo), ("redo", redo)):
            name = tr(act.capitalize())
            self.actions[act].setEnabled(words is not None)
            self.actions[act].setText(f"{name}: {words}" if words else name)
