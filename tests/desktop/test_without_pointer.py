"""A whole job without the pointer: by keys alone, and by the names that a screen reader speaks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAccessible, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QListWidget,
    QMenu,
    QMenuBar,
    QScrollBar,
    QWidget,
)
from pytestqt.qtbot import QtBot

from grevin.demo import making
from grevin.demo.time_reels import time_reels
from grevin.desktop.window import Window
from tests.desktop.conftest import WAIT_MS, settle

FRAMES = range(92, 102)  # of the demo's first reel, over a cut
NONE, CONTROL, ALT, SHIFT = (
    Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
)  # fmt: skip
MOST_TABS = 200


@pytest.fixture
def start(new_window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Window:
    """A window that was started for the first time; the demo is a short one."""
    real, second = making.make_demo, replace(time_reels()[1], length=6)
    monkeypatch.setattr("grevin.demo.making.other_reels", lambda: (second,))
    monkeypatch.setattr(
        "grevin.desktop.start.starting.make_demo", lambda folder, progress: real(folder, progress, FRAMES)
    )
    monkeypatch.setattr("grevin.desktop.start.starting.demo_folder", lambda: tmp_path / "demo")
    return new_window(None)


def press(text: str) -> None:
    """A key, to whatever has the focus."""
    combination = QKeySequence(text)[0]
    target = QApplication.activePopupWidget() or QApplication.focusWidget() or QApplication.activeWindow()
    QTest.keyClick(target, combination.key(), combination.keyboardModifiers())


def spoken(widget: QWidget) -> str:
    """What a screen reader says of a widget."""
    interface = QAccessible.queryAccessibleInterface(widget)
    return interface.text(QAccessible.Text.Name) if interface is not None else ""


def tab_to(wanted: Callable[[QWidget], bool]) -> QWidget:
    """Tab until the focus is where it is wanted."""
    for _ in range(MOST_TABS):
        widget = QApplication.focusWidget()
        if widget is not None and wanted(widget):
            return widget
        press("Tab")
    raise AssertionError("it is not reached by Tab")


def answer_file_dialog(path: Path) -> None:
    """Type a path into the file dialog that is going to open, and Return."""

    def answer() -> None:
        dialog = QApplication.activeModalWidget()
        field = dialog.findChild(QLineEdit, "fileNameEdit") if dialog is not None else None
        if field is None:
            QTimer.singleShot(50, answer)
            return
        field.setText(str(path))  # typed, a list of names would open over it
        QTest.keyClick(field, Qt.Key.Key_Return)

    QTimer.singleShot(50, answer)


def back(qtbot: QtBot, window: Window) -> None:
    """To the window, as a desktop does when a dialog is closed."""
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=WAIT_MS)
    window.bench.table.setFocus()


def survey(qtbot: QtBot, window: Window) -> None:
    press("F3")
    press("Alt+S")
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    settle(qtbot, window)


def add(qtbot: QtBot, window: Window, words: str) -> None:
    """Choose a step by typing what it is about."""
    window.bench.table.setFocus()
    press("N")
    QTest.keyClicks(QApplication.focusWidget(), words)
    press("Return")
    settle(qtbot, window)


def test_a_whole_job_by_keys_alone(qtbot: QtBot, start: Window, tmp_path: Path) -> None:
    window, session = start, start.session
    tab_to(lambda widget: widget.objectName() == "start_open_demo")
    press("Space")
    qtbot.waitUntil(lambda: session.reel is not None, timeout=WAIT_MS)
    settle(qtbot, window)
    survey(qtbot, window)
    assert session.findings.kinds().get("dirt", 0) > 3
    press("F4")
    for words in ("dirt", "slow move", "4:3"):
        add(qtbot, window, words)
    assert [step.step for step in session.treatment.steps] == ["dirt", "reframe", "sidefill"]
    session_steps = session.treatment.steps
    window.bench.table.setFocus()
    for _ in range(2):
        press("Ctrl+Up")
    settle(qtbot, window)
    assert session.selected == 1
    press("3")  # near: the box is what the light table shows
    press("Shift+M")
    settle(qtbot, window)
    tab_to(lambda widget: widget.objectName() == "region_only")
    press("Space")
    settle(qtbot, window)
    (region,) = session.treatment.steps[0].regions
    assert region.use == "only"
    answer_file_dialog(tmp_path / "as-the-first.recipe.json")
    press("Ctrl+Alt+S")
    assert (tmp_path / "as-the-first.recipe.json").exists()
    back(qtbot, window)
    take_on_second_reel(qtbot, window, tmp_path / "as-the-first.recipe.json")
    treated = session.document.reels[1].treatment.steps
    assert [step.step for step in treated] == [step.step for step in session_steps]
    press("F5")
    path = tab_to(lambda widget: widget.objectName() == "output_path")
    press("Ctrl+A")
    QTest.keyClicks(path, str(tmp_path / "out.mkv"))
    tab_to(lambda widget: widget.objectName() == "output_write")
    press("Space")
    qtbot.waitUntil(lambda: not window.output.writing, timeout=WAIT_MS)
    assert (tmp_path / "out.mkv").exists()
    assert "6 frames" in window.output.result.text()


def take_on_second_reel(qtbot: QtBot, window: Window, recipe: Path) -> None:
    """The recipe for the job's other reel, then to that reel."""
    answer_file_dialog(recipe)
    press("Ctrl+Alt+O")
    qtbot.waitUntil(
        lambda: window.recipes.dialog is not None and window.recipes.dialog.isActiveWindow(), timeout=WAIT_MS
    )
    reels = tab_to(lambda widget: isinstance(widget, QListWidget))
    press("Space")
    press("Down")
    press("Space")
    assert window.recipes.dialog.reels == {1}, reels
    tab_to(lambda widget: spoken(widget) == "Take it")
    press("Space")
    back(qtbot, window)
    press("Ctrl+PgDown")
    qtbot.waitUntil(lambda: window.session.reel_index == 1, timeout=WAIT_MS)
    settle(qtbot, window)


