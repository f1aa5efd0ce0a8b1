"""Keys and focus: every key in every place, whose arrows and wheel are, what lets go."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QKeySequence, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QSpinBox, QToolButton
from pytestqt.qtbot import QtBot

from grevin.desktop.keys import hint, key_of
from grevin.desktop.menus import ON_FINDINGS, ON_FRAMES, ON_PATH, ON_PICTURE, TITLES
from grevin.desktop.steps.desks import every_key
from grevin.desktop.window import Window
from tests.desktop.conftest import WAIT_MS, settle

OPENS_A_DIALOG = {
    "open_material", "open_folder", "add_reels", "add_folder", "save_job_as", "save_recipe", "take_recipe", "about",
    "show_keys",
}  # fmt: skip
LEAVES = {"quit", "start_page", "full_screen", "open_again", "reel_back", "reel_on"}
MOVES_ON = {"go_intake", "go_survey", "go_bench", "go_output"}


def send(window: Window, text: str) -> None:
    """Press a key sequence in the window, as it is written in the list of keys."""
    combination = QKeySequence(text)[0]
    QTest.keyClick(QApplication.focusWidget() or window, combination.key(), combination.keyboardModifiers())


@pytest.mark.parametrize("place", sorted(MOVES_ON))
def test_every_key_in_every_place_changes_only_what_is_in_sight(qtbot: QtBot, window: Window, place: str) -> None:
    session = window.session
    for step in ("pick", "rebuild", "dirt", "reframe"):
        session.add_step(step)
    settle(qtbot, window)
    changed: dict[str, set[str]] = {}
    for key in every_key():
        if key.held or key.act in OPENS_A_DIALOG | LEAVES | MOVES_ON:
            continue
        if not key.in_sight and place != "go_bench":
            continue  # it holds in every place: once is enough
        for text in key.keys:
            window.bench.player.stop()
            window.do(place)
            session.select(3)
            window.setFocus()
            before, frame = session.document, session.place.frame
            send(window, text)
            settle(qtbot, window)
            if session.document != before:
                changed.setdefault(key.act, set()).add(text)
                session.undo()
                settle(qtbot, window)
            if key.in_sight and place not in key.in_sight:
                assert session.place.frame == frame, f"{key.act} ({text}) goes nowhere in {place}"
            assert "Internal error" not in window.messages.text, f"{key.act} ({text}) in {place}"
            window.do("one_picture")
    window.surveying.stop()
    out_of_sight = [act for act in changed if next(k for k in every_key() if k.act == act).in_sight - {place}
                    and place not in next(k for k in every_key() if k.act == act).in_sight]  # fmt: skip
    assert out_of_sight == []


def test_letters_that_fingers_expect_to_move_with_write_nothing(qtbot: QtBot, window: Window) -> None:
    for key in (Qt.Key.Key_J, Qt.Key.Key_K, Qt.Key.Key_L, Qt.Key.Key_I):
        before = window.session.document
        QTest.keyClick(window.bench.table, key)
        settle(qtbot, window)
        assert window.session.document == before
        assert not window.surveying.running
    loops = {text for act in ("loop_start", "loop_all") for text in key_of(act).keys}
    slips = {f"{modifier}+{text.split('+')[-1]}" for text in loops for modifier in ("Ctrl", "Alt", "Shift")}
    assert not slips & set(key_of("quit").keys), "no wrong modifier of a key for the loop quits"


def test_arrows_belong_to_the_list_that_has_the_focus(qtbot: QtBot, window: Window) -> None:
    session = window.session
    window.do("add_step")
    steps = window.bench.path.chooser.steps
    steps.setFocus()
    frame, row = session.place.frame, steps.currentRow()
    QTest.keyClick(steps, Qt.Key.Key_Down)
    QTest.keyClick(steps, Qt.Key.Key_End)
    assert session.place.frame == frame
    assert steps.currentRow() > row
    window.bench.path.chooser.close_again()
    window.bench.table.setFocus()
    QTest.keyClick(window.bench.table, Qt.Key.Key_End)
    assert session.place.frame == session.length - 1


def turn(widget) -> None:
    """A notch of the wheel over a widget."""
    middle = QPointF(widget.rect().center())
    event = QWheelEvent(
        middle, widget.mapToGlobal(middle), QPoint(0, 0), QPoint(0, -120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_the_wheel_changes_no_field_that_was_not_chosen(qtbot: QtBot, window: Window) -> None:
    window.session.add_step("dirt")
    settle(qtbot, window)
    card = window.bench.path.card(1)
    grow, way = card.findChild(QSpinBox, "grow_px"), card.findChild(QComboBox, "way")
    window.bench.table.setFocus()
    before = window.session.treatment
    for field in (grow, way):
        turn(field)
    settle(qtbot, window)
    assert window.session.treatment == before
    grow.setFocus()
    turn(grow)
    settle(qtbot, window)
    assert window.session.treatment != before


def test_space_plays_after_a_button_was_clicked(qtbot: QtBot, window: Window) -> None:
    window.session.add_step("dirt")
    settle(qtbot, window)
    button = window.bench.path.card(1).findChild(QToolButton, "draw_rectangle")
    window.bench.table.setFocus()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert button.isChecked()
    assert not button.hasFocus()
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Space)
    assert button.isChecked()
    assert window.bench.player.playing
    window.do("play")


def test_before_lets_go_whatever_else_is_down(qtbot: QtBot, window: Window) -> None:
    table = window.bench.table
    QTest.keyPress(table, Qt.Key.Key_X)
    assert window.bench.looking.drawing.before
    QTest.keyRelease(table, Qt.Key.Key_X, Qt.KeyboardModifier.ShiftModifier)
    assert not window.bench.looking.drawing.before
    QTest.keyPress(table, Qt.Key.Key_Space)
    assert table.panning_by_space
    QTest.keyRelease(table, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert not table.panning_by_space
    window.bench.player.stop()


def test_a_key_is_changed_by_hand_and_kept(qtbot: QtBot, new_window, dirty_reel) -> None:
    window = new_window(dirty_reel)
    QTest.keyClick(window.bench.table, Qt.Key.Key_F1)
    page = window._keys_page
    page.filter.setFocus()
    QTest.keyClicks(page.filter, "wipe between")
    page.list.setFocus()
    item = next(item for item in page._items() if not item.isHidden())
    page.list.setCurrentItem(item)
    assert item.text(0) == key_of("wipe").label
    page.edit.setFocus()
    QTest.keyClick(page.edit.focusWidget() or page.edit, Qt.Key.Key_T)
    assert "T is taken: Taken away" in page.words.text()
    QTest.mouseClick(page.use, Qt.MouseButton.LeftButton)
    assert hint("wipe").endswith("(T)")
    assert hint("taken") == key_of("taken").label
    page.close()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=WAIT_MS)
    QTest.keyClick(window.bench.table, Qt.Key.Key_T)
    assert window.bench.looking.ways.compare == "wipe"
    QTest.keyClick(window.bench.table, Qt.Key.Key_C)
    assert window.bench.looking.ways.compare == "wipe", "the key of before does nothing any more"
    again = new_window(dirty_reel)
    QTest.keyClick(again.bench.table, Qt.Key.Key_T)
    assert again.bench.looking.ways.compare == "wipe", "also after the next start"
    again.own_keys.give_all_back()
    assert hint("wipe").endswith("(C)")


def test_held_keys_may_be_others_too(qtbot: QtBot, window: Window) -> None:
    window.own_keys.give("before", "K")
    table = window.bench.table
    QTest.keyPress(table, Qt.Key.Key_K)
    assert window.bench.looking.drawing.before
    QTest.keyRelease(table, Qt.Key.Key_K)
    assert not window.bench.looking.drawing.before
    window.own_keys.give_back("before")
    QTest.keyClick(table, Qt.Key.Key_K)
    assert not window.bench.looking.drawing.before


def test_menus_tick_what_is_on_and_their_letters_are_no_keys(qtbot: QtBot, window: Window) -> None:
    window.do("wipe")
    window.menus.show_states()
    assert window.menus.actions["wipe"].isChecked()
    assert not window.menus.actions["side"].isChecked()
    letters = {f"Alt+{words[words.index('&') + 1].upper()}" for words in TITLES.values()}
    assert len(letters) == len(TITLES)
    assert not letters & {text for key in every_key() for text in key.keys}


def test_a_right_click_offers_what_can_be_done_there(qtbot: QtBot, window: Window) -> None:
    window.session.add_step("dirt")
    settle(qtbot, window)
    for where, acts in (
        (window.bench.table, ON_PICTURE),
        (window.column, ON_FRAMES),
        (window.survey.findings.view, ON_FINDINGS),
    ):
        assert where.contextMenuPolicy() == Qt.ContextMenuPolicy.CustomContextMenu
        menu = window.menus.menu_of(acts)
        offered = [action.objectName() for action in menu.actions() if not action.isSeparator()]
        assert offered == [f"act_{act}" for act in acts if act and window.menus.actions[act].isEnabled()]
        menu.deleteLater()
    menu = window.menus.menu_of(ON_PATH)
    next(action for action in menu.actions() if action.objectName() == "act_step_again").trigger()
    settle(qtbot, window)
    assert len(window.session.treatment.steps) == 2
    menu.deleteLater()
