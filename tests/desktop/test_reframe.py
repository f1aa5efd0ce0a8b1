"""Cards that show another part or another shape of the picture, worked with keys and mouse."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QLineEdit, QToolButton
from pytestqt.qtbot import QtBot

from grevin.core.treatment.over_time import OverTime
from grevin.desktop.window import Window
from tests.desktop.conftest import settle


def typed(qtbot: QtBot, window: Window, text: str) -> None:
    """Type key frames into the card, as a person does."""
    line = next(one for one in window.findChildren(QLineEdit) if one.objectName() == "keys" and one.isVisible())
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)
    settle(qtbot, window)


def test_a_move_is_typed_seen_and_undone(qtbot: QtBot, window: Window) -> None:
    session = window.session
    session.add_step("reframe")
    settle(qtbot, window)
    look = window.bench.table.look
    assert look is not None
    assert look.after is look.before, "the defaults change nothing"
    typed(qtbot, window, "0 0.5 0.5 1; 4 0.5 0.5 2")
    assert session.chain is not None
    assert session.treatment.steps[0].model().keys[1].zoom == 2
    session.go(4)
    settle(qtbot, window)
    assert window.bench.table.look.after is not window.bench.table.look.before
    session.undo()
    settle(qtbot, window)
    assert session.treatment.steps[0].model().keys == ()


def test_key_frames_that_are_not_understood_are_refused_and_nothing_is_lost(qtbot: QtBot, window: Window) -> None:
    session = window.session
    session.add_step("reframe")
    settle(qtbot, window)
    typed(qtbot, window, "2 0.4 0.6 1.5")
    typed(qtbot, window, "2 left")
    assert "keys = '2 left' is not allowed (a list of frame, x, y, zoom, turn)" in window.messages.text
    assert session.treatment.steps[0].model().keys[0].zoom == 1.5


def test_a_wider_frame_is_shown_as_wide_as_it_is(qtbot: QtBot, window: Window) -> None:
    session, table = window.session, window.bench.table
    before = table.size_of_picture()
    session.add_step("sidefill")
    settle(qtbot, window)
    look = table.look
    assert look is not None
    width, height = table.size_of_picture()
    assert height == before[1]
    assert abs(width / height - 16 / 9) < 0.02
    assert table.size_of_picture(before=True) == before
    for compare in ("side", "wipe", "difference", "taken"):
        window.bench.looking.change({"compare": compare})
        settle(qtbot, window)
        assert table.look is not None
        assert not table.missing
        table.grab()


def test_numbers_that_change_over_time_are_shown_and_taken_out(qtbot: QtBot, treated: Window) -> None:
    session = treated.session
    changing = OverTime.model_validate(
        {"setting": "grow_px", "keys": [{"frame": 0, "value": 1}, {"frame": 4, "value": 5}]}
    )
    session.change_over_time(1, (changing,))
    settle(qtbot, treated)
    words = [label for label in treated.findChildren(QLabel) if "grow_px over time" in label.text()]
    assert words[0].isVisible()
    assert session.chain is not None
    assert session.chain.steps[0].settings_at(4).grow_px == 5
    row = words[0].parentWidget()
    qtbot.mouseClick(row.findChildren(QToolButton)[0], Qt.MouseButton.LeftButton)
    settle(qtbot, treated)
    assert session.treatment.steps[0].over_time == ()
    session.undo()
    assert session.treatment.steps[0].over_time == (changing,)