def named(window: QWidget, words: str) -> QWidget:
    """The one thing in sight that a screen reader calls so."""
    found = [widget for widget in window.findChildren(QWidget) if wants_name(widget) and spoken(widget) == words]
    assert len(found) == 1, (words, found)
    return found[0]


def entry(window: Window, words: str) -> None:
    """Choose an entry of a menu by its name."""
    found = [action for action in window.menus.actions.values() if action.text() == words and action.isEnabled()]
    assert len(found) == 1, words
    found[0].trigger()


def use(window: QWidget, words: str) -> QWidget:
    """Go to the thing of that name and press it, as a screen reader lets one do."""
    widget = named(window, words)
    widget.setFocus()
    QTest.keyClick(widget, Qt.Key.Key_Space)
    return widget


def test_a_whole_job_by_spoken_names(qtbot: QtBot, start: Window, tmp_path: Path) -> None:
    window, session = start, start.session
    use(window, "Open the demo: the harbour reel of Port Ellery")
    qtbot.waitUntil(lambda: session.reel is not None, timeout=WAIT_MS)
    settle(qtbot, window)
    use(window, "Survey")  # the place
    use(window.survey, "Survey")  # the act
    qtbot.waitUntil(lambda: window.surveying.survey is not None and not window.surveying.running, timeout=WAIT_MS)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not window.survey.busy, timeout=WAIT_MS)
    findings = named(window, "List of findings")
    findings.setFocus()

    def chosen() -> bool:
        """The list is filled anew when the survey is kept: who was faster than that has to choose again."""
        QTest.keyClick(findings, Qt.Key.Key_Down)
        settle(qtbot, window)
        return bool(findings.currentIndex().isValid())

    qtbot.waitUntil(chosen, timeout=WAIT_MS)
    use(window, "Leave")
    assert len(session.verdicts) == 1
    use(window, "Bench")
    for words in ("dirt", "slow move", "4:3"):
        use(window, "Add a step")
        QTest.keyClicks(named(window, "What is wrong with the picture"), words)
        press("Return")
        settle(qtbot, window)
    entry(window, "Select the step before")
    entry(window, "Select the step before")
    entry(window, "Measure what the light table shows")
    settle(qtbot, window)
    use(window, "Leave alone")
    settle(qtbot, window)
    assert [region.use for region in session.treatment.steps[0].regions] == ["protect"]
    grow = named(window, "Grow")
    grow.setFocus()
    QTest.keyClick(grow, Qt.Key.Key_Up)
    settle(qtbot, window)
    assert session.treatment.steps[0].settings["grow_px"] == 2
    recipe = tmp_path / "named.recipe.json"
    answer_file_dialog(recipe)
    entry(window, "Save the treatment as a recipe …")
    back(qtbot, window)
    answer_file_dialog(recipe)
    entry(window, "Take a recipe …")
    qtbot.waitUntil(
        lambda: window.recipes.dialog is not None and window.recipes.dialog.isActiveWindow(), timeout=WAIT_MS
    )
    reels = named(window.recipes.dialog, "Reels")
    reels.setFocus()
    for text in ("Space", "Down", "Space"):
        press(text)
    use(window.recipes.dialog, "Take it")
    back(qtbot, window)
    entry(window, "Next reel of the job")
    qtbot.waitUntil(lambda: session.reel_index == 1, timeout=WAIT_MS)
    settle(qtbot, window)
    assert [step.step for step in session.treatment.steps] == ["dirt", "reframe", "sidefill"]
    use(window, "Output")
    field = named(window, "Write to")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, str(tmp_path / "named.mkv"))
    use(window, "Write")
    qtbot.waitUntil(lambda: not window.output.writing, timeout=WAIT_MS)
    assert (tmp_path / "named.mkv").exists()


def test_everything_that_takes_the_focus_has_a_name(qtbot: QtBot, window: Window) -> None:
    for step in ("pick", "repeats", "fields", "rebuild", "dirt", "reframe", "sidefill"):
        window.session.add_step(step)
    settle(qtbot, window)
    for place in window.parts.places:
        window.do(place)
        for selected in range(1, 8):
            window.session.select(selected)
            settle(qtbot, window)
            nameless = [
                (type(widget).__name__, widget.objectName())
                for widget in window.findChildren(QWidget)
                if wants_name(widget) and not spoken(widget)
            ]
            assert nameless == [], place


def wants_name(widget: QWidget) -> bool:
    own = isinstance(widget, QAbstractButton) or widget.focusPolicy() & Qt.FocusPolicy.TabFocus
    inside = isinstance(widget.parent(), QAbstractSpinBox | QComboBox)
    part_of_another = (
        inside or isinstance(widget, QScrollBar | QMenu | QMenuBar) or widget.objectName().startswith("qt_")
    )
    return bool(widget.isVisible() and own and not part_of_another)
